package ranges

import (
	"math"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestParseCounts(t *testing.T) {
	for text, want := range map[string]int64{
		"192.0.2.7":                           1,
		"192.0.2.0/24":                        256,
		"192.0.2.9/24":                        256, // host bits are masked off
		"192.0.2.1-192.0.2.9":                 9,
		"192.0.2.0/25, 192.0.2.64/26":         128, // the second lies inside the first
		"192.0.2.0-192.0.2.5\n192.0.2.6/32":   7,   // neighbours are joined
		"198.51.100.1;192.0.2.1 198.51.100.1": 2,
		"2001:db8::/120":                      256,
		"2001:db8::1-2001:db8::f 192.0.2.1":   16,
		"127.0.0.0/8":                         1 << 24,
		"":                                    0,
	} {
		set, err := Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, set.Len(), text)
	}
}

func TestParseRefuses(t *testing.T) {
	for text, reason := range map[string]string{
		"192.0.2.9-192.0.2.1":          "ends before",
		"192.0.2.256":                  "not an address",
		"192.0.2.0/33":                 "not a network",
		"192.0.2.1-2001:db8::1":        "both ends",
		"192.0.2.1-":                   "not an address",
		"0.0.0.0/7":                    "more than one sweep",
		"2001:db8::/32":                "more than one sweep",
		"fe80::1%eth0":                 "not an address",
		"::ffff:192.0.2.0/120":         "network of IPv4",
		"boathouse.example":            "not an address",
		"127.0.0.0/8, 198.51.100.0/24": "more than one sweep",
	} {
		_, err := Parse(text)
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), reason, text)
	}
}

func TestLongTextsAreShortened(t *testing.T) {
	whole := strings.Repeat("x", 60)
	_, err := Parse(whole)
	assert.ErrorContains(t, err, "“"+whole+"”")
	_, err = Parse(whole[1:] + "é")
	assert.ErrorContains(t, err, "“"+whole[1:]+"…”", "never half a letter")
	_, err = Parse(whole + "x")
	assert.ErrorContains(t, err, "“"+whole+"…”")
}

func TestEachAndWithout(t *testing.T) {
	set, _ := Parse("192.0.2.0/29 198.51.100.255-198.51.101.0")
	except, _ := Parse("192.0.2.0/30, 10.0.0.0/24")
	var got []string
	set.Without(except).Each(func(a netip.Addr) bool { got = append(got, a.String()); return len(got) < 5 })
	assert.Equal(t, []string{"192.0.2.4", "192.0.2.5", "192.0.2.6", "192.0.2.7", "198.51.100.255"}, got)
	assert.Equal(t, int64(6), set.Without(except).Len(), "8 + 2 − 4")
	assert.True(t, set.Contains(netip.MustParseAddr("198.51.101.0")))
	assert.False(t, set.Contains(netip.MustParseAddr("198.51.101.1")))
}

// A network of IPv6 holds more addresses than can be counted here.
func TestLargeSetsAreNotTakenForEmptyOnes(t *testing.T) {
	for _, text := range []string{"2001:db8::/64", "2001:db8::/32", "::/0"} {
		large, err := Read(text)
		require.NoError(t, err)
		one, err := Read("192.0.2.1")
		require.NoError(t, err)
		assert.False(t, large.Within(one), text)
		assert.True(t, large.Within(large), text)
		assert.Equal(t, int64(math.MaxInt64), large.Len(), text)
	}
}

func TestLoopbackIsAllOrNothing(t *testing.T) {
	for text, want := range map[string]bool{
		"": false, "127.0.0.1-127.0.0.9, ::1": true, "127.0.0.1 192.0.2.1": false, "126.255.255.255-127.0.0.0": false,
	} {
		set, err := Parse(text)
		require.NoError(t, err)
		assert.Equal(t, want, set.Loopback(), text)
	}
}

func TestEachEndsAtTheLastAddress(t *testing.T) {
	set, _ := Parse("255.255.255.254/31")
	n := 0
	set.Each(func(netip.Addr) bool { n++; return n < 10 })
	assert.Equal(t, 2, n)
}

// Whatever is typed either fails with a reason or gives an ordered set
// without overlap and of bounded size.
func FuzzParse(f *testing.F) {
	f.Add("192.0.2.0/24,2001:db8::1-2001:db8::9")
	f.Fuzz(func(t *testing.T, text string) {
		set, err := Parse(text)
		if err != nil {
			return
		}
		all := set.Ranges()
		for i, r := range all {
			if r.To().Less(r.From()) || i > 0 && !all[i-1].To().Less(r.From()) {
				t.Fatalf("%v", all)
			}
		}
		if set.Len() > MaxAddresses {
			t.Fatal("too many")
		}
	})
}

// What a credential is bound to may be more than one sweep may try.
func TestReadTakesMoreThanASweep(t *testing.T) {
	const many = "10.0.0.0/8, 127.0.0.0/8"
	_, err := Parse(many)
	assert.ErrorContains(t, err, "more than one sweep")
	s, err := Read(many)
	require.NoError(t, err)
	assert.True(t, s.Contains(netip.MustParseAddr("127.3.2.1")))
	_, err = Read("10.0.0.0/8, boathouse")
	assert.Error(t, err)
}
