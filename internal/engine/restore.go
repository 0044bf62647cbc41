package engine

import (
	"context"
	"strconv"
	"time"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

const (
	// restGrace is how long after a start missing values are not yet held
	// against a device.
	restGrace = 90 * time.Second
	// lookBack is how far back values are remembered at a start: as far as the
	// longest window of a rule reaches.
	lookBack = rule.MaxTime
)

// known is a device as it is loaded at a start.
type known struct {
	device domain.Device
	via    domain.ID
	series []estate.Series // that are collected
	ghosts []estate.Series // that no longer are, while trouble on them is recorded
	faults []estate.Fault
}

// begin brings back rules, levels and windows, ends the trouble of what is
// gone, judges what came in without being judged before a crash, and starts.
func (j *Judge) begin(ctx context.Context, devices []known, states []store.RuleState) error {
	rules, err := j.store.Rules.Ever(ctx)
	if err != nil {
		return err
	}
	last, err := j.store.Settings.Get(ctx, respond.Recorded)
	if err != nil {
		return err
	}
	number, _ := strconv.ParseInt(last, 10, 64)
	j.recorder.goOn(number)
	now := j.clock.Now()
	j.estate.SetRules(rules)
	for _, d := range devices {
		j.estate.Set(watched(d.device, d.via), append(append([]estate.Series{}, d.series...), d.ghosts...), d.device.Health, now)
	}
	byID := map[domain.ID]rule.Rule{}
	for _, r := range rules {
		byID[r.ID] = r
	}
	for _, st := range states {
		j.estate.Restore(st.SeriesID, byID[st.RuleID], st.Level, st.Held, st.Why)
	}
	j.estate.Grace(now.Add(restGrace))
	for _, d := range devices {
		j.estate.RestoreFaults(d.device.ID, d.faults)
	}
	if err := j.remember(ctx, rules, now); err != nil {
		return err
	}
	var found estate.Result
	for _, d := range devices {
		if len(d.ghosts) > 0 {
			found.Add(j.estate.Set(watched(d.device, d.via), d.series, d.device.Health, now))
		}
	}
	found.Add(j.estate.Recheck(now))
	j.found(found)
	j.started.Store(true)
	go j.run()
	j.recorder.begin()
	return nil
}

// remember brings back the newest values of all series: from memory, and from
// the store where a rule looks back farther.
func (j *Judge) remember(ctx context.Context, rules []rule.Rule, now time.Time) error {
	since := now.Add(-lookBack)
	long := map[string]rule.Rule{}
	for _, r := range rules {
		if w := r.Window(); r.Enabled && (w.Count >= samples.KeepPoints || w.Span > 0) {
			long[r.Kit+"/"+r.Reading] = r
		}
	}
	j.store.Samples.EachLatest(since, func(id int64, points []codec.Point) {
		if s, ok := j.estate.Series(id); !ok || long[s.Kit+"/"+s.Reading].ID != 0 {
			return
		}
		for _, p := range points {
			if p.T > now.UnixMilli() {
				continue // the clock was set back since
			}
			j.estate.Remember(id, domain.Sample{At: time.UnixMilli(p.T).UTC(), Value: p.V})
		}
	})
	for _, r := range long {
		past, err := j.store.Values.OfReading(ctx, r.Kit, r.Reading, since, now)
		if err != nil {
			return err
		}
		for id, list := range past {
			j.estate.Remember(id, list...)
		}
	}
	return nil
}
