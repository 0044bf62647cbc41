// Package kit defines reusable sets of readings, row discoveries, rules and
// charts, reads them from files, and works out where they fit, what they ask
// and what they cost.
package kit

import (
	"slices"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/plausible"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// Purpose says what a reading or a kind of part is for, so that the rest of
// the product can find it without knowing any kit by name.
type Purpose string

// The purposes of readings.
const (
	// Reach tells whether a device answers: the share of requests in one
	// round that got no answer, in %.
	Reach Purpose = "reach"
	// Uptime is the time since the machine started, in s.
	Uptime Purpose = "uptime"
	// Traffic is bits a second through a part; the part's speed bounds it.
	Traffic Purpose = "traffic"
	// Filling is the share of a part's room that is in use, in %.
	Filling Purpose = "filling"
)

// The purposes of parts.
const (
	Interfaces Purpose = "interface"
	Volumes    Purpose = "volume"
)

// Kit is what is collected and judged of one kind of thing for one purpose.
type Kit struct {
	Name  string
	Title string
	About string
	// Folder is where it is kept among others, as Network/Errors; empty for the top.
	Folder  string
	Version int
	// Needs are the facts that a device must show for the kit to fit, as a
	// sweep learns them.
	Needs []string
	// OnRequest is true for a kit that nobody proposes where a device is adopted: people fit it, or rules do.
	OnRequest bool
	// Prepare is what must be done on a device before it can be asked, ready to be copied; {collector} in it stands for
	// the address of the machine that asks. Empty where nothing must be.
	Prepare string
	// ByHand is how one thing is added by hand that the kit is for; nil where none is.
	ByHand *ByHand
	// Parameters may be set where the kit is fitted.
	Parameters []field.Field
	Sources    []Source
	Parts      []Parts
	Readings   []Reading
	Rules      []rule.Rule
	Charts     []Chart
	// Inside are the kits that it brings along.
	Inside []Inside
	// Parked is what is kept in the file and not collected.
	Parked []Parked
	ways   way.List
}

// Inside is a kit that another one brings along, with the parameters that this sets.
type Inside struct {
	Kit string
	Set map[string]string
}

// Source is one fetch that feeds many readings. A source may stand several
// times, each for other values of the parameters and with columns of the same
// names.
type Source struct {
	Key   string
	Way   string
	Every time.Duration
	// Optional is true for what a device need not have.
	Optional bool
	// When lists the values of parameters for which it is used; empty for always.
	When map[string]string
	// Ask says what is asked; {NAME} stands for the value of a parameter.
	Ask     way.Settings
	columns []way.Column
	// steps are those of its readings, by their keys.
	steps map[string]derive.Steps
}

// Columns returns the columns that a fetch brings, in order.
func (s Source) Columns() []way.Column { return s.columns }

// SourceTitle names a source for people.
func (k *Kit) SourceTitle(src Source) string {
	for _, other := range k.Sources {
		if other.Key != src.Key {
			return k.Title + " (" + src.Key + ")"
		}
	}
	return k.Title
}

// Column returns the place of a column, or -1.
func (s Source) Column(name string) int {
	return slices.IndexFunc(s.columns, func(c way.Column) bool { return c.As == name })
}

// Parts is a row discovery: it makes parts from the rows of a source.
type Parts struct {
	Kind    string
	Title   string
	Purpose Purpose
	Source  string
	// Key and Name list columns; the first that is not empty is used. The key
	// is what the device calls the part: it survives re-indexing.
	Key  []string
	Name []string
	Note string
	// Tags are columns whose values become tags of the part, Attributes those whose values become
	// attributes, by their names.
	Tags       []string
	Attributes map[string]string
	// Speed is the column with the highest possible rate, times SpeedScale
	// in bit/s; used to tell a counter's wrap from its reset.
	Speed      string
	SpeedScale float64
	Filter     Filter
	// Since is the column with the beginning of a row's counters, as sysUpTime.
	Since string
	// Marks are columns that only the same thing has, whatever it is called.
	Marks []string
	// Apart are columns that tell rows of one name apart for people.
	Apart []string
	// Living tells which rows work now; all do where it says nothing.
	Living map[string][]string
}

// Reading says what is stored.
type Reading struct {
	Key   string
	Name  string
	About string
	Unit  string
	// Of is the kind of part that has this reading; empty for the device.
	Of     string
	Source string
	Value  []string
	// Steps lead from the raw value to the stored one.
	Steps  []derive.Written
	Filter Filter
	// Heartbeat is how long a value that does not change may go unstored; 0 stores each.
	Heartbeat time.Duration
	Over      derive.Over
	// Instead are values that other columns force.
	Instead []Instead
	// FirstOf are several ways to make it, in the place of Value.
	FirstOf []Balance
	// Because is the reading of the same rows whose text says why the value is what it is; empty for none.
	Because string
	// Caution is what people must know of its values.
	Caution string
	// Optional is true for what a device need not have.
	Optional bool
	// Low and High narrow or widen what its values can be; nil leaves it to the unit.
	Low   *float64
	High  *float64
	Codes map[int]string
	// Text is true for a reading whose values are texts.
	Text    bool
	Purpose Purpose
	// Tags go along to the incidents that rules on it lead to.
	Tags []string
	// Always is true for a reading that is stored when there is no answer
	// too (the loss is 100 % then).
	Always bool
}

// Instead is the value of a reading whenever a column says one of some things.
type Instead struct {
	Column string
	Says   []string
	Value  float64
}

// Kind says what the values of the reading are.
func (r Reading) Kind() domain.SeriesKind {
	switch {
	case r.Text:
		return domain.KindText
	case len(r.Codes) > 0:
		return domain.KindState
	}
	return domain.KindNumber
}

// Can are the values that the reading can have.
func (r Reading) Can() plausible.Limits { return plausible.Of(r.Unit).Within(r.Low, r.High) }

// Subject is what rules need to know of the values.
func (r Reading) Subject() rule.Subject {
	return rule.Subject{Kind: r.Kind(), Unit: r.Unit, Codes: r.Codes}
}

// Chart is a set of readings drawn together.
type Chart struct {
	Title    string
	Readings []string
}

// Source returns the source with the given key, of several the first; ok is
// false if there is none.
func (k *Kit) Source(key string) (Source, bool) {
	for _, s := range k.Sources {
		if s.Key == key {
			return s, true
		}
	}
	return Source{}, false
}

// Reach returns the source that tells whether a device answers; ok is false where the kit
// has none.
func (k *Kit) Reach() (src Source, ok bool) {
	for _, r := range k.Readings {
		if r.Purpose == Reach {
			return k.Source(r.Source)
		}
	}
	return Source{}, false
}

// SourcesFor returns the sources that are used with the given parameters.
func (k *Kit) SourcesFor(parameters map[string]string) (out []Source) {
	for _, s := range k.Sources {
		used := true
		for name, value := range s.When {
			used = used && k.Value(parameters, name) == value
		}
		if used {
			out = append(out, s)
		}
	}
	return out
}

// Value is the value of a parameter among some, or its default.
func (k *Kit) Value(values map[string]string, name string) string {
	if v := values[name]; v != "" {
		return v
	}
	for _, p := range k.Parameters {
		if p.Name == name {
			return p.Default
		}
	}
	return ""
}

// Reading returns the reading with the given key; ok is false if there is none.
func (k *Kit) Reading(key string) (Reading, bool) {
	for _, r := range k.Readings {
		if r.Key == key {
			return r, true
		}
	}
	return Reading{}, false
}

// Only is the kit with one of its readings alone, such as to tell what that costs.
func (k *Kit) Only(key string) *Kit {
	out := *k
	out.Readings = slices.DeleteFunc(slices.Clone(k.Readings), func(r Reading) bool { return r.Key != key })
	out.Sources = slices.DeleteFunc(slices.Clone(k.Sources), func(s Source) bool {
		return !slices.ContainsFunc(out.Readings, func(r Reading) bool { return r.Source == s.Key })
	})
	return &out
}

// PartsOf returns the row discovery for a kind of part.
func (k *Kit) PartsOf(kind string) (Parts, bool) {
	for _, p := range k.Parts {
		if p.Kind == kind {
			return p, true
		}
	}
	return Parts{}, false
}

// Formula is the way from the columns of a source to a reading.
func (k *Kit) Formula(r Reading, src Source) *derive.Formula {
	f := &derive.Formula{Steps: src.steps[r.Key], Since: -1, Every: src.Every, Can: r.Can(), Unit: r.Unit, State: len(r.Codes) > 0}
	if p, ok := k.PartsOf(r.Of); ok && p.Since != "" {
		f.Since = src.Column(p.Since)
	}
	for _, name := range r.Value {
		f.Columns = append(f.Columns, src.Column(name))
	}
	for _, i := range r.Instead {
		f.Instead = append(f.Instead, derive.Instead{Column: src.Column(i.Column), Says: i.Says, Value: i.Value})
	}
	return f
}

// StoredEvery is the longest time between two stored values of a reading while all goes well.
func (r Reading) StoredEvery(src Source) time.Duration { return max(r.Heartbeat, src.Every) }

// Counts tells whether a value takes two looks at a counter.
func (r Reading) Counts() bool {
	return slices.ContainsFunc(r.Steps, counts)
}
