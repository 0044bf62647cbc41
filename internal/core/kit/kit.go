// Package kit defines reusable sets of readings, row discoveries, rules and
// charts, reads them from files, and works out where they fit and what they cost.
package kit

import (
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// Kit is one aspect of one kind of thing.
type Kit struct {
	Name    string
	Title   string
	About   string
	Version int
	// Needs are the facts that a device must show for the kit to fit, as a
	// sweep learns them: "answers:snmp", "mib:interfaces", …
	Needs      []string
	Parameters []Parameter
	Sources    []Source
	Parts      []Parts
	Readings   []Reading
	Rules      []rule.Rule
	Charts     []Chart
}

// Parameter is a setting that may be changed where the kit is fitted.
type Parameter struct {
	Name    string
	About   string
	Default string
	Choices []string
}

// Source is one fetch that feeds many readings. Exactly one of Probe, Get
// and Walk is used.
type Source struct {
	Key   string
	Every time.Duration
	Probe *Probe
	Get   []Column
	Walk  []Column
}

// Columns returns the columns that a fetch brings, in order.
func (s Source) Columns() []Column {
	switch {
	case s.Probe != nil:
		return ProbeColumns
	case len(s.Get) > 0:
		return s.Get
	}
	return s.Walk
}

// Column returns the place of a column, or -1.
func (s Source) Column(name string) int {
	for i, c := range s.Columns() {
		if c.As == name {
			return i
		}
	}
	return -1
}

// Column names one object of a device.
type Column struct {
	As  string
	OID string
}

// Probe asks a device several times whether it answers, and how fast.
type Probe struct {
	Count   int
	Timeout time.Duration
}

// ProbeColumns are what a probe brings: mean answer time in seconds, and the
// share of lost requests in %.
var ProbeColumns = []Column{{As: "time"}, {As: "loss"}}

// Parts is a row discovery: it makes parts from the rows of a source.
type Parts struct {
	Kind   string
	Title  string
	Source string
	// Key and Name list columns; the first that is not empty is used. The
	// key is the identity of the part: it survives re-indexing.
	Key  []string
	Name []string
	Note string
	// Speed is the column with the highest possible rate, times SpeedScale
	// in bit/s; used to tell a counter's wrap from its reset.
	Speed      string
	SpeedScale float64
	Filter     Filter
}

// Filter picks rows by the values of their columns.
type Filter struct {
	Only     map[string][]string
	LeaveOut map[string][]string
}

// Reading says what is stored.
type Reading struct {
	Key   string
	Name  string
	About string
	Unit  string
	// Of is the kind of part that has this reading; empty for the device.
	Of      string
	Source  string
	Value   []string
	Rate    bool
	Times   string
	Percent string
	Scale   float64
	Filter  Filter
	Over    derive.Over
	Codes   map[int]string
	// Text is true for a reading whose values are texts.
	Text bool
	// Reach marks the reading that tells whether the device answers at all.
	Reach bool
	// Always is true for a reading that is stored when there is no answer
	// too (the loss is 100 % then).
	Always bool
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

// Chart is a set of readings drawn together.
type Chart struct {
	Title    string
	Readings []string
}

// Source returns the source with the given key; ok is false if there is none.
func (k *Kit) Source(key string) (Source, bool) {
	for _, s := range k.Sources {
		if s.Key == key {
			return s, true
		}
	}
	return Source{}, false
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

// PartsOf returns the row discovery for a kind of part.
func (k *Kit) PartsOf(kind string) (Parts, bool) {
	for _, p := range k.Parts {
		if p.Kind == kind {
			return p, true
		}
	}
	return Parts{}, false
}

// Formula compiles a reading against its source's columns.
func (k *Kit) Formula(r Reading) derive.Formula {
	src, _ := k.Source(r.Source)
	f := derive.Formula{Rate: r.Rate, Times: -1, PercentOf: -1, Scale: r.Scale}
	for _, name := range r.Value {
		f.Columns = append(f.Columns, src.Column(name))
	}
	if r.Times != "" {
		f.Times = src.Column(r.Times)
	}
	if r.Percent != "" {
		f.PercentOf = src.Column(r.Percent)
	}
	return f
}

// Keeps tells whether a row passes the filter.
func (f Filter) Keeps(src Source, row derive.Row) bool {
	cell := func(name string) string {
		if i := src.Column(name); i >= 0 && i < len(row.Values) {
			return row.Values[i].String()
		}
		return ""
	}
	for name, allowed := range f.Only {
		if !contains(allowed, cell(name)) {
			return false
		}
	}
	for name, refused := range f.LeaveOut {
		if contains(refused, cell(name)) {
			return false
		}
	}
	return true
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}
