package text

import "strings"

// What programs for tables take for a formula when a cell begins with it.
const formulas = "=+-@\t\r"

// Cell writes a text so that programs for tables show it, and do not work it out: names
// come from devices and strangers. An apostrophe before it does that; FromCell takes it away
// again.
func Cell(s string) string {
	if worked(s) {
		return "'" + s
	}
	return s
}

// FromCell is the text that Cell wrote.
func FromCell(s string) string {
	if rest, ok := strings.CutPrefix(s, "'"); ok && worked(rest) {
		return rest
	}
	return s
}

// worked tells whether a text would be worked out, be there apostrophes before it or not.
func worked(s string) bool {
	s = strings.TrimLeft(s, "'")
	return s != "" && strings.IndexByte(formulas, s[0]) >= 0
}

// Cells writes several.
func Cells(row ...string) []string {
	for i, s := range row {
		row[i] = Cell(s)
	}
	return row
}
