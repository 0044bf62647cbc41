package find

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// A minute, two, four, eight, sixteen, then thirty: never more.
func TestRefusedCredentialsRest(t *testing.T) {
	var r refusals
	now := time.Date(2026, 11, 27, 3, 40, 0, 0, time.UTC)
	x := tried{netip.MustParseAddrPort("192.0.2.1:161"), 7, 1}
	_, rests := r.rests(x, now)
	assert.False(t, rests, "it was never refused")
	for _, minutes := range []int{1, 2, 4, 8, 16, 30, 30} {
		r.note(x, now)
		until, rests := r.rests(x, now)
		assert.True(t, rests)
		assert.Equal(t, now.Add(time.Duration(minutes)*time.Minute), until)
		now = until
		_, rests = r.rests(x, now)
		assert.False(t, rests, "then it is tried again")
	}
	other := x
	other.version++
	r.note(x, now)
	_, rests = r.rests(other, now)
	assert.False(t, rests, "a new secret may be right")
	r.forget(x)
	_, rests = r.rests(x, now)
	assert.False(t, rests)
	r.note(x, now)
	until, _ := r.rests(x, now)
	assert.Equal(t, now.Add(firstRest), until, "it begins anew")
}
