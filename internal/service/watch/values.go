package watch

import (
	"context"
	"maps"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// ListedValue is a newest value with the names of what it belongs to.
type ListedValue = store.ListedValue

// MostCounted is up to how many newest values are counted.
const MostCounted = domain.MostCounted

// Values returns newest values over all devices, and how many match.
func (s *Service) Values(ctx context.Context, who access.Actor, f domain.ValueFilter) ([]ListedValue, int64, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, 0, err
	}
	return l.store.Values.Listed(ctx, f)
}

// Groups counts the newest values of some groups of a filter, by their keys.
func (s *Service) Groups(ctx context.Context, who access.Actor, f domain.ValueFilter, keys []string) (map[string]int64, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	return l.store.Values.Groups(ctx, f, keys)
}

// mostGlanced bounds how many series are looked at in one glance, and in how many rollups each.
const (
	mostGlanced  = 100
	glancePoints = 60
)

// Glance is what a series did in a time, in a few rollups, and since when its value stands.
type Glance struct {
	Rollups []domain.Rollup
	Since   time.Time // of a state or text; zero for others
}

// Glances returns what some series did between two times; at most 100 of them.
func (s *Service) Glances(ctx context.Context, who access.Actor, ids []domain.ID, from, to time.Time) (map[domain.ID]Glance, error) {
	if !from.Before(to) {
		return nil, domain.FieldErrors{"from": "Must lie before the end."}
	}
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	seen, err := l.store.Series.Some(ctx, ids[:min(len(ids), mostGlanced)])
	if err != nil {
		return nil, err
	}
	rollups, err := l.store.Values.Glances(ctx, domain.IDsOf(seen), from.UTC(), to.UTC(), glancePoints)
	if err != nil {
		return nil, err
	}
	standing, err := l.store.Values.Standing(ctx, seen)
	out := make(map[domain.ID]Glance, len(seen))
	for _, x := range seen {
		out[x.ID] = Glance{rollups[x.ID], standing[x.ID].From}
	}
	return out, err
}

// Becauses says in words why some values are what they are, where their kits have that told, by their series.
func (s *Service) Becauses(ctx context.Context, who access.Actor, rows []ListedValue) (map[domain.ID]string, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	wanted := map[domain.ID]string{}
	for _, x := range rows {
		if r, _ := s.kits.Catalogue().Reading(x.Kit, x.Reading); r.Because != "" {
			wanted[x.SeriesID] = r.Because
		}
	}
	if len(wanted) == 0 {
		return nil, nil
	}
	beside, err := l.store.Series.Beside(ctx, wanted)
	if err != nil {
		return nil, err
	}
	standing, err := l.store.Values.Standing(ctx, slices.Collect(maps.Values(beside)))
	out := make(map[domain.ID]string, len(beside))
	for id, says := range beside {
		out[id] = standing[says.ID].Text
	}
	return out, err
}

// Waits tells what those of some series wait for that have no value yet.
func (s *Service) Waits(ctx context.Context, who access.Actor, ids []domain.ID) (map[domain.ID]kit.Waiting, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	series, err := l.store.Series.Some(ctx, ids)
	if err != nil {
		return nil, err
	}
	series = slices.DeleteFunc(series, func(x domain.Series) bool { return x.State != domain.SeriesWaiting })
	asked, err := l.asking(ctx, devicesOf(series))
	if err != nil {
		return nil, err
	}
	out := map[domain.ID]kit.Waiting{}
	for _, x := range series {
		of, known := asked[x.DeviceID]
		if w, ok := s.waits(x, of); known && ok {
			out[x.ID] = w
		}
	}
	return out, nil
}

func devicesOf(series []domain.Series) (out []domain.ID) {
	for _, x := range series {
		if !slices.Contains(out, x.DeviceID) {
			out = append(out, x.DeviceID)
		}
	}
	return out
}

func (s *Service) waits(x domain.Series, of asking) (w kit.Waiting, ok bool) {
	k, err := s.kits.Kit(x.Kit)
	if err != nil {
		return w, false
	}
	r, ok := k.Reading(x.Reading)
	if !ok {
		return w, false
	}
	src, _ := k.Source(r.Source)
	key := x.Kit + "/" + r.Source
	return kit.Waits(r, src, of.runs[key], of.problems[key]), true
}

// asking is how a device was asked last, and what is wrong with what fails, by kit/source.
type asking struct {
	runs     map[string]domain.SourceRun
	problems map[string]string
}

func (l looking) asking(ctx context.Context, devices []domain.ID) (map[domain.ID]asking, error) {
	failing, err := l.store.Sources.FailingOn(ctx, devices)
	if err != nil {
		return nil, err
	}
	brief, cancel := context.WithTimeout(ctx, askingPatience)
	defer cancel()
	runs, err := l.engine.Ran(brief, devices...)
	if err != nil && ctx.Err() == nil {
		return nil, nil // it is busy: then nothing is told of what is waited for
	}
	out := make(map[domain.ID]asking, len(devices))
	for _, id := range devices {
		out[id] = asking{runs[id], map[string]string{}}
	}
	for _, x := range failing {
		out[x.DeviceID].problems[x.Kit+"/"+x.Source] = x.Error
	}
	return out, err
}

// askingPatience is how long a page waits to be told when sources are asked.
const askingPatience = 2 * time.Second
