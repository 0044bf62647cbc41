package people

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/bcrypt"

	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 26, 12, 0, 0, 0, time.UTC)

// Attempts count from their begin: of 40 at once four are let in.
func TestManyAttemptsAtOnceAreAsManyAsOneAfterTheOther(t *testing.T) {
	g := newGate()
	var let atomic.Int64
	var all sync.WaitGroup
	for range 40 {
		all.Go(func() {
			if g.begin(attempt{name: "ines", from: "192.0.2.1"}, noon) == 0 {
				let.Add(1)
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 4, let.Load())
}

// A stranger who guesses at a name makes neither its owner wait, who comes from elsewhere,
// nor those behind the same address who know their passwords.
func TestAStrangerLocksNobodyOut(t *testing.T) {
	g := newGate()
	for range 30 {
		g.begin(attempt{name: "ines", from: "192.0.2.66"}, noon)
	}
	assert.Positive(t, g.begin(attempt{name: "ines", from: "192.0.2.66"}, noon))
	assert.Zero(t, g.begin(attempt{name: "ines", from: "198.51.100.1"}, noon))
	assert.Zero(t, g.begin(attempt{name: "marek", from: "192.0.2.66"}, noon))
	// From everywhere at once: then the name waits, though not long, and not in its own browser.
	for n := range 200 {
		g.begin(attempt{name: "ines", from: fmt.Sprint("203.0.113.", n)}, noon)
	}
	wait := g.begin(attempt{name: "ines", from: "198.51.100.9"}, noon)
	assert.Positive(t, wait)
	assert.LessOrEqual(t, wait, 30*time.Second)
	assert.Zero(t, g.begin(attempt{name: "ines", from: "203.0.113.1", browser: 7}, noon))
}

// 1, 2, 4 … seconds, at most a quarter of an hour; an hour of quiet forgives.
func TestTheWaitDoubles(t *testing.T) {
	g, now := newGate(), noon
	a := attempt{name: "ines", from: "192.0.2.1"}
	for range 4 {
		require.Zero(t, g.begin(a, now))
	}
	for _, want := range []time.Duration{time.Second, 2 * time.Second, 4 * time.Second, 8 * time.Second} {
		assert.Equal(t, want, g.begin(a, now))
		now = now.Add(want)
		require.Zero(t, g.begin(a, now), "after the wait one more")
	}
	for range 20 {
		now = now.Add(16 * time.Minute)
		g.begin(a, now)
	}
	assert.Equal(t, 15*time.Minute, g.begin(a, now))
	now = now.Add(61 * time.Minute)
	assert.Zero(t, g.begin(a, now))
}

func TestWhoKnowsIsForgiven(t *testing.T) {
	g := newGate()
	a := attempt{name: "ines", from: "192.0.2.1"}
	for range 3 {
		g.begin(a, noon)
	}
	require.Zero(t, g.begin(a, noon))
	g.passed(a)
	for range 4 {
		assert.Zero(t, g.begin(a, noon), "it counts from the begin again")
	}
	assert.Positive(t, g.begin(a, noon))
	assert.Equal(t, 7, g.known[counterOf("name", "ines", "")].count, "of the name only the one that was right is taken back")
}

// Of IPv6 a customer has a whole network.
func TestAddressesAreCountedByNetwork(t *testing.T) {
	assert.Equal(t, "2001:db8:1:2::/64", network("2001:db8:1:2:3:4:5:6"))
	assert.Equal(t, network("2001:db8:1:2::1"), network("2001:db8:1:2:ffff::9"))
	assert.NotEqual(t, network("2001:db8:1:2::1"), network("2001:db8:1:3::1"))
	assert.Equal(t, "192.0.2.1", network("192.0.2.1"))
	assert.Equal(t, "::ffff:192.0.2.1", network("::ffff:192.0.2.1"))
	assert.Empty(t, network(""))
}

// However many names of whatever length are tried, what is kept is bounded, and what failed
// most stays known.
func TestWhatIsKeptOfGuessesIsBounded(t *testing.T) {
	g := newGate()
	mad := attempt{name: "ines", from: "192.0.2.66"}
	for range 9 {
		g.begin(mad, noon)
	}
	for n := range 20_000 {
		g.begin(attempt{name: fmt.Sprintf("%0200d", n), from: fmt.Sprintf("2001:db8:%x:%x::1", n/60000, n)}, noon.Add(time.Millisecond))
	}
	assert.LessOrEqual(t, len(g.known), maxKnown+3)
	assert.Positive(t, g.begin(mad, noon.Add(time.Millisecond)))
}

func TestPasswordsAreComparedAFewAtOnce(t *testing.T) {
	g := newGate()
	hash, err := bcrypt.GenerateFromPassword([]byte("night-watch"), bcrypt.MinCost)
	require.NoError(t, err)
	ok, err := g.compare(t.Context(), hash, "night-watch")
	require.NoError(t, err)
	assert.True(t, ok)
	for _, wrong := range []domain.Secret{"", "night-watch ", domain.Secret(fmt.Sprintf("%0100d", 7))} {
		ok, err = g.compare(t.Context(), hash, wrong)
		require.NoError(t, err)
		assert.False(t, ok)
	}
	for range hashers() {
		g.hashing <- struct{}{}
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = g.compare(ctx, hash, "night-watch")
	assert.ErrorIs(t, err, domain.ErrSlowDown)
}

// What was not found out is no failure, and forgives none.
func TestAnAttemptThatWasNotDecidedCountsForNothing(t *testing.T) {
	g := newGate()
	a := attempt{name: "ines", from: "192.0.2.1"}
	for range 3 {
		require.Zero(t, g.begin(a, noon))
	}
	for range 20 {
		require.Zero(t, g.begin(a, noon))
		g.undecided(a)
	}
	require.Zero(t, g.begin(a, noon), "the fourth")
	assert.Equal(t, time.Second, g.begin(a, noon), "the three before it stay")
}
