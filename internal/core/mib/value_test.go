package mib_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/mib"
)

func octets(text string) mib.Value { return mib.Value{Type: mib.Octets, Bytes: []byte(text)} }

func TestValuesInWords(t *testing.T) {
	tree := shipped(t)
	for _, c := range []struct {
		object string
		value  mib.Value
		want   string
	}{
		{"ifOperStatus", mib.Value{Type: mib.Integer, Int: 7}, "lowerLayerDown"},
		{"ifOperStatus", mib.Value{Type: mib.Integer, Int: 99}, "99"},
		{"ifOperStatus", mib.Value{Type: mib.Integer, Int: -1}, "-1"},
		{"sysUpTime", mib.Value{Type: mib.TimeTicks, Count: 123_456_700}, "14\u00a0d\u00a06\u00a0h"}, // 1,234,567 s
		{"ifSpeed", mib.Value{Type: mib.Unsigned, Count: math.MaxUint32}, "4294967295"},
		{"ifHCInOctets", mib.Value{Type: mib.Counter64, Count: math.MaxUint64}, "18446744073709551615"},
		{"ifPhysAddress", octets("\x00\x0c\x29\xff\x01\x02"), "00:0c:29:ff:01:02"},
		{"ifPhysAddress", octets(""), ""},
		{"sysDescr", octets("Router\x1b[31m"), "Router [31m"},
		// 2026-11-27 06:30:05.2, two hours east (RFC 2579, DateAndTime)
		{"hrSystemDate", octets("\x07\xea\x0b\x1b\x06\x1e\x05\x02+\x02\x00"), "2026-11-27,6:30:5.2,+2:0"},
		{"hrSystemDate", octets("\x07\xea\x0b\x1b\x06\x1e\x05\x02"), "2026-11-27,6:30:5.2"},
		{"lldpLocSysCapEnabled", octets("\x28"), "bridge, router"}, // 0010 1000
		{"lldpLocSysCapEnabled", octets("\x00"), "none"},
		{"lldpLocSysCapEnabled", octets("\x00\x80"), "bit 8"},
		{"ipAdEntAddr", mib.Value{Type: mib.Address, Bytes: []byte{192, 0, 2, 9}}, "192.0.2.9"},
		{"sysObjectID", mib.Value{Type: mib.Name, OID: mib.OID{1, 3, 6, 1, 4, 1, 9}}, "1.3.6.1.4.1.9"},
		{"bgpVersion", octets("\x10"), "10"},
		{"entPhySensorValue", mib.Value{Type: mib.Float, Real: 21.5}, "21.5"},
		{"entPhySensorValue", mib.Value{Type: mib.Other}, ""},
	} {
		o, ok := tree.Named(c.object)
		assert.True(t, ok, c.object)
		assert.Equal(t, c.want, o.Show(c.value), c.object)
	}
}

func TestWhatIsBehindAShownValue(t *testing.T) {
	tree := shipped(t)
	state, _ := tree.Named("ifOperStatus")
	assert.Equal(t, "2", state.Unshown(mib.Value{Type: mib.Integer, Int: 2}))
	assert.Empty(t, state.Unshown(mib.Value{Type: mib.Integer, Int: 99}))
	up, _ := tree.Named("sysUpTime")
	assert.Equal(t, "100", up.Unshown(mib.Value{Type: mib.TimeTicks, Count: 100}))
}

// The hints are those of RFC 2579, section 3.1, and of the conventions that use them.
func TestDisplayHints(t *testing.T) {
	for _, c := range []struct {
		hint  string
		value mib.Value
		want  string
	}{
		{"d-2", mib.Value{Type: mib.Integer, Int: 1234}, "12.34"},
		{"d-2", mib.Value{Type: mib.Integer, Int: -5}, "-0.05"},
		{"d-2", mib.Value{Type: mib.Integer, Int: 0}, "0.00"},
		{"d-99", mib.Value{Type: mib.Integer, Int: 7}, "7"}, // none that can be
		{"d-", mib.Value{Type: mib.Integer, Int: 7}, "7"},
		{"d", mib.Value{Type: mib.Integer, Int: -7}, "-7"},
		{"x", mib.Value{Type: mib.Integer, Int: 255}, "ff"},
		{"o", mib.Value{Type: mib.Integer, Int: 8}, "10"},
		{"b", mib.Value{Type: mib.Integer, Int: 5}, "101"},
		{"1d.1d.1d.1d", octets("\xc0\x00\x02\x09"), "192.0.2.9"},
		{"1x:", octets("\xab\x01"), "ab:01"},
		{"2d", octets("\x01\x00\x00\x02"), "2562"}, // 256, then 2, with nothing between
		{"255a", octets("abc"), "abc"},
		{"255t", octets("Grüße"), "Grüße"},
		{"255t", octets("\xff\xfe"), "fffe"},
		{"1o.", octets("\x08\x09"), "10.11"},
		{"*1x:/1d", octets("\x02\xaa\xbb\x05"), "aa:bb/5"}, // two times, then its end, then the rest
		{"*1x:", octets("\x05\xaa"), "aa"},                 // told more than there is
		{"0a1d", octets("\x07"), "7"},
		{"0a", octets("abc"), ""},
		{"colour", octets("abc"), "abc"}, // no hint at all
		{"99999999a", octets("abc"), "abc"},
		{"1", octets("abc"), "abc"},
		{"1d:*", octets("abc"), "abc"},
	} {
		assert.Equal(t, c.want, mib.Object{Hint: c.hint}.Show(c.value), c.hint)
	}
}

func TestBytesWithoutAHint(t *testing.T) {
	assert.Equal(t, "text", mib.Plain([]byte("text\x00")))
	assert.Equal(t, "two lines", mib.Plain([]byte("two\nlines")))
	assert.Equal(t, "01:02", mib.Plain([]byte{1, 2}))
	assert.Equal(t, "ff", mib.Plain([]byte{255}))
	assert.Empty(t, mib.Plain(nil))
}

func TestNumbersOfValues(t *testing.T) {
	for _, c := range []struct {
		v    mib.Value
		want float64
		ok   bool
	}{
		{mib.Value{Type: mib.Integer, Int: -5}, -5, true},
		{mib.Value{Type: mib.Counter64, Count: 1 << 40}, 1 << 40, true},
		{mib.Value{Type: mib.Float, Real: 1.5}, 1.5, true},
		{mib.Value{Type: mib.Float, Real: math.NaN()}, 0, false},
		{mib.Value{Type: mib.Float, Real: math.Inf(1)}, 0, false},
		{octets("5"), 0, false},
	} {
		n, ok := c.v.Number()
		assert.Equal(t, c.ok, ok)
		if ok {
			assert.Equal(t, c.want, n)
		}
	}
}

// No bytes and no hint bring it down or make it go on for ever.
func FuzzShowing(f *testing.F) {
	f.Add("2d-1d-1d,1d:1d:1d.1d,1a1d:1d", []byte("\x07\xea\x0b\x1b\x06\x1e\x05\x02+\x02\x00"))
	f.Add("*0a:", []byte{255})
	f.Add("*1x:/1d", []byte{2, 170, 187, 5})
	f.Fuzz(func(t *testing.T, hint string, b []byte) {
		if len(b) > 1000 {
			return
		}
		text := mib.Object{Hint: hint}.Show(mib.Value{Type: mib.Octets, Bytes: b})
		if strings.ContainsFunc(text, func(r rune) bool { return r < ' ' }) {
			t.Errorf("%q has control characters", text)
		}
	})
}
