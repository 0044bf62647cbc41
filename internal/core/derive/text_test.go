package derive

import (
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

func TestTextsAreFitToBeStored(t *testing.T) {
	f := plain(0)
	for in, want := range map[string]string{
		"release 6.2":                   "release 6.2",
		"  two\r\nlines\t":              "two \nlines",
		"bad \xff byte":                 "bad \uFFFD byte",
		"nul\x00in it":                  "nul in it",
		"":                              "",
		strings.Repeat("ü", 3000):       strings.Repeat("ü", MaxText/2),
		"x" + strings.Repeat("ü", 3000): "x" + strings.Repeat("ü", MaxText/2-1),
	} {
		got, ok, problem := f.Text(of(Fetched{}, Row{Values: []Value{{Kind: Text, Text: in}}}, nil, 0))
		assert.True(t, ok)
		assert.Empty(t, problem)
		assert.Equal(t, want, got)
		assert.True(t, utf8.ValidString(got))
	}
	got, _, _ := f.Text(of(Fetched{}, Row{Values: []Value{num(42)}}, nil, 0))
	assert.Equal(t, "42", got, "a number may be kept as a text")
	_, ok, problem := f.Text(of(Fetched{}, Row{Values: []Value{{}}}, nil, 0))
	assert.False(t, ok)
	assert.Contains(t, string(problem), "does not give")
}

func TestTextsAreCutWhereTheyAreTooLong(t *testing.T) {
	whole := strings.Repeat("x", MaxText)
	assert.Equal(t, whole, CleanText(whole))
	assert.Equal(t, whole, CleanText(whole+"y"))
	assert.Equal(t, strings.Repeat("x", MaxText-1), CleanText(strings.Repeat("x", MaxText-1)+"⚓"), "never within a letter")
}
