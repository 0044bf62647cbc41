package engine

import (
	"context"
	"log/slog"
	"slices"
	"sync"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// Recorder keeps what judging found: transitions, alerts, incidents and the
// deliveries that follow, in one transaction.
type Recorder interface {
	Record(ctx context.Context, found estate.Result) error
}

// Judge feeds samples to the estate and hands changes to the recorder.
type Judge struct {
	mu       sync.Mutex
	estate   *estate.Estate
	store    *store.Store
	recorder Recorder
	hub      *Hub
	log      *slog.Logger
	ask      func(domain.ID)
	lastTick time.Time
}

// NewJudge returns a judge of an empty estate.
func NewJudge(s *store.Store, r Recorder, hub *Hub, log *slog.Logger) *Judge {
	return &Judge{estate: estate.New(), store: s, recorder: r, hub: hub, log: log, ask: func(domain.ID) {}}
}

// know takes up a device with all its series.
func (j *Judge) know(d domain.Device, via domain.ID, series []domain.Series, parts []domain.Part, kits *collect.Service) {
	j.mu.Lock()
	j.estate.SetDevice(estate.Device{ID: d.ID, Name: d.Name, ViaID: via, Paused: d.Paused}, d.Health)
	j.mu.Unlock()
	j.learn(d.ID, series, parts, kits)
}

// learn takes up further series of a device.
func (j *Judge) learn(_ domain.ID, series []domain.Series, parts []domain.Part, kits *collect.Service) {
	names := map[domain.ID]string{}
	for _, p := range parts {
		names[p.ID] = p.Name
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	for _, s := range series {
		j.estate.SetSeries(Watched(s, names[s.PartID], kits))
	}
}

// Watched is a series as the estate sees it.
func Watched(s domain.Series, part string, kits *collect.Service) estate.Series {
	out := estate.Series{ID: s.ID, DeviceID: s.DeviceID, PartID: s.PartID, Part: part, Name: s.Name, Kit: s.Kit, Reading: s.Reading, Unit: s.Unit, Every: s.Interval}
	if k, err := kits.Kit(s.Kit); err == nil {
		r, _ := k.Reading(s.Reading)
		out.Reach = r.Reach
	}
	return out
}

func (j *Judge) remove(id domain.ID) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.estate.RemoveDevice(id)
}

// restore brings back rules, levels and windows, and judges what came in
// without being judged before a crash.
func (j *Judge) restore(ctx context.Context) error {
	rules, err := j.store.Rules.All(ctx)
	if err != nil {
		return err
	}
	states, err := j.store.Rules.States(ctx)
	if err != nil {
		return err
	}
	byID := map[domain.ID]rule.Rule{}
	for _, r := range rules {
		byID[r.ID] = r
	}
	j.mu.Lock()
	j.estate.SetRules(rules)
	for _, st := range states {
		j.estate.Restore(st.SeriesID, byID[st.RuleID], st.Level, st.Held, st.Why)
	}
	now := time.Now().UTC()
	j.estate.Grace(now.Add(restGrace))
	err = j.remember(ctx, rules, now.Add(-2*time.Hour))
	var found estate.Result
	if err == nil {
		found = j.estate.Recheck(now)
	}
	j.mu.Unlock()
	j.keep(ctx, found)
	return err
}

// remember brings back the newest values of all series: from memory, and from
// the store where a rule looks back farther.
func (j *Judge) remember(ctx context.Context, rules []rule.Rule, since time.Time) error {
	long := map[string]rule.Rule{}
	for _, r := range rules {
		if r.Window() >= samples.KeepPoints {
			long[r.Kit+"/"+r.Reading] = r
		}
	}
	j.store.Samples.EachLatest(since, func(id int64, points []codec.Point) {
		if s, ok := j.estate.Series(id); !ok || long[s.Kit+"/"+s.Reading].ID != 0 {
			return
		}
		for _, p := range points {
			j.estate.Remember(id, domain.Sample{At: time.UnixMilli(p.T).UTC(), Value: p.V})
		}
	})
	for _, r := range long {
		past, err := j.store.Values.OfReading(ctx, r.Kit, r.Reading, since, time.Now().Add(time.Hour))
		if err != nil {
			return err
		}
		for id, list := range past {
			j.estate.Remember(id, list...)
		}
	}
	return nil
}

// restGrace is how long after a start missing values are not yet held
// against a device.
const restGrace = 90 * time.Second

// samples judges values in the order of their time.
func (j *Judge) samples(ctx context.Context, in []domain.SeriesSample) {
	slices.SortStableFunc(in, func(a, b domain.SeriesSample) int { return a.At.Compare(b.At) })
	var found estate.Result
	devices := map[domain.ID]bool{}
	j.mu.Lock()
	for _, s := range in {
		r := j.estate.Sample(s.SeriesID, s.Sample)
		found.Judged, found.Health, found.Ask = append(found.Judged, r.Judged...), append(found.Health, r.Health...), append(found.Ask, r.Ask...)
		if x, ok := j.estate.Series(s.SeriesID); ok {
			devices[x.DeviceID] = true
		}
	}
	j.mu.Unlock()
	j.keep(ctx, found)
	for id := range devices {
		j.hub.Publish(Event{Kind: "values", ID: id})
	}
}

// tickEvery is how often the passing of time alone is judged.
const tickEvery = 5 * time.Second

func (j *Judge) tick(ctx context.Context, now time.Time) {
	if now.Sub(j.lastTick) < tickEvery {
		return
	}
	j.lastTick = now
	j.mu.Lock()
	found := j.estate.Tick(now)
	j.mu.Unlock()
	j.keep(ctx, found)
}

// SetRules puts changed rules in force at once.
func (j *Judge) SetRules(ctx context.Context, rules []rule.Rule) {
	j.mu.Lock()
	j.estate.SetRules(rules)
	found := j.estate.Recheck(time.Now().UTC())
	j.mu.Unlock()
	j.keep(ctx, found)
}

// Explain tells why a device has the health that it has now.
func (j *Judge) Explain(id domain.ID) (domain.Health, string, why.Trace, bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.estate.Health(id, time.Now().UTC())
}

// keep has changes recorded, trying again until that worked, then tells the
// screens.
func (j *Judge) keep(ctx context.Context, found estate.Result) {
	for _, id := range found.Ask {
		j.ask(id)
	}
	if len(found.Judged)+len(found.Health) == 0 {
		return
	}
	pause := 100 * time.Millisecond
	for {
		err := j.recorder.Record(ctx, found)
		if err == nil {
			break
		}
		j.log.Error("changes of health could not be recorded, trying again", "error", err, "pause", pause)
		time.Sleep(pause)
		pause = min(2*pause, longestPause)
	}
	for _, h := range found.Health {
		j.hub.Publish(Event{Kind: "health", ID: h.Device.ID})
	}
	if len(found.Judged) > 0 {
		j.hub.Publish(Event{Kind: "incidents"})
	}
}
