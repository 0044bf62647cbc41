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

func TestList(t *testing.T) {
	assert.Equal(t, "", List(nil, "or"))
	assert.Equal(t, "a", List([]string{"a"}, "or"))
	assert.Equal(t, "a or b", List([]string{"a", "b"}, "or"))
	assert.Equal(t, "a, b and c", List([]string{"a", "b", "c"}, "and"))
}
