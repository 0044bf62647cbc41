package page

import (
	"cmp"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/why"
)

// Hints say where people sign in, where a page does not show it by itself; what is empty is looked for. Each is an id or
// a name.
type Hints struct{ Form, User, Password string }

// Pair is a field of a form with its value.
type Pair struct{ Name, Value string }

// Form is a form by which people sign in, as a browser would send it (HTML, 4.10.21).
type Form struct {
	Called   string   // its id or its name, or its place in the page
	Action   *url.URL // where it is sent to
	Method   string   // GET or POST
	Encoding string   // the media type in which it is sent
	// Fields are those that are sent as they stand in the page, hidden ones and the button among them.
	Fields []Pair
	// User and Password name the fields to fill. Password is empty where the page asks for the name alone, and for the
	// password on the next page; User is empty where it asks for a password alone.
	User, Password string
}

// The media types of forms.
const (
	Encoded   = "application/x-www-form-urlencoded"
	Multipart = "multipart/form-data"
)

// SignIn finds the form by which people sign in, on a page that came from an address. The error says in plain words why
// there is none; the trace says of each form what is thought of it.
func SignIn(raw string, at *url.URL, hints Hints) (Form, why.Trace, error) {
	trace := why.Trace{Question: "By which form do people sign in?"}
	c := read(raw)
	best, most := -1, 0
	var thoughts []thought
	for i, b := range c.blocks {
		x := hints.think(b)
		thoughts = append(thoughts, x)
		trace.Because(called(b, i)+": "+x.says, "", nil)
		if x.rank > most {
			best, most = i, x.rank
		}
	}
	if best < 0 {
		err := c.none(thoughts, hints)
		trace.Answer = err.Error()
		return Form{}, trace, err
	}
	form, err := c.form(c.blocks[best], thoughts[best], at)
	form.Called = called(c.blocks[best], best)
	trace.Answer = "By the " + form.Called
	if err != nil {
		trace.Answer = err.Error()
	}
	return form, trace, err
}

// called is what a form is called for people: its id, its name, or its place.
func called(b block, i int) string {
	if own := cmp.Or(b.id, b.name); own != "" {
		return fmt.Sprintf("form “%s”", text.Brief(own, 40))
	}
	return fmt.Sprintf("form number %d of the page", i+1)
}

// none says why no form is one to sign in by.
func (c content) none(thoughts []thought, hints Hints) error {
	for _, x := range thoughts {
		if x.nameless {
			return errors.New(x.says)
		}
	}
	script := ""
	if c.scripts {
		script = "; a script may make one, which is not run here"
	}
	switch {
	case hints != Hints{}:
		return errors.New("no form of the page has what the hints name" + script)
	case slices.ContainsFunc(c.loose, control.password):
		return errors.New("the page asks for a password outside of any form: a script signs people in, which is not run here")
	case len(c.blocks) == 0:
		return errors.New("the page has no form" + script)
	}
	return errors.New("no form of the page asks for a password, or for the name to sign in with" + script)
}

// form is what is sent by a form.
func (c content) form(b block, x thought, at *url.URL) (Form, error) {
	f := Form{User: x.user.name, Password: x.password.name, Method: b.method, Encoding: b.encoding}
	action := b.action
	pressed := false
	for _, k := range b.controls {
		switch {
		case k.disabled, k == x.user, k == x.password:
		case k.submits() && !pressed:
			pressed = true // as if by Enter: the first button (HTML, 4.10.21.2)
			action, f.Method, f.Encoding = cmp.Or(k.action, action), cmp.Or(k.method, f.Method), cmp.Or(k.encoding, f.Encoding)
			f.Fields = append(f.Fields, k.sent()...)
		case k.stands():
			f.Fields = append(f.Fields, k.sent()...)
		}
	}
	f.Method, f.Encoding = strings.ToUpper(f.Method), strings.ToLower(strings.TrimSpace(f.Encoding))
	if f.Method != "POST" {
		f.Method = "GET"
	}
	if f.Encoding != Multipart {
		f.Encoding = Encoded
	}
	var err error
	if f.Action, err = c.resolve(at, action); err == nil && action == "" {
		f.Action = at // not what the page names as its base
	}
	if err != nil || f.Action.Scheme != "http" && f.Action.Scheme != "https" || f.Action.Host == "" {
		return f, errors.New("its form is sent to no page: a script signs people in, which is not run here")
	}
	return f, nil
}
