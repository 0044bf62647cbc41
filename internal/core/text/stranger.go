package text

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Legible tells whether a text can be kept: the database takes no other.
func Legible(s string) bool { return utf8.ValidString(s) && !strings.ContainsRune(s, 0) }

// Printable tells whether all of a name can be seen: no line breaks, and nothing that turns the
// direction of what follows.
func Printable(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, func(r rune) bool { return !unicode.IsPrint(r) })
}

// Brief is a text of a stranger on one line, without what cannot be kept or shown, of at
// most so many bytes.
func Brief(s string, most int) string {
	if len(s) > 4*most { // no more of it is needed, however much there is
		s = s[:4*most]
	}
	s = strings.Map(func(r rune) rune {
		if unicode.IsSpace(r) || !unicode.IsPrint(r) {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(s, "\uFFFD"))
	s = strings.Join(strings.Fields(s), " ")
	if len(s) <= most {
		return s
	}
	s = s[:most]
	for !utf8.ValidString(s) {
		s = s[:len(s)-1]
	}
	return s
}
