package database

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/way"
)

// absent is the first column that is asked for and does not come; empty where all come. The shape of a result is never
// guessed.
func absent(asked []way.Column, came []string) string {
	for _, c := range asked {
		if name := strings.TrimPrefix(c.Of, counted); name[0] != '@' && !slices.Contains(came, name) {
			return name
		}
	}
	return ""
}

// rows are all rows in the order of the columns that are asked for. Where there are several, the first column of the
// statement names them.
func (a answer) rows(columns []way.Column) (out []derive.Row, err error) {
	seen := map[string]bool{}
	for i := range a.table.Rows {
		row := a.row(columns, i)
		if row.Index = instance(a.table.Rows[i]); seen[row.Index] && len(a.table.Rows) > 1 {
			return nil, fmt.Errorf("two rows begin with “%s”: the first column must name each row", row.Index)
		}
		seen[row.Index] = true
		out = append(out, row)
	}
	if len(out) == 1 && !named(columns, a.table) {
		out[0].Index = ""
	}
	return out, nil
}

// named tells whether the first column of a statement is asked for: then it names rows, be it only one.
func named(columns []way.Column, t way.Table) bool {
	return len(t.Columns) > 0 && slices.ContainsFunc(columns, func(c way.Column) bool { return c.Of == t.Columns[0] })
}

// mostName bounds the name of a row, in characters.
const mostName = 200

func instance(row []derive.Value) string {
	if len(row) == 0 {
		return ""
	}
	return text.Brief(row[0].String(), mostName)
}

// row has the values of a row in the order of columns; what did not come is missing.
func (a answer) row(columns []way.Column, i int) derive.Row {
	row := derive.Row{Values: make([]derive.Value, len(columns))}
	for at, c := range columns {
		switch c.Of {
		case ofVerdict:
			row.Values[at] = derive.Value{Kind: derive.Gauge, Num: float64(a.Verdict)}
		case ofSays:
			row.Values[at] = derive.Value{Kind: derive.Text, Text: a.Says}
		default:
			row.Values[at] = a.value(c.Of, i)
		}
	}
	return row
}

func (a answer) value(of string, i int) derive.Value {
	if n, is := a.Numbers[of]; is {
		return derive.Value{Kind: derive.Gauge, Num: n}
	}
	name, counts := strings.CutPrefix(of, counted)
	at := slices.Index(a.table.Columns, name)
	if at < 0 || i >= len(a.table.Rows) || at >= len(a.table.Rows[i]) {
		return derive.Value{}
	}
	v := a.table.Rows[i][at]
	if n, is := v.Number(); counts && is && n >= 0 && n < math.MaxUint64 {
		return derive.Value{Kind: derive.Counter64, Count: uint64(n)}
	}
	return v
}

// mostText bounds a text, in bytes.
const mostText = 4096

// Number is a value that a server wrote as a number; a text where it is none, and nothing where it is not a number.
func Number(s string) derive.Value {
	n, err := strconv.ParseFloat(s, 64)
	switch {
	case err != nil:
		return Text(s)
	case math.IsNaN(n) || math.IsInf(n, 0):
		return derive.Value{}
	}
	return derive.Value{Kind: derive.Gauge, Num: n}
}

// Text is a value that a server wrote as a text.
func Text(s string) derive.Value {
	return derive.Value{Kind: derive.Text, Text: strings.ToValidUTF8(s[:min(len(s), mostText)], "\ufffd")}
}

// Truth is a value that is true or false, as 1 or 0.
func Truth(is bool) derive.Value {
	if is {
		return derive.Value{Kind: derive.Gauge, Num: 1}
	}
	return derive.Value{Kind: derive.Gauge}
}
