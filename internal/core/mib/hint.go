package mib

import (
	"math/big"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Display hints (RFC 2579, section 3.1).

// hintInteger writes a whole number: d, o, b or x, and after d-N with N decimals.
func hintInteger(hint string, n int64) (text string, ok bool) {
	switch {
	case hint == "x":
		return strconv.FormatInt(n, 16), true
	case hint == "o":
		return strconv.FormatInt(n, 8), true
	case hint == "b":
		return strconv.FormatInt(n, 2), true
	case hint == "d":
		return strconv.FormatInt(n, 10), true
	}
	places, ok := Decimals(hint)
	if !ok {
		return "", false
	}
	sign, digits := "", strconv.FormatInt(n, 10)
	if n < 0 {
		sign, digits = "-", digits[1:]
	}
	if len(digits) <= places {
		digits = strings.Repeat("0", places+1-len(digits)) + digits
	}
	return sign + digits[:len(digits)-places] + "." + digits[len(digits)-places:], true
}

// mostDecimals is more than any object has.
const mostDecimals = 18

// Decimals is how many digits stand behind the point by a hint such as d-2; ok is false for
// other hints.
func Decimals(hint string) (places int, ok bool) {
	rest, ok := strings.CutPrefix(hint, "d-")
	if !ok {
		return 0, false
	}
	places, err := strconv.Atoi(rest)
	return places, err == nil && places > 0 && places <= mostDecimals
}

// octetForm is one part of a hint for bytes.
type octetForm struct {
	repeat     bool // the first byte says how often
	length     int
	format     byte // d, x, o, a or t
	separator  byte // 0 for none
	terminator byte // 0 for none
}

// hintBytes writes bytes by a hint; ok is false where it is none that can be read.
func hintBytes(hint string, b []byte) (text string, ok bool) {
	forms, ok := octetForms(hint)
	if !ok {
		return "", false
	}
	var out strings.Builder
	for i := 0; len(b) > 0; i++ {
		form := forms[min(i, len(forms)-1)] // the last one goes on to the end
		times := 1
		if form.repeat {
			times, b = int(b[0]), b[1:]
		}
		taken := 0
		for left := times; left > 0 && len(b) > 0; left-- {
			n := min(form.length, len(b))
			out.WriteString(form.write(b[:n]))
			b = b[n:]
			taken += n
			if form.separator != 0 && len(b) > 0 && (left > 1 || form.terminator == 0) {
				out.WriteByte(form.separator)
			}
		}
		if form.terminator != 0 && len(b) > 0 {
			out.WriteByte(form.terminator)
		}
		if taken == 0 && !form.repeat && i >= len(forms)-1 { // a form of no bytes would go on for ever
			break
		}
	}
	return out.String(), true
}

func octetForms(hint string) (out []octetForm, ok bool) {
	for i := 0; i < len(hint); {
		var f octetForm
		if hint[i] == '*' {
			f.repeat = true
			i++
		}
		start := i
		for i < len(hint) && hint[i] >= '0' && hint[i] <= '9' {
			i++
		}
		n, err := strconv.Atoi(hint[start:i])
		if err != nil || n > 65535 || i >= len(hint) || !strings.ContainsRune("dxoat", rune(hint[i])) {
			return nil, false
		}
		f.length, f.format = n, hint[i]
		i++
		if i < len(hint) && isSeparator(hint[i]) {
			f.separator = hint[i]
			i++
			if f.repeat && i < len(hint) && isSeparator(hint[i]) {
				f.terminator = hint[i]
				i++
			}
		}
		out = append(out, f)
	}
	return out, len(out) > 0
}

func isSeparator(c byte) bool { return c != '*' && (c < '0' || c > '9') }

func (f octetForm) write(b []byte) string {
	switch f.format {
	case 'a':
		return string(b)
	case 't':
		if utf8.Valid(b) {
			return string(b)
		}
		return hexadecimal(b, "")
	case 'x':
		return hexadecimal(b, "")
	case 'o':
		return new(big.Int).SetBytes(b).Text(8)
	}
	return new(big.Int).SetBytes(b).String()
}
