package kit

import (
	"maps"
	"math"
	"slices"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
)

// Filter picks rows by the values of their columns.
type Filter struct {
	Only     map[string][]string
	LeaveOut map[string][]string
	// Where is a condition that a row must meet, too; nil where there is none.
	Where *condition.Condition
}

// where compiles a condition over the columns of a source that say what they are.
func (k *Kit) where(source, text string) (*condition.Condition, error) {
	if text == "" {
		return nil, nil
	}
	src, _ := k.Source(source)
	var columns []condition.Column
	for _, c := range src.columns {
		if c.Is != "" {
			columns = append(columns, condition.Column{Name: c.As, Kind: c.Is})
		}
	}
	return condition.Compile(text, columns)
}

// Columns are those that the filter looks at.
func (f Filter) Columns() []string {
	out := slices.AppendSeq(slices.Collect(maps.Keys(f.Only)), maps.Keys(f.LeaveOut))
	if f.Where != nil {
		for _, c := range f.Where.Columns() {
			out = append(out, c.Name)
		}
	}
	return out
}

// Keeps tells whether a row passes the filter.
func (f Filter) Keeps(src Source, row derive.Row) bool {
	keeps, _ := f.Decide(src, row)
	return keeps
}

// Decide tells whether a row passes the filter, and why. A row of which its condition cannot be
// decided is left out, and it is said why; the other rows go on.
func (f Filter) Decide(src Source, row derive.Row) (keeps bool, because string) {
	value := func(name string) derive.Value {
		if i := src.Column(name); i >= 0 && i < len(row.Values) {
			return row.Values[i]
		}
		return derive.Value{}
	}
	for name, allowed := range f.Only {
		if !slices.Contains(allowed, value(name).String()) {
			return false, name + " is " + value(name).String()
		}
	}
	for name, refused := range f.LeaveOut {
		if slices.Contains(refused, value(name).String()) {
			return false, name + " is " + value(name).String()
		}
	}
	if f.Where == nil {
		return true, ""
	}
	keeps, because, err := f.Where.Holds(func(name string) (any, bool) { return asked(src.columns[src.Column(name)], value(name)) })
	if err != nil {
		return false, err.Error()
	}
	return keeps, because
}

// asked is a value as a condition sees it.
func asked(c way.Column, v derive.Value) (any, bool) {
	if v.Kind == derive.Missing {
		return nil, false
	}
	switch c.Is {
	case condition.Text:
		return v.String(), true
	case condition.Real:
		return v.Number()
	}
	switch v.Kind {
	case derive.Counter32, derive.Counter64:
		return condition.Counted(v.Count), true
	}
	n, ok := v.Number()
	if !ok || n != math.Trunc(n) || math.Abs(n) >= 1<<63 {
		return nil, false
	}
	return int64(n), true
}
