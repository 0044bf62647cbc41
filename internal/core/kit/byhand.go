package kit

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
)

// ByHand is how one thing is added by hand that a kit is for: what people call it, and what they are asked first.
type ByHand struct {
	Title string `json:"title"`
	// Asks are names of parameters, and of settings of its way, in the order in which they are asked for.
	Asks []string `json:"asks"`
}

// mostAsked is how much is asked for first.
const mostAsked = 5

func (b *ByHand) words() string {
	if b == nil {
		return ""
	}
	return strings.Join(append([]string{b.Title}, b.Asks...), ", ")
}

// checkByHand refuses what cannot be asked for.
func (k *Kit) checkByHand() (problems []error) {
	if k.ByHand == nil {
		return nil
	}
	if strings.TrimSpace(k.ByHand.Title) == "" {
		problems = append(problems, errors.New("by_hand: it needs a title"))
	}
	if len(k.ByHand.Asks) > mostAsked {
		problems = append(problems, fmt.Errorf("by_hand: at most %d things are asked for first", mostAsked))
	}
	w, known := k.Way()
	if !known {
		return append(problems, errors.New("by_hand: it needs a source"))
	}
	for _, name := range k.ByHand.Asks {
		is := func(f field.Field) bool { return f.Name == name }
		if !slices.ContainsFunc(k.Asked(), is) && !slices.ContainsFunc(w.Endpoint, is) {
			problems = append(problems, fmt.Errorf("by_hand: there is no parameter or setting %q that could be asked for", name))
		}
	}
	return problems
}

// HandTitle is what people call one thing that is added by hand with the kit; empty where none is.
func (k *Kit) HandTitle() string {
	if k.ByHand == nil {
		return ""
	}
	return k.ByHand.Title
}

// Way is the way by which its first source asks; ok is false where there is none.
func (k *Kit) Way() (w way.Way, ok bool) {
	if len(k.Sources) == 0 {
		return w, false
	}
	return k.ways.Of(k.Sources[0].Way)
}

// HandFields are the fields by which a thing is added by hand: what is asked for first, and all else, parameters and
// settings of its way. The parameter that holds the address of a page is in neither: what is typed as the address says it.
func (k *Kit) HandFields() (first, rest []HandField) {
	w, _ := k.Way()
	var all []HandField
	for _, p := range k.Asked() {
		if addressed, is := k.Addressed(); !is || p.Name != addressed.Name {
			all = append(all, HandField{Field: p})
		}
	}
	for _, e := range w.Endpoint {
		all = append(all, HandField{Field: e, Endpoint: true})
	}
	place := func(f HandField) int {
		at := -1
		if k.ByHand != nil {
			at = slices.Index(k.ByHand.Asks, f.Name)
		}
		if at < 0 && f.Required {
			return len(k.Parameters)
		}
		return at
	}
	for _, f := range all {
		if place(f) >= 0 {
			first = append(first, f)
		} else {
			rest = append(rest, f)
		}
	}
	slices.SortStableFunc(first, func(a, b HandField) int { return place(a) - place(b) })
	return first, rest
}

// HandField is a parameter of a kit, or a setting of how its way talks to the device.
type HandField struct {
	field.Field
	Endpoint bool
}

// Addressed is the parameter that holds the address of a page, in which {address} stands for that of the device.
func (k *Kit) Addressed() (p field.Field, ok bool) {
	i := slices.IndexFunc(k.Parameters, func(p field.Field) bool { return strings.Contains(p.Default, "{address}") })
	if i < 0 {
		return p, false
	}
	return k.Parameters[i], true
}
