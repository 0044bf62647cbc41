package guard

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/ranges"
)

func read(t *testing.T, text string) ranges.Set {
	t.Helper()
	set, err := ranges.Read(text)
	require.NoError(t, err)
	return set
}

func TestWhatMayBeTalkedTo(t *testing.T) {
	g := New(read(t, "127.7.0.0/16, fe80::7"), read(t, "192.0.2.9, 2001:db8::9"))
	for text, refusal := range map[string]string{
		"192.0.2.8":          "",
		"10.1.2.3":           "", // private networks are what is watched
		"2001:db8::8":        "",
		"127.0.0.1":          "this machine",
		"127.255.255.255":    "this machine",
		"127.7.3.1":          "",
		"::1":                "this machine",
		"::ffff:127.0.0.1":   "this machine",
		"::ffff:192.0.2.9":   "this machine",
		"192.0.2.9":          "this machine",
		"2001:db8::9":        "this machine",
		"0.0.0.0":            "no address",
		"0.1.2.3":            "no address",
		"::":                 "no address",
		"169.254.169.254":    "link-local",
		"fe80::1":            "link-local",
		"fe80::1%eth0":       "link-local",
		"fe80::7":            "",
		"224.0.0.1":          "multicast",
		"239.255.255.250":    "multicast",
		"ff02::1":            "multicast",
		"255.255.255.255":    "broadcast",
		"::ffff:169.254.1.1": "link-local",
	} {
		a := netip.MustParseAddr(text)
		got := g.Refusal(a)
		if refusal == "" {
			assert.Empty(t, got, text)
			continue
		}
		assert.Contains(t, got, refusal, text)
		assert.Contains(t, Guard{}.Refusal(a)+got, refusal, text)
	}
	assert.NotEmpty(t, g.Refusal(netip.Addr{}))
	assert.NotEmpty(t, Guard{}.Refusal(netip.MustParseAddr("127.7.3.1")), "nothing is allowed by itself")
}

// Of a set the same is said as of each of its addresses.
func TestWhatMayBeSwept(t *testing.T) {
	g := New(read(t, "127.7.0.0/16"), read(t, "192.0.2.9"))
	for text, first := range map[string]string{
		"192.0.2.0/29":                   "",
		"192.0.2.0/28":                   "192.0.2.9",
		"127.7.0.0/24":                   "",
		"127.6.255.255-127.7.0.9":        "127.6.255.255",
		"169.254.0.0/24, 192.0.2.1":      "169.254.0.0",
		"223.255.255.250-224.0.0.5":      "224.0.0.0",
		"10.0.0.0/24 10.0.1.0/24":        "",
		"":                               "",
		"::ffff:127.0.0.1":               "127.0.0.1",
		"192.0.2.1 ::ffff:169.254.0.7":   "169.254.0.7",
		"255.255.255.240/28":             "255.255.255.255",
		"fe7f:ffff::/32, fe80::-fe80::9": "fe80::",
	} {
		a, refusal, ok := g.RefusalOf(read(t, text))
		if first == "" {
			assert.True(t, ok, text)
			continue
		}
		assert.False(t, ok, text)
		assert.NotEmpty(t, refusal, text)
		assert.Equal(t, first, a.String(), text)
		assert.NotEmpty(t, g.Refusal(a), text)
	}
}
