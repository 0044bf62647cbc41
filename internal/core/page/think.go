package page

import (
	"regexp"
	"slices"
	"strings"
)

// thought is what is thought of a form.
type thought struct {
	rank           int // from 1 on; 0 for one by which nobody signs in
	says           string
	user, password control
	nameless       bool // it would be the one, and sends nothing
}

// How well a form fits.
const (
	byHint    = 100 // people say so
	bySignIn  = 10  // a name and one password
	byOneOnly = 6   // one password and no name
	byName    = 3   // a name, which the page says to be one
	byChange  = 1   // several passwords: people register, or change theirs
)

// think says what a form is for.
func (h Hints) think(b block) (x thought) {
	defer func() {
		if x.rank > 0 && h.Form != "" {
			x.rank += byHint
		}
	}()
	if h.Form != "" && b.id != h.Form && b.name != h.Form {
		return thought{says: "another one is meant"}
	}
	passwords := matching(b.controls, control.password)
	x.user, x.password = h.user(b.controls), h.password(b.controls, passwords)
	switch {
	case (h.User != "" && x.user == control{}) || (h.Password != "" && x.password == control{}):
		return thought{says: "it has no such fields"}
	case x.password != control{} && x.password.name == "", x.user != control{} && x.user.name == "" && x.password != control{}:
		return thought{nameless: true, says: "its fields have no names, so that nothing is sent of them: a script signs people in, " +
			"which is not run here"}
	case h.User != "" || h.Password != "":
		x.rank, x.says = byHint, "it has the fields that are meant"
	case x.password == control{} && x.user != control{} && x.user.name != "" && x.user.alone():
		x.rank, x.says = byName, "it asks for the name to sign in with, and for no password yet"
	case x.password == control{}:
		x.says = "it asks for no password"
	case len(passwords) > 1 && !x.password.says(current):
		x.rank, x.says = byChange, "it asks for several passwords, as people register or change theirs by"
	case x.user == control{}:
		x.rank, x.says = byOneOnly, "it asks for a password, and for no name"
	default:
		x.rank, x.says = bySignIn, "it asks for a name and a password"
	}
	return x
}

func matching(all []control, is func(control) bool) (out []control) {
	for _, c := range all {
		if is(c) {
			out = append(out, c)
		}
	}
	return out
}

func first(all []control, is func(control) bool) control {
	if i := slices.IndexFunc(all, is); i >= 0 {
		return all[i]
	}
	return control{}
}

// What pages say that a field is for (HTML, 4.10.18.7, autofill).
const (
	current  = "current-password"
	username = "username"
	email    = "email"
)

func (h Hints) password(all, passwords []control) control {
	if h.Password != "" {
		return first(all, func(c control) bool { return c.is(h.Password) })
	}
	for _, says := range []func(control) bool{
		func(c control) bool { return c.says(current) && c.name != "" },
		func(c control) bool { return c.name != "" },
		func(control) bool { return true },
	} {
		if c := first(passwords, says); c.tag != "" {
			return c
		}
	}
	return control{}
}

// user is the field for the name: the one that says so, the last that looks so before the password, or the last one
// before it at all.
func (h Hints) user(all []control) control {
	if h.User != "" {
		return first(all, func(c control) bool { return c.is(h.User) })
	}
	before := all
	if i := slices.IndexFunc(all, control.password); i >= 0 {
		before = all[:i]
	}
	typed := matching(before, control.typed)
	if named := matching(typed, func(c control) bool { return c.name != "" }); len(named) > 0 {
		typed = named
	}
	for _, says := range []func(control) bool{
		func(c control) bool { return c.says(username) },
		func(c control) bool { return c.says(email) || c.kind == "email" },
		control.means,
		func(control) bool { return true },
	} {
		if found := matching(typed, says); len(found) > 0 {
			return found[len(found)-1]
		}
	}
	return control{}
}

// accounts are words in names of fields into which people write who they are.
var accounts = regexp.MustCompile(`(?i)user|login|log-?on|sign-?in|account|e?mail|member|customer|ident`)

// means tells whether a field is, by what the page says of it, for who somebody is.
func (c control) means() bool {
	return c.says(username) || c.says(email) || c.kind == "email" || accounts.MatchString(c.name) || accounts.MatchString(c.id)
}

// alone tells whether a field is surely for who somebody is, without a password beside it: a mail address alone may be
// asked for to send letters to.
func (c control) alone() bool {
	sure := func(name string) bool { return accounts.MatchString(name) && !letters.MatchString(name) }
	return c.says(username) || sure(c.name) || sure(c.id)
}

// letters are words in names of fields that are not asked for to sign in.
var letters = regexp.MustCompile(`(?i)mail|member|customer`)

// says tells whether the page says what a field is for.
func (c control) says(what string) bool { return slices.Contains(strings.Fields(c.meant), what) }

func (c control) is(named string) bool { return !c.disabled && (c.name == named || c.id == named) }

func (c control) password() bool { return c.tag == "input" && c.kind == "password" && !c.disabled }

// typed tells whether people write a line into it.
func (c control) typed() bool {
	return c.tag == "input" && !c.disabled && slices.Contains([]string{"", "text", "email", "tel", "number", "search", "url"}, c.kind)
}

// submits tells whether it is a button that sends the form.
func (c control) submits() bool {
	return c.tag == "button" && (c.kind == "" || c.kind == "submit") || c.tag == "input" && (c.kind == "submit" || c.kind == "image")
}

// stands tells whether a field is sent as it stands in the page.
func (c control) stands() bool {
	switch c.kind {
	case "checkbox", "radio":
		return c.checked
	case "submit", "image", "button", "reset", "file":
		return false
	}
	return c.tag != "button" && (c.tag != "select" || c.checked)
}

// sent is what is sent of a control with a name.
func (c control) sent() []Pair {
	switch {
	case c.name == "" && c.kind != "image":
		return nil
	case c.kind == "image": // where it was pressed
		prefix := ""
		if c.name != "" {
			prefix = c.name + "."
		}
		return []Pair{{prefix + "x", "0"}, {prefix + "y", "0"}}
	case c.value == "" && (c.kind == "checkbox" || c.kind == "radio"):
		return []Pair{{c.name, "on"}}
	}
	return []Pair{{c.name, c.value}}
}
