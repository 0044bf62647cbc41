package ui

import "fmt"

// Head is the head of a column that a list can be sorted by; the "head" template
// shows it.
type Head struct {
	Title, URL string
	Sorted     string // ascending, descending, or empty
	Class      string
}

// Head makes the head of a column, with classes such as num.
func (s Sorting) Head(column, title string, class ...string) Head {
	h := Head{Title: title, URL: s.SortURL(column), Sorted: s.Sorted(column)}
	if len(class) > 0 {
		h.Class = class[0]
	}
	return h
}

// Empty says what belongs where nothing is, and what to do next; the "empty"
// template shows it.
type Empty struct {
	Title, Text string
	URL, Action string // the next step; empty for none
}

// NewEmpty makes one; more are the address of the next step and its words.
func NewEmpty(title, text string, more ...string) Empty {
	e := Empty{Title: title, Text: text}
	if len(more) == 2 {
		e.URL, e.Action = more[0], more[1]
	}
	return e
}

// FilterBar narrows a list while it is typed; the "filterbar" template shows it.
type FilterBar struct {
	Path   string // of the list
	Target string // the id of what is shown anew
	// Sort is the order that the list has, which stays while it is narrowed.
	Sort string
	// Search is the free text that was typed.
	Search, Placeholder, Label string
	Choices                    []FilterChoice
	Flags                      []FilterFlag
	// Hidden are further values that are kept.
	Hidden []Pair
}

// FilterChoice is one thing of several that a list is narrowed to.
type FilterChoice struct {
	Name, Label string
	Any         string // what the choice of all is called
	Value       string
	Options     []Option
}

// Choosable are all that can be chosen.
func (c FilterChoice) Choosable() []Option { return append([]Option{{Title: c.Any}}, c.Options...) }

// FilterFlag narrows a list where it is set.
type FilterFlag struct {
	Name, Label string
	Set         bool
}

// Tick is a box to tick; the "tick" template shows it.
type Tick struct {
	Name, ID string
	Value    any
	Label    string
	Set      bool
}

// NewTick returns a box to tick.
func NewTick(name, id string, value any, label string, set bool) Tick {
	return Tick{name, id, value, label, set}
}

// Option is one of the choices.
type Option struct{ Value, Title string }

// Pick is a choice within a line; the "pick" template shows it. Its label is only
// spoken.
type Pick struct {
	Name, Label string
	Value       string
	Options     []Option
}

// NewPick makes one; the value may be a number.
func NewPick(name, label string, value any, options []Option) Pick {
	return Pick{Name: name, Label: label, Value: fmt.Sprint(value), Options: options}
}

// Options makes choices of words that stand for themselves.
func Options[T ~string](words []T) []Option {
	out := make([]Option, len(words))
	for i, w := range words {
		out[i] = Option{string(w), string(w)}
	}
	return out
}

// Crumb is a step on the way to a page; the last one, the page itself, has no URL.
type Crumb struct{ Title, URL string }
