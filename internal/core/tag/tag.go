// Package tag is words that people give to things, to find, tell and assign by.
package tag

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"tirelessowl/internal/domain"
)

// Most is how many tags one thing may have of itself.
const Most = 20

// Valid tells whether a tag, or the name of an attribute, may be called so.
func Valid(name string) bool {
	n := utf8.RuneCountInString(name)
	tidy := Printable(name) && !strings.ContainsAny(name, "=#,") && strings.TrimSpace(name) == name
	return n > 0 && n <= domain.MostAttributeName && tidy
}

// Printable tells whether a text is one line that can be shown.
func Printable(s string) bool {
	return utf8.ValidString(s) && !strings.ContainsFunc(s, func(r rune) bool { return !unicode.IsPrint(r) })
}

// Read reads tags as people type them, with commas between, each with or without a #. The
// problem is in words.
func Read(typed string) (tags []string, problem string) {
	for name := range strings.SplitSeq(typed, ",") {
		name = strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(name), "#"))
		if name == "" {
			continue
		}
		if !Valid(name) {
			const told = "“%s” is no tag: one has 1 to %d characters, without = # and commas."
			return nil, fmt.Sprintf(told, clipped(name), domain.MostAttributeName)
		}
		tags = append(tags, name)
	}
	if tags = Union(tags); len(tags) > Most {
		return nil, fmt.Sprintf("At most %d tags.", Most)
	}
	return tags, ""
}

func clipped(s string) string {
	if r := []rune(strings.ToValidUTF8(s, "")); len(r) > domain.MostAttributeName {
		return string(r[:domain.MostAttributeName]) + "…"
	}
	return s
}

// Union is all tags, each once and in order.
func Union(sets ...[]string) []string {
	out := slices.Concat(sets...)
	slices.Sort(out)
	return slices.Compact(out)
}

// Shared is the first tag that is in both sets, empty for none.
func Shared(a, b []string) string {
	for _, name := range a {
		if slices.Contains(b, name) {
			return name
		}
	}
	return ""
}
