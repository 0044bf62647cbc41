package kit

import (
	"fmt"
	"strings"

	"tirelessowl/internal/core/derive"
)

// Balance is a way to make a reading of the device from several rows of a
// table, or from one of several objects. Devices tell the same thing in several
// forms: the first balance whose terms are all there is used, and said.
//
//	value = (Σ add − Σ less) × scale           without per
//	value = (Σ add − Σ less) ÷ Σ per × 100     with per, in %
type Balance struct {
	// Says is what it counts, in words.
	Says  string
	Add   []Term
	Less  []Term
	Per   []Term
	Scale float64
}

// Term is a column in the rows that a filter picks, summed.
type Term struct {
	Column string
	Only   map[string][]string
	// Optional counts as zero where no row has it.
	Optional bool
}

// Balanced makes the value of a reading by the first of its balances that the
// rows allow, and tells which.
func (r Reading) Balanced(src Source, rows []derive.Row) (taken derive.Taken, says string) {
	var absent []string
	for _, b := range r.FirstOf {
		value, missing, ok := b.value(src, rows)
		if missing != "" {
			absent = append(absent, missing)
			continue
		}
		if !ok {
			return derive.Taken{Problem: "the total is zero"}, b.Says
		}
		if problem := r.Can().Problem(value, r.Unit); problem != "" {
			return derive.Taken{Value: value, Problem: problem, Implausible: true}, b.Says
		}
		return derive.Taken{Value: value, OK: true}, b.Says
	}
	return derive.Taken{Problem: "the device does not give " + strings.Join(absent, ", nor "), Absent: true}, ""
}

// value computes the balance; missing names the first term that is not there.
func (b Balance) value(src Source, rows []derive.Row) (value float64, missing string, ok bool) {
	add, missing := total(src, rows, b.Add)
	if missing != "" {
		return 0, missing, false
	}
	less, missing := total(src, rows, b.Less)
	if missing != "" {
		return 0, missing, false
	}
	per, missing := total(src, rows, b.Per)
	if missing != "" {
		return 0, missing, false
	}
	if len(b.Per) == 0 {
		return (add - less) * b.Scale, "", true
	}
	if per <= 0 {
		return 0, "", false
	}
	return derive.Significant((add - less) / per * 100), "", true
}

func total(src Source, rows []derive.Row, terms []Term) (sum float64, missing string) {
	for _, t := range terms {
		found, column, only := t.Optional, src.Column(t.Column), Filter{Only: t.Only}
		for _, row := range rows {
			if column < 0 || column >= len(row.Values) || !only.Keeps(src, row) {
				continue
			}
			if v, ok := row.Values[column].Number(); ok {
				sum, found = sum+v, true
			}
		}
		if !found {
			return 0, t.String()
		}
	}
	return sum, ""
}

// String names a term as a kit writes it.
func (t Term) String() string {
	for _, values := range t.Only {
		return fmt.Sprintf("%s of “%s”", t.Column, strings.Join(values, "” or “"))
	}
	return t.Column
}

// columns are those that the balance looks at.
func (b Balance) columns() (out []string) {
	for _, terms := range [][]Term{b.Add, b.Less, b.Per} {
		for _, t := range terms {
			out = append(append(out, t.Column), Filter{Only: t.Only}.Columns()...)
		}
	}
	return out
}
