// Package page looks for texts in pages as they came: an expected text may be there, and yet broken up by markup
// or by the end of a line.
package page

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"
)

// between is what may stand between two characters of a text that is broken up.
const between = `(?:<[^>]*>|\s)*`

// glyph is a character of the text of a page, with where it stands in the page.
type glyph struct {
	r        rune
	from, to int
}

// readable is the text of a page: without its markup, any space as one.
func readable(raw string) (out []glyph) {
	for i := 0; i < len(raw); {
		if raw[i] == '<' {
			if end := strings.IndexByte(raw[i:], '>'); end > 0 {
				i += end + 1
				continue
			}
		}
		r, size := utf8.DecodeRuneInString(raw[i:])
		if unicode.IsSpace(r) {
			r = ' '
		}
		if r != ' ' || len(out) > 0 && out[len(out)-1].r != ' ' {
			out = append(out, glyph{r, i, i + size})
		}
		i += size
	}
	return out
}

// Broken finds a text that does not stand in a page as it is, but in what people read of it: broken up by markup or
// by line ends. It returns a pattern (RE2) that fits where it stands; ok is false where it is not there at all.
func Broken(raw, text string) (pattern string, ok bool) {
	want := []rune(strings.Join(strings.Fields(text), " "))
	if len(want) == 0 || strings.Contains(raw, text) {
		return "", false
	}
	all := readable(raw)
	for i := 0; i+len(want) <= len(all); i++ {
		if fits(all[i:], want) {
			return patternOf(all[i : i+len(want)]), true
		}
	}
	return "", false
}

func fits(all []glyph, want []rune) bool {
	for i, r := range want {
		if all[i].r != r {
			return false
		}
	}
	return true
}

// patternOf fits some characters with what stands between them.
func patternOf(found []glyph) string {
	var b strings.Builder
	for i, g := range found {
		broken := i > 0 && g.from > found[i-1].to
		switch {
		case g.r == ' ':
			b.WriteString(`(?:<[^>]*>|\s)+`)
		case broken && found[i-1].r != ' ':
			b.WriteString(between)
			fallthrough
		default:
			b.WriteString(regexp.QuoteMeta(string(g.r)))
		}
	}
	return b.String()
}
