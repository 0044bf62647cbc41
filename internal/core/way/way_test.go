package way

import (
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
)

func TestListFindsByName(t *testing.T) {
	l := List{{Name: "a", Facts: map[string]string{"answers:a": "an answer to A"}}, {Name: "b", Credentials: []Credential{{Name: "key"}}}}
	_, ok := l.Of("a")
	assert.True(t, ok, "the first, too")
	b, ok := l.Of("b")
	assert.True(t, ok)
	assert.Equal(t, "b", b.Name)
	_, ok = l.Of("c")
	assert.False(t, ok)
	c, ok := l.Credential("key")
	assert.True(t, ok)
	assert.Equal(t, "key", c.Name)
	_, ok = l.Credential("other")
	assert.False(t, ok)
	assert.Equal(t, "an answer to A", l.Fact("answers:a"))
	assert.Equal(t, "“x”", l.Fact("x"))
}

func TestSettingsAndPlace(t *testing.T) {
	s := Settings{"n": "3", "d": "1500ms", "x": "y"}
	assert.Equal(t, 3, s.Int("n"))
	assert.Zero(t, s.Int("x"))
	assert.Equal(t, 1500*time.Millisecond, s.Duration("d"))
	assert.Zero(t, s.Duration("none"))
	q := Question{Address: netip.MustParseAddr("192.0.2.1")}
	at, err := q.At("161")
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.1:161", at.String())
	for _, wrong := range []string{"", "0", "65536", "-1", "http"} {
		_, err = q.At(wrong)
		assert.ErrorContains(t, err, "no port is set")
	}
}

func TestExchangeIsBounded(t *testing.T) {
	begin := time.Date(2026, 11, 25, 3, 40, 0, 0, time.UTC)
	e := NewExchange(begin)
	e.Sent(begin.Add(time.Second), "GET %s", strings.Repeat("é", 400))
	for range 300 {
		e.Got(begin.Add(2*time.Second), "nothing")
	}
	assert.Len(t, e.Lines, 201)
	assert.Equal(t, "… and more", e.Lines[200].Text)
	assert.True(t, e.Lines[0].Sent)
	assert.Equal(t, time.Second, e.Lines[0].After)
	assert.LessOrEqual(t, len(e.Lines[0].Text), 404)
	assert.True(t, strings.HasSuffix(e.Lines[0].Text, "é …"))
	e = NewExchange(begin)
	e.Got(begin, "%s", strings.Repeat("x", 400))
	e.Got(begin, "%s", strings.Repeat("x", 401))
	assert.Len(t, e.Lines[0].Text, 400, "it just fits")
	assert.True(t, strings.HasSuffix(e.Lines[1].Text, "x …"))
	e.Rows(
		begin,
		[]Column{{As: "a"}, {As: "b"}},
		[]derive.Row{{Index: "1", Values: []derive.Value{{Kind: derive.Gauge, Num: 3}, {}, {Kind: derive.Gauge, Num: 9}}}},
	)
	assert.Equal(t, "1 row", e.Lines[2].Text)
	assert.Equal(t, "1  a = 3", e.Lines[3].Text, "what is missing or has no name is left out")
	var nobody *Exchange
	nobody.Sent(begin, "no harm")
}
