package guard

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Shore (1) > Pier (2) > Kiosks (3); Yard (4) lies beside.
var shore = inherit.NewTree(
	[]domain.Place{{ID: 1, Name: "Shore"}, {ID: 2, ParentID: 1, Name: "Pier"}, {ID: 3, ParentID: 2, Name: "Kiosks"}, {ID: 4, Name: "Yard"}},
	[]domain.Override{
		{PlaceID: 1, Key: domain.SettingTalkTo, Value: "10.0.0.0/8, 127.0.0.0/8 but 10.9.0.0/16"},
		{PlaceID: 2, Key: domain.SettingTalkTo, Value: "10.1.0.0/16, 127.8.0.1, 10.9.0.1"},
	},
)

// What places say bounds exceptions, too, and opens nothing that is for nobody.
func TestPlacesBoundWhatMayBeTalkedTo(t *testing.T) {
	g := New(read(t, "127.7.0.0/16"), read(t, "10.1.0.9")).Within(BoundsAt(shore, 3))
	for text, refusal := range map[string]string{
		"10.1.2.3":         "",
		"::ffff:10.1.2.3":  "",
		"10.2.0.1":         "lies outside of what the place Pier lets be talked to",
		"10.9.0.1":         "lies outside of what the place Shore lets be talked to",
		"2001:db8::1":      "lies outside of what the place Pier lets be talked to",
		"10.1.0.9":         "is this machine itself",
		"127.7.0.1":        "lies outside of what the place Pier lets be talked to",
		"127.8.0.1":        "is this machine itself",
		"::ffff:127.8.0.1": "is this machine itself",
	} {
		assert.Equal(t, refusal, g.Refusal(netip.MustParseAddr(text)), text)
	}
	a, refusal, ok := g.RefusalOf(read(t, "10.1.0.0/24, 10.3.0.0/24"))
	assert.False(t, ok)
	assert.Equal(t, "10.3.0.0", a.String())
	assert.Contains(t, refusal, "Pier")
	_, _, ok = g.RefusalOf(read(t, "10.1.1.0/24"))
	assert.True(t, ok)
}

func TestWithoutBoundsEverythingMayBe(t *testing.T) {
	b := BoundsAt(shore, 4)
	assert.Empty(t, b.Refusal(netip.MustParseAddr("192.0.2.1")))
	_, _, out := b.First(read(t, "0.0.0.0/0"))
	assert.False(t, out)
	unread := domain.Override{PlaceID: 1, Key: domain.SettingTalkTo, Value: "?"}
	broken := inherit.NewTree([]domain.Place{{ID: 1, Name: "Shore"}}, []domain.Override{unread})
	assert.NotEmpty(t, BoundsAt(broken, 1).Refusal(netip.MustParseAddr("192.0.2.1")), "what is not understood lets nothing be talked to")
}

func TestWhatIsKeptOfASweepSaysWhy(t *testing.T) {
	var trace why.Trace
	kept := BoundsAt(shore, 2).Kept(read(t, "10.0.255.0-10.1.0.9, 10.9.0.1"), &trace)
	assert.Equal(t, int64(10), kept.Len())
	if assert.Len(t, trace.Facts, 2) {
		assert.Contains(t, trace.Facts[0].Text, "Pier")
		assert.Contains(t, trace.Facts[1].Text, "Shore")
	}
	trace = why.Trace{}
	BoundsAt(shore, 2).Kept(read(t, "10.1.0.1"), &trace)
	assert.Empty(t, trace.Facts)
}
