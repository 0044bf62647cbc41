package text

import (
	"strings"
	"testing"
	"unicode/utf8"
)

func FuzzBrief(f *testing.F) {
	f.Add("a\x00b\n", 3)
	f.Fuzz(func(t *testing.T, s string, most int) {
		most = min(max(most, 0), 1000)
		got := Brief(s, most)
		if len(got) > most || !utf8.ValidString(got) || strings.ContainsAny(got, "\x00\n\r\t") {
			t.Fatalf("%q", got)
		}
	})
}
