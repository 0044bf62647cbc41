package ports

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	for text, want := range map[string][]int{
		"":                      nil,
		" 443, 22 ":             {22, 443},
		"8000-8003 22;22,\n":    {22, 8000, 8001, 8002, 8003},
		"1 65535":               {1, 65535},
		"1-64":                  rangeOf(1, 64),
		"1-64, 64, 1-2, 3 4 5,": rangeOf(1, 64),
	} {
		got, err := Read(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
	for _, text := range []string{"0", "65536", "22-", "-22", "9-8", "ssh", "1-65", "1-64 65", "22.5", strings.Repeat("9", 500)} {
		_, err := Read(text)
		require.Error(t, err, text)
		assert.Less(t, len(err.Error()), 100)
	}
}

func rangeOf(from, to int) (out []int) {
	for p := from; p <= to; p++ {
		out = append(out, p)
	}
	return out
}
