package estate

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
)

// ledger checks, from the results alone, what must hold whatever happens.
type ledger struct {
	t      *testing.T
	levels map[string]domain.Level
	held   map[string]bool
	health map[domain.ID]domain.Health
	step   int
}

func (l *ledger) take(r Result) {
	for _, j := range r.Judged {
		k := fmt.Sprint(j.Rule.ID, "/", j.Series.ID)
		if l.held[k] && !j.Held && j.To > domain.LevelNone {
			l.levels[k] = domain.LevelNone // held trouble that becomes an alert never was one
		}
		require.Equal(l.t, l.levels[k], j.From, "step %d: a change begins where the last one ended (%s)", l.step, k)
		require.False(l.t, j.From == j.To && !j.Held && j.From == domain.LevelNone, "step %d: no change from fine to fine", l.step)
		require.NotEmpty(l.t, j.Why.Question, "step %d: every decision is explained", l.step)
		require.NotEmpty(l.t, j.Why.Facts)
		l.levels[k], l.held[k] = j.To, j.Held
	}
	for _, h := range r.Health {
		require.Equal(l.t, l.health[h.Device.ID], h.From, "step %d: health of %s", l.step, h.Device.Name)
		require.NotEqual(l.t, h.From, h.To)
		require.NotEmpty(l.t, h.Reason)
		l.health[h.Device.ID] = h.To
	}
}

// Random lives of an estate: a chain of devices that fall silent and come
// back, a volume that fills, rules that change, devices that are paused.
func TestLedgerBalancesWhateverHappens(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 42))
		e := New()
		rules := []rule.Rule{
			{ID: 1, Name: "reach", Title: "{device} does not answer", Kit: "r", Reading: "loss", Unit: "%", Side: rule.Above, InARow: 2, RecoverInARow: 1, Enabled: true,
				Limits: map[domain.Level]rule.Limit{domain.LevelCritical: {Raise: 99, Recover: 50}}},
			{ID: 2, Name: "full", Title: "{part} of {device} is full", Kit: "h", Reading: "used", Unit: "%", Side: rule.Above, InARow: 1, RecoverInARow: 2, Enabled: true,
				Limits: map[domain.Level]rule.Limit{domain.LevelNotice: {Raise: 80, Recover: 75}, domain.LevelWarning: {Raise: 90, Recover: 85}, domain.LevelCritical: {Raise: 95, Recover: 92}}},
		}
		e.SetRules(rules)
		l := &ledger{t, map[string]domain.Level{}, map[string]bool{}, map[domain.ID]domain.Health{}, 0}
		const devices = 5
		for id := domain.ID(1); id <= devices; id++ {
			e.SetDevice(Device{ID: id, Name: fmt.Sprint("d", id), ViaID: id - 1}, domain.Unknown)
			l.health[id] = domain.Unknown
			e.SetSeries(Series{ID: id * 10, DeviceID: id, Kit: "r", Reading: "loss", Name: "Loss", Unit: "%", Every: every, Reach: true})
			e.SetSeries(Series{ID: id*10 + 1, DeviceID: id, Part: "/data", Kit: "h", Reading: "used", Name: "Used", Unit: "%", Every: every})
		}
		dead := map[domain.ID]bool{}
		used := map[domain.ID]float64{}
		now := t0
		for l.step = range 300 {
			now = now.Add(every)
			if r.IntN(12) == 0 {
				id := domain.ID(1 + r.IntN(devices))
				dead[id] = !dead[id]
			}
			for id := domain.ID(1); id <= devices; id++ {
				loss := 0.0
				for up := id; up > 0; up-- {
					if dead[up] {
						loss = 100 // what is behind a dead one is silent, too
					}
				}
				at := now.Add(time.Duration(r.IntN(2000)) * time.Millisecond)
				l.take(e.Sample(id*10, domain.Sample{At: at, Value: loss}))
				if loss == 0 {
					used[id] = min(100, max(0, used[id]+r.NormFloat64()*8))
					l.take(e.Sample(id*10+1, domain.Sample{At: at, Value: used[id]}))
				}
			}
			switch r.IntN(40) {
			case 0:
				changed := append([]rule.Rule(nil), rules...)
				changed[1].Limits = map[domain.Level]rule.Limit{domain.LevelWarning: {Raise: 50 + float64(r.IntN(40)), Recover: 40}}
				e.SetRules(changed)
				l.take(e.Recheck(now))
			case 1:
				e.SetRules(rules)
				l.take(e.Recheck(now))
			}
			l.take(e.Tick(now))
			for id := domain.ID(1); id <= devices; id++ {
				h, _, trace, ok := e.Health(id, now)
				require.True(t, ok)
				require.NotEmpty(t, trace.Question)
				require.NotEqual(t, domain.Maintenance, h)
			}
		}
	}
}
