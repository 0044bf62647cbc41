package identity

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func seen(identity, address, name string) Seen {
	return Seen{Identity: identity, Address: address, Name: name}
}

func TestWhatHappenedBetweenRuns(t *testing.T) {
	first, next := Changes(nil, []Seen{seen("a", "192.0.2.10", "ferry"), seen("b", "192.0.2.9", "pier")})
	assert.Equal(t, []Change{
		{Kind: Appeared, Identity: "b", Address: "192.0.2.9", Name: "pier"}, // 9 goes before 10
		{Kind: Appeared, Identity: "a", Address: "192.0.2.10", Name: "ferry"},
	}, first)

	renamed := seen("a", "192.0.2.10", "ferry-2")
	renamed.Others = []string{"192.0.2.11"}
	changes, next := Changes(next, []Seen{renamed, seen("c", "192.0.2.12", "shed")})
	assert.Equal(t, []Change{
		{Kind: Vanished, Identity: "b", Address: "192.0.2.9", Name: "pier"},
		{Kind: Appeared, Identity: "c", Address: "192.0.2.12", Name: "shed"},
		{Kind: Altered, Identity: "a", Address: "192.0.2.10", Name: "ferry-2", What: []Difference{
			{"further addresses", "", "192.0.2.11"}, {"name", "ferry", "ferry-2"}}},
	}, changes)

	same := []Seen{renamed, seen("c", "192.0.2.12", "shed")}
	changes, next = Changes(next, same)
	assert.Empty(t, changes, "who is gone is told once")
	changes, next = Changes(next, append(same, seen("b", "192.0.2.19", "pier")))
	assert.Equal(t, []Change{{Kind: Returned, Identity: "b", Address: "192.0.2.19", Name: "pier",
		What: []Difference{{"address", "192.0.2.9", "192.0.2.19"}}}}, changes)
	assert.Zero(t, next[2].Gone)
}

func TestWhoIsGoneIsForgottenAtLast(t *testing.T) {
	_, next := Changes(nil, []Seen{seen("a", "192.0.2.1", "x")})
	for range rememberGone {
		_, next = Changes(next, nil)
	}
	assert.Len(t, next, 1)
	_, next = Changes(next, nil)
	assert.Empty(t, next)
	changes, _ := Changes(next, []Seen{seen("a", "192.0.2.1", "x")})
	assert.Equal(t, Appeared, changes[0].Kind)
}
