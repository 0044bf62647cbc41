package dependency

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func hop(name string, after time.Duration, answers bool) Hop {
	return Hop{ID: int64(len(name)), Name: name, LastAt: noon.Add(after), Answers: answers}
}

func TestJudge(t *testing.T) {
	for name, c := range map[string]struct {
		hops []Hop
		want Verdict
		by   string
	}{
		"reached directly":      {nil, Down, ""},
		"the hop answers":       {[]Hop{hop("edge", 5*time.Second, true)}, Down, ""},
		"the hop is silent":     {[]Hop{hop("edge", 5*time.Second, false)}, Unreachable, "edge"},
		"the far hop is silent": {[]Hop{hop("switch", 5*time.Second, true), hop("edge", time.Second, false)}, Unreachable, "edge"},
		"the root of several silent ones": {
			[]Hop{hop("switch", 5*time.Second, false), hop("edge", time.Second, false), hop("core-one", time.Second, true)},
			Unreachable, "edge",
		},
		"the hop was not asked since": {[]Hop{hop("edge", -5*time.Second, true)}, Wait, "edge"},
		"silence known beats waiting": {
			[]Hop{hop("switch", -time.Second, true), hop("edge", -time.Second, false)}, Unreachable, "edge",
		},
		"a hop that is not watched is open": {[]Hop{{ID: 1, Name: "modem"}}, Down, ""},
	} {
		verdict, by, trace := Judge(noon, c.hops)
		assert.Equal(t, c.want, verdict, name)
		assert.Equal(t, c.by, by.Name, name)
		assert.NotEmpty(t, trace.Facts, name)
	}
}

func TestChainEndsAtALoop(t *testing.T) {
	via := map[domain.ID]domain.ID{1: 2, 2: 3, 3: 1, 9: 0}
	get := func(id domain.ID) domain.ID { return via[id] }
	assert.Equal(t, []domain.ID{2, 3}, Chain(1, get))
	assert.Empty(t, Chain(9, get))
}
