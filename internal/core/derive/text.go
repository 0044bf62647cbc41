package derive

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// MaxText is the longest text that is kept, in bytes.
const MaxText = 4096

// Text returns the value of one row as a text, fit to be stored; ok is false
// when the row has none, and the problem tells why.
func (f Formula) Text(row Row) (text string, ok bool, problem string) {
	raw, found := f.raw(row)
	if !found {
		return "", false, "the device does not give this value"
	}
	return CleanText(raw.String()), true, ""
}

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
