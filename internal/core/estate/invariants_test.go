package estate

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// life is a random life of an estate: a tree of devices that fall silent and
// come back, volumes that fill, appear and vanish, several rules on one
// series, rules that change, devices that are paused, ways that change, and
// restarts at any moment. Beside it an account is kept by other means.
type life struct {
	*testing.T
	*rand.Rand
	e       *Estate
	now     time.Time
	step    int
	devices map[domain.ID]Device
	volumes map[domain.ID]bool // of series that are there
	dead    map[domain.ID]bool
	used    map[domain.ID]float64
	rules   []rule.Rule
	// The account: what was told, and all samples that were given.
	levels map[key]domain.Level
	held   map[key]bool
	health map[domain.ID]domain.Health
	behind map[domain.ID]domain.ID
	past   map[domain.ID][]domain.Sample
	naive  map[key]domain.Level // of rules on volumes, worked out from limits alone
}

type key struct{ rule, series domain.ID }

const lifeDevices = 6

func volumeOf(device domain.ID, n int64) domain.ID { return device*10 + 1 + n }

// three rules: one on reach, two on the same reading of volumes.
func lifeRules(full float64) []rule.Rule {
	one, two := rule.Hold{Values: 1}, rule.Hold{Values: 2}
	return []rule.Rule{
		{ID: 1, Name: "reach", Title: "{device} does not answer", Kit: "r", Reading: "loss", Unit: "%", Enabled: true,
			Condition: &limit.Condition{
				Side:    limit.Above,
				For:     two,
				Recover: one,
				Limits:  map[domain.Level]limit.Limit{domain.LevelCritical: {Raise: 99, Recover: 50}},
			}},
		{ID: 2, Name: "full", Title: "{part} of {device} is full", Kit: "h", Reading: "used", Unit: "%", Enabled: true,
			Condition: &limit.Condition{Side: limit.Above, For: one, Recover: two, Limits: map[domain.Level]limit.Limit{
				domain.LevelNotice: {
					Raise:   full - 10,
					Recover: full - 15,
				}, domain.LevelWarning: {Raise: full, Recover: full - 5}, domain.LevelCritical: {Raise: full + 5, Recover: full + 2}}}},
		{ID: 3, Name: "empty", Title: "{part} of {device} is empty", Kit: "h", Reading: "used", Unit: "%", Enabled: true,
			Condition: &limit.Condition{
				Side:    limit.Below,
				For:     two,
				Recover: one,
				Limits:  map[domain.Level]limit.Limit{domain.LevelNotice: {Raise: 20, Recover: 30}},
			}},
	}
}

func newLife(t *testing.T, seed uint64) *life {
	l := &life{
		T:       t,
		Rand:    rand.New(rand.NewPCG(seed, 42)),
		e:       New(),
		now:     t0,
		devices: map[domain.ID]Device{},
		volumes: map[domain.ID]bool{},
		dead:    map[domain.ID]bool{},
		used:    map[domain.ID]float64{},
		rules:   lifeRules(90),
		levels:  map[key]domain.Level{},
		held:    map[key]bool{},
		health:  map[domain.ID]domain.Health{},
		behind:  map[domain.ID]domain.ID{},
		past:    map[domain.ID][]domain.Sample{},
		naive:   map[key]domain.Level{},
	}
	l.e.SetRules(l.rules)
	for id := domain.ID(1); id <= lifeDevices; id++ {
		l.devices[id] = Device{ID: id, Name: fmt.Sprint("d", id), ViaID: id / 2}
		l.health[id] = domain.Unknown
		l.volumes[volumeOf(id, 0)] = true
		l.take(l.e.Set(l.devices[id], l.seriesOf(id), domain.Unknown, l.now))
	}
	return l
}

func (l *life) seriesOf(id domain.ID) []Series {
	all := []Series{{ID: id * 10, Kit: "r", Reading: "loss", Name: "Loss", Unit: "%", Every: every, Reach: true}}
	for n := range int64(3) {
		if v := volumeOf(id, n); l.volumes[v] {
			all = append(
				all,
				Series{ID: v, PartID: v, Part: fmt.Sprint("/v", n), Kit: "h", Reading: "used", Name: "Used", Unit: "%", Every: every},
			)
		}
	}
	return all
}

// take checks what must hold of every result, and keeps the account.
func (l *life) take(r Result) {
	for _, j := range r.Judged {
		k := key{j.Rule.ID, j.Series.ID}
		if l.held[k] && !j.Held && j.To > domain.LevelNone {
			l.levels[k] = domain.LevelNone // held trouble that becomes an alert never was one
		}
		require.Equal(l, l.levels[k], j.From, "step %d: a change begins where the last one ended (%v)", l.step, k)
		require.False(l, j.From == j.To && !j.Held && j.From == domain.LevelNone, "step %d: no change from fine to fine", l.step)
		require.False(l, l.devices[j.Device.ID].Paused && j.To > domain.LevelNone, "step %d: a paused device raises nothing", l.step)
		require.NotEmpty(l, j.Why.Question, "step %d: every decision is explained", l.step)
		require.NotEmpty(l, j.Why.Facts)
		require.NotContains(l, j.Reason(), "{")
		l.levels[k], l.held[k] = j.To, j.Held && j.To > domain.LevelNone
	}
	for _, h := range r.Health {
		require.Equal(l, l.health[h.Device.ID], h.From, "step %d: health of %s", l.step, h.Device.Name)
		if h.From == h.To { // another root of the same silence
			require.Equal(l, domain.Unreachable, h.To)
			require.NotZero(l, h.Behind)
			require.NotEqual(l, l.behind[h.Device.ID], h.Behind, "step %d: it is told once", l.step)
		}
		l.behind[h.Device.ID] = h.Behind
		require.NotEmpty(l, h.Reason)
		l.health[h.Device.ID] = h.To
	}
}

// silent tells whether nothing comes from a device: it or one on its way is dead.
func (l *life) silent(id domain.ID) bool {
	for hops := 0; id != 0 && hops < 20; hops++ {
		if l.dead[id] {
			return true
		}
		id = l.devices[id].ViaID
	}
	return false
}

// round asks every device once, in the order of time.
func (l *life) round() {
	l.now = l.now.Add(every)
	for id := domain.ID(1); id <= lifeDevices; id++ {
		if l.devices[id].Paused {
			continue
		}
		at := l.now.Add(time.Duration(l.IntN(2000)) * time.Millisecond)
		loss := 0.0
		if l.silent(id) {
			loss = 100
		}
		l.give(id*10, at, loss)
		for _, s := range l.seriesOf(id)[1:] {
			if loss == 0 {
				l.used[s.ID] = min(100, max(0, l.used[s.ID]+l.NormFloat64()*12))
				l.give(s.ID, at, l.used[s.ID])
			}
		}
	}
	l.take(l.e.Tick(l.now))
}

func (l *life) give(series domain.ID, at time.Time, value float64) {
	l.past[series] = append(l.past[series], domain.Sample{At: at, Value: value})
	l.take(l.e.Sample(series, domain.Sample{At: at, Value: value}))
	l.reckon(series)
}

// reckon works out the level of the rules on a volume by their limits alone.
func (l *life) reckon(series domain.ID) {
	if series%10 == 0 {
		return
	}
	past := l.past[series]
	newest := past[len(past)-1].Value
	before := newest
	if len(past) > 1 {
		before = past[len(past)-2].Value
	}
	k := key{2, series}
	limits := l.rules[1].Condition.(*limit.Condition).Limits
	level := domain.LevelNone
	for x, lim := range limits {
		enough := len(past) > 1
		stays := x <= l.naive[k] && !(enough && newest <= lim.Recover && before <= lim.Recover)
		if newest > lim.Raise && x > l.naive[k] || stays {
			level = max(level, x)
		}
	}
	l.naive[k] = level
	k = key{3, series}
	switch {
	case l.naive[k] == domain.LevelNone && len(past) > 1 && newest < 20 && before < 20:
		l.naive[k] = domain.LevelNotice
	case l.naive[k] == domain.LevelNotice && newest >= 30:
		l.naive[k] = domain.LevelNone
	}
}

// happen lets one of the things of life happen.
func (l *life) happen() {
	id := domain.ID(1 + l.IntN(lifeDevices))
	d := l.devices[id]
	switch l.IntN(12) {
	case 0, 1, 2, 3:
		l.dead[id] = !l.dead[id]
		return
	case 4: // a part comes or goes
		v := volumeOf(id, l.Int64N(3))
		l.volumes[v] = !l.volumes[v]
		delete(l.past, v)
		delete(l.naive, key{2, v})
		delete(l.naive, key{3, v})
	case 5:
		d.Paused = !d.Paused
	case 6: // never through itself or one behind it: that is refused before
		if via := domain.ID(l.IntN(int(id))); via != id {
			d.ViaID = via
		}
	case 7, 8:
		l.rules = lifeRules(70 + float64(l.IntN(25)))
		l.e.SetRules(l.rules)
		l.take(l.e.Recheck(l.now))
		for series := range l.past {
			if !l.devices[series/10].Paused {
				l.reckon(series)
			}
		}
		return
	case 9:
		l.restart()
		return
	}
	resumed := l.devices[id].Paused && !d.Paused
	l.devices[id] = d
	l.take(l.e.Set(d, l.seriesOf(id), domain.Unknown, l.now))
	for series := range l.past {
		if resumed && series/10 == id {
			l.reckon(series)
		}
	}
}

// restart begins anew from what was recorded, as a start of the application
// does: with all series, also those whose part is gone, then with the present ones.
func (l *life) restart() {
	l.e = New()
	l.e.SetRules(l.rules)
	byID := map[domain.ID]rule.Rule{}
	for _, r := range l.rules {
		byID[r.ID] = r
	}
	for id := domain.ID(1); id <= lifeDevices; id++ {
		l.take(l.e.Set(l.devices[id], l.seriesOf(id), l.health[id], l.now))
	}
	for k, level := range l.levels {
		if level > domain.LevelNone {
			l.e.Restore(k.series, byID[k.rule], level, l.held[k], why.Trace{Question: "Why?", Facts: []why.Fact{{Text: "restored"}}})
		}
	}
	for series, past := range l.past {
		l.e.Remember(series, past[max(0, len(past)-4):]...)
	}
	l.e.Grace(l.now.Add(90 * time.Second))
	clear(l.behind) // it is told once more
	l.take(l.e.Recheck(l.now))
}

// agree compares the estate with the account.
func (l *life) agree() {
	for k, level := range l.levels {
		if k.series%10 != 0 && !l.volumes[k.series] {
			require.Equal(l, domain.LevelNone, level, "step %d: trouble ends with its part (%v)", l.step, k)
		}
	}
	for id := domain.ID(1); id <= lifeDevices; id++ {
		if l.devices[id].Paused {
			continue // what is not judged stays as it was
		}
		for _, s := range l.seriesOf(id)[1:] {
			for _, r := range []domain.ID{2, 3} {
				k := key{r, s.ID}
				require.Equal(
					l,
					l.naive[k],
					l.levels[k],
					"step %d: rule %d on %d after %v",
					l.step,
					r,
					s.ID,
					l.past[s.ID][max(0, len(l.past[s.ID])-3):],
				)
			}
		}
	}
	for id := range l.devices {
		h, _, trace, ok := l.e.Health(id, l.now)
		require.True(l, ok)
		require.Equal(l, l.health[id], h, "step %d: what was told of device %d is so", l.step, id)
		require.NotEmpty(l, trace.Question)
	}
}

// rest lets things be for a while: then health must be what the world is like.
func (l *life) rest() {
	before := map[domain.ID]domain.Health{}
	for id, h := range l.health {
		before[id] = h
	}
	for range 14 {
		l.round()
		l.agree()
	}
	for id, d := range l.devices {
		way := d.ViaID != 0 && l.silent(d.ViaID)
		switch {
		case d.Paused:
			require.Equal(l, domain.Paused, l.health[id], "step %d: device %d", l.step, id)
		case l.dead[id] && !way:
			require.Equal(l, domain.Critical, l.health[id], "step %d: device %d is dead, and the way to it clear", l.step, id)
		case !l.dead[id] && !way:
			require.NotContains(
				l,
				[]domain.Health{domain.Unreachable, domain.Unknown},
				l.health[id],
				"step %d: device %d answers",
				l.step,
				id,
			)
		case !l.dead[id] && before[id] != domain.Critical && !l.pausedOn(d.ViaID):
			require.Equal(l, domain.Unreachable, l.health[id], "step %d: device %d is out of reach", l.step, id)
		}
	}
}

// pausedOn tells whether any device on a way is paused: then nobody can know
// whether what is behind it is down or out of reach.
func (l *life) pausedOn(id domain.ID) bool {
	for hops := 0; id != 0 && hops < 20; hops++ {
		if l.devices[id].Paused {
			return true
		}
		id = l.devices[id].ViaID
	}
	return false
}

func TestLedgerBalancesWhateverHappens(t *testing.T) {
	for seed := range uint64(80) {
		l := newLife(t, seed)
		for l.step = range 250 {
			if l.IntN(3) == 0 {
				l.happen()
			}
			l.round()
			l.agree()
			if l.IntN(60) == 0 {
				l.rest()
			}
		}
	}
}
