package derive

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// MaxText is the longest text that is kept, in bytes.
const MaxText = 4096

// CleanText takes away what cannot be stored or shown: bytes that are no UTF-8,
// control characters, spaces around, and what is beyond MaxText.
func CleanText(text string) string {
	text = strings.Map(func(r rune) rune {
		if r != '\n' && unicode.IsControl(r) {
			return ' '
		}
		return r
	}, strings.ToValidUTF8(text, "\uFFFD"))
	text = strings.TrimSpace(text)
	if len(text) <= MaxText {
		return text
	}
	text = text[:MaxText]
	for !utf8.ValidString(text) {
		text = text[:len(text)-1]
	}
	return text
}
