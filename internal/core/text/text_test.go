package text

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestUpperFirst(t *testing.T) {
	for in, want := range map[string]string{"": "", "fine": "Fine", "ünknown": "Ünknown", "7 d": "7 d", "⚓": "⚓"} {
		assert.Equal(t, want, UpperFirst(in))
	}
}

func TestCount(t *testing.T) {
	assert.Equal(t, "0 devices", Count(0, "device"))
	assert.Equal(t, "1 device", Count(1, "device"))
	assert.Equal(t, "1,200 addresses", Count(1200, "address", "addresses"))
	assert.Equal(t, "1 address", Count(1, "address", "addresses"))
}

func TestThousands(t *testing.T) {
	for n, want := range map[int64]string{
		0: "0", 999: "999", 1000: "1,000", 123456: "123,456", 1234567: "1,234,567", -5: "−5", -1000: "−1,000",
	} {
		assert.Equal(t, want, Thousands(n))
	}
}

func TestNearForgivesOneError(t *testing.T) {
	for typed, near := range map[string]bool{
		"channels":        true,
		"CHANN":           true,
		"chanels":         true, // one is missing
		"channnels":       true, // one too many
		"chamnels":        true, // one is wrong
		"hcannels":        true, // two changed places
		"credetnials":     true,
		"chaXXels":        false,
		"chx":             false, // too short to guess
		"":                true,
		"channelsandmore": false,
	} {
		assert.Equal(t, near, Near(typed, "Channels and credentials"), typed)
	}
}

func TestMendedWords(t *testing.T) {
	vocabulary := []string{"booking", "bookings", "harbour", "edge"}
	for typed, mended := range map[string]string{
		"bookng-db-1":   "booking-db-1",
		"bokoing":       "booking",
		"Harbuor crane": "harbour crane",
		"book":          "book", // a part of a word
		"edg":           "edg",
		"xyzzy":         "xyzzy",
		"bkng":          "bkng", // two are missing
		"":              "",
	} {
		assert.Equal(t, mended, Mended(typed, vocabulary), typed)
	}
}

func TestList(t *testing.T) {
	assert.Equal(t, "", List(nil, "or"))
	assert.Equal(t, "a", List([]string{"a"}, "or"))
	assert.Equal(t, "a or b", List([]string{"a", "b"}, "or"))
	assert.Equal(t, "a, b and c", List([]string{"a", "b", "c"}, "and"))
}

func TestPrintable(t *testing.T) {
	for s, want := range map[string]bool{"Süd-Pier 3": true, "a\nb": false, "a\u202eb": false, "\xff": false, "": true} {
		assert.Equal(t, want, Printable(s), "%q", s)
	}
}
