package ranges

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhatIsLeftOut(t *testing.T) {
	for _, c := range []struct{ text, in, out string }{
		{"10.0.0.0/8", "10.255.255.255", "11.0.0.0"},
		{"10.0.0.0/8 but 10.3.0.0/16", "10.2.255.255", "10.3.0.0"},
		{"10.0.0.0/8\nbut\n10.3.0.0/16, 10.5.0.1", "10.5.0.2", "10.5.0.1"},
		{"any but 10.3.0.0/16", "2001:db8::1", "10.3.255.255"},
		{"ANY BUT 2001:db8::/32", "255.255.255.255", "2001:db8::1"},
		{" any ", "::", ""},
		{"10.0.0.0/8 but", "10.0.0.0", "9.255.255.255"},
	} {
		set, err := ReadBut(c.text)
		require.NoError(t, err, c.text)
		assert.True(t, set.Contains(netip.MustParseAddr(c.in)), c.text)
		if c.out != "" {
			assert.False(t, set.Contains(netip.MustParseAddr(c.out)), c.text)
		}
	}
}

func TestWhatIsLeftOutMustBeReadable(t *testing.T) {
	for _, text := range []string{
		"10.0.0.0/8 but x", "x but 10.0.0.0/8", "any, 10.0.0.0/8", "10.0.0.0/8 but any", "any but 10.0.0.0/8 but 10.1.0.0/16",
	} {
		_, err := ReadBut(text)
		assert.Error(t, err, text)
	}
	for _, text := range []string{"", "but 10.0.0.0/8", "10.0.0.0/8 but 0.0.0.0/0"} {
		set, err := ReadBut(text)
		require.NoError(t, err)
		assert.Empty(t, set.Ranges(), text)
	}
}
