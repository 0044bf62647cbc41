// Package text writes words and numbers the same way everywhere.
package text

import (
	"fmt"
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

// List joins words as a sentence does: a, b or c.
func List(words []string, last string) string {
	if len(words) < 2 {
		return strings.Join(words, "")
	}
	return strings.Join(words[:len(words)-1], ", ") + " " + last + " " + words[len(words)-1]
}
