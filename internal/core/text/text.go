// Package text writes words and numbers the same way everywhere.
package text

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// UpperFirst begins a text with a capital.
func UpperFirst(s string) string {
	first, size := utf8.DecodeRuneInString(s)
	if size == 0 {
		return s
	}
	return string(unicode.ToUpper(first)) + s[size:]
}

// Count writes a number with its noun: 1 device, 2 devices, 1,200 addresses.
// The plural adds an s, or is given.
func Count(n int64, one string, many ...string) string {
	if n == 1 {
		return "1 " + one
	}
	if len(many) > 0 {
		return Thousands(n) + " " + many[0]
	}
	return Thousands(n) + " " + one + "s"
}

// Thousands writes a whole number with separators.
func Thousands(n int64) string {
	sign := ""
	digits := fmt.Sprint(n)
	if n < 0 {
		sign, digits = "−", digits[1:]
	}
	for i := len(digits) - 3; i > 0; i -= 3 {
		digits = digits[:i] + "," + digits[i:]
	}
	return sign + digits
}

// Near tells whether what somebody typed is a part of a text, in any case, or nearly the
// beginning of one of its words: with four characters or more one of them may be wrong,
// missing or too many.
func Near(typed, text string) bool {
	typed, text = strings.ToLower(strings.TrimSpace(typed)), strings.ToLower(text)
	if strings.Contains(text, typed) {
		return true
	}
	if utf8.RuneCountInString(typed) < 4 {
		return false
	}
	return slices.ContainsFunc(strings.Fields(text), func(word string) bool { return nearly([]rune(typed), []rune(word)) })
}

// Mended puts words of a vocabulary in the place of those that are nearly so, and no part of
// any word of it: what is right, or unlike all of them, stays.
func Mended(typed string, vocabulary []string) string {
	return letters.ReplaceAllStringFunc(strings.ToLower(typed), func(word string) string {
		best := ""
		for _, known := range vocabulary {
			if strings.Contains(known, word) {
				return word
			}
			if utf8.RuneCountInString(word) >= 4 && nearly([]rune(word), []rune(known)) && (best == "" || len(known) < len(best)) {
				best = known
			}
		}
		return cmp.Or(best, word)
	})
}

var letters = regexp.MustCompile(`\pL+`)

// nearly tells whether at most one edit makes one text the beginning of another.
func nearly(a, b []rune) bool {
	for i := range a {
		if i < len(b) && a[i] == b[i] {
			continue
		}
		rest := b[min(i, len(b)):]
		return begins(a[i+1:], rest) || begins(a[i:], skip(rest)) || begins(a[i+1:], skip(rest)) ||
			len(rest) > 1 && i+1 < len(a) && a[i] == rest[1] && a[i+1] == rest[0] && begins(a[i+2:], rest[2:])
	}
	return true
}

func skip(rest []rune) []rune { return rest[min(1, len(rest)):] }

func begins(a, b []rune) bool { return len(a) <= len(b) && slices.Equal(a, b[:len(a)]) }

// Some names the first of several, and how many there are besides.
func Some(names []string, most int) string {
	if len(names) <= most {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %s more", strings.Join(names[:most], ", "), Thousands(int64(len(names)-most)))
}

// List joins words as a sentence does: a, b or c.
func List(words []string, last string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " " + last + " " + words[len(words)-1]
}
