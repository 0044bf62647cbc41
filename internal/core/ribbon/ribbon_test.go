package ribbon

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

var t0 = time.Date(2026, 11, 23, 0, 0, 0, 0, time.UTC)

func at(hours float64, from, to domain.Health) Change {
	return Change{At: t0.Add(time.Duration(hours * float64(time.Hour))), From: from, To: to}
}

func TestStrip(t *testing.T) {
	f, w, c, u := domain.Fine, domain.Warning, domain.Critical, domain.Unreachable
	day := func(now domain.Health, changes ...Change) []domain.Health {
		return Strip(changes, now, t0, t0.Add(4*time.Hour), 4)
	}
	assert.Equal(t, []domain.Health{f, f, f, f}, day(f))
	assert.Equal(t, []domain.Health{w, w, w, w}, day(w), "nothing known: the present holds")
	assert.Equal(t, []domain.Health{f, w, w, f}, day(f, at(1.5, f, w), at(2.5, w, f)), "a slot shows its worst moment")
	assert.Equal(t, []domain.Health{f, c, f, f}, day(f, at(1.1, f, c), at(1.2, c, f)), "a short outage is not lost")
	assert.Equal(t, []domain.Health{u, u, f, f}, day(f, at(-1, f, u), at(1.99, u, f)), "a change before the range sets the start")
	assert.Equal(t, []domain.Health{f, f, c, c}, day(c, at(2, f, c)), "a change on the edge belongs to the later slot")
	assert.Equal(t, make([]domain.Health, 3), Strip(nil, c, t0, t0, 3), "no time has no health")
}

func TestAddAndRuns(t *testing.T) {
	f, n, c := domain.Fine, domain.Notice, domain.Critical
	first := []domain.Health{f, n, f, f}
	sum := Add(nil, first)
	sum = Add(sum, []domain.Health{f, f, c, c})
	assert.Equal(t, []domain.Health{f, n, c, c}, sum)
	assert.Equal(t, []domain.Health{f, n, f, f}, first, "what was added is left alone")
	assert.Equal(t, []Run{{f, 0, 1}, {n, 1, 1}, {c, 2, 2}}, Runs(sum))
	assert.Empty(t, Add(nil, nil))
}
