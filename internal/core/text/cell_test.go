package text

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCellsAreNoFormulas(t *testing.T) {
	for s, cell := range map[string]string{
		"":                  "",
		"gr-sw-1":           "gr-sw-1",
		"=1+1":              "'=1+1",
		"+47 22":            "'+47 22",
		"-5":                "'-5",
		"@x":                "'@x",
		"\t=1":              "'\t=1",
		"'=1":               "''=1", // so that it comes back as it was
		"'tis":              "'tis",
		"a=1":               "a=1",
		"'":                 "'",
		"=cmd|' /C calc'!A": "'=cmd|' /C calc'!A",
	} {
		assert.Equal(t, cell, Cell(s), s)
		assert.Equal(t, s, FromCell(cell), cell)
	}
	assert.Equal(t, []string{"a", "'=b"}, Cells("a", "=b"))
}

func FuzzCell(f *testing.F) {
	f.Add("''=1")
	f.Fuzz(func(t *testing.T, s string) {
		if got := FromCell(Cell(s)); got != s {
			t.Fatalf("%q became %q", s, got)
		}
	})
}
