package watch

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/aggregate"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// SeriesPage is all that the page of a series shows.
type SeriesPage struct {
	Series  domain.Series
	Device  domain.Device
	Part    string
	Changes []domain.Transition
	Rules   []rule.Rule // that judge it, with those that are switched off
	// Implausible are values that cannot be; nil where there are none.
	Implausible *domain.Implausible
	// Waits is what it waits for; nil where it has values.
	Waits *kit.Waiting
}

// WaitsFor says what it waits for.
func (p SeriesPage) WaitsFor() string { return p.Waits.Words(time.Now()) }

// seriesChanges is how many changes the page of a series shows.
const seriesChanges = 30

// Series returns one series, or ErrNotFound.
func (s *Service) Series(ctx context.Context, who access.Actor, id domain.ID) (domain.Series, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return domain.Series{}, err
	}
	return l.store.Series.One(ctx, id)
}

// SeriesPage gathers the page of a series.
func (s *Service) SeriesPage(ctx context.Context, who access.Actor, id domain.ID) (out SeriesPage, err error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return out, err
	}
	if out.Series, err = l.store.Series.One(ctx, id); err != nil {
		return out, err
	}
	if out.Device, err = l.store.Devices.One(ctx, out.Series.DeviceID); err != nil {
		return out, err
	}
	if out.Changes, err = l.store.Transitions.Find(ctx, domain.TransitionFilter{SeriesID: id, Limit: seriesChanges}); err != nil {
		return out, err
	}
	if out.Part, err = l.store.Parts.Name(ctx, out.Series.PartID); err != nil {
		return out, err
	}
	if out.Rules, err = l.store.Rules.On(ctx, out.Series.Kit, out.Series.Reading, out.Series.DeviceID); err != nil {
		return out, err
	}
	apart, err := l.store.Implausible.Of(ctx, []domain.ID{id})
	if a, ok := apart[id]; ok {
		out.Implausible = &a
	}
	if err == nil && out.Series.State == domain.SeriesWaiting {
		var asked map[domain.ID]asking
		asked, err = l.asking(ctx, []domain.ID{out.Series.DeviceID})
		of, known := asked[out.Series.DeviceID]
		if w, ok := s.waits(out.Series, of); known && ok {
			out.Waits = &w
		}
	}
	return out, err
}

// Reading is a series with its newest value.
type Reading struct {
	domain.Series
	Latest *store.Latest // nil while it waits for its first value
	// Stood is the value of a state or text with since when it stands.
	Stood *domain.Run
	// Implausible are values that cannot be, kept apart.
	Implausible *domain.Implausible
}

// Readings returns all series of a device with their newest values.
func (s *Service) Readings(ctx context.Context, who access.Actor, deviceID domain.ID) ([]Reading, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	if _, err := l.store.Devices.One(ctx, deviceID); err != nil {
		return nil, err
	}
	series, err := l.store.Series.Of(ctx, deviceID)
	if err != nil {
		return nil, err
	}
	standing, err := l.store.Values.Standing(ctx, series)
	if err != nil {
		return nil, err
	}
	apart, err := l.store.Implausible.Of(ctx, domain.IDsOf(series))
	if err != nil {
		return nil, err
	}
	latest := l.store.Values.LatestIn(domain.IDsOf(series))
	out := make([]Reading, len(series))
	for i, x := range series {
		out[i] = Reading{Series: x}
		if v, ok := latest[x.ID]; ok {
			out[i].Latest = &v
		}
		if run, ok := standing[x.ID]; ok {
			out[i].Stood = &s.worded(x, []domain.Run{run})[0]
		}
		if a, ok := apart[x.ID]; ok {
			out[i].Implausible = &a
		}
	}
	return out, nil
}

// Parts returns the parts of a device.
func (s *Service) Parts(ctx context.Context, who access.Actor, deviceID domain.ID) ([]domain.Part, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	if _, err := l.store.Devices.One(ctx, deviceID); err != nil {
		return nil, err
	}
	return l.store.Parts.Of(ctx, deviceID)
}

// One returns one device, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (domain.Device, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return domain.Device{}, err
	}
	return l.store.Devices.One(ctx, id)
}

// Find returns devices, and how many match in all.
func (s *Service) Find(ctx context.Context, who access.Actor, f domain.DeviceFilter) ([]domain.Device, int64, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, 0, err
	}
	if f.Picked, err = l.store.Picked(ctx, f.Search); err != nil {
		return nil, 0, err
	}
	if f.Picked != nil {
		f.Search = ""
	}
	return l.store.Devices.Find(ctx, f)
}

// Samples are the values of a series between two times as rollups with their true
// extremes.
type Samples struct {
	Series     domain.Series
	Rollups    []domain.Rollup
	Width      time.Duration // of the rollups
	Resolution time.Duration // of what was read: 0 for single values
}

// Samples answers about one series, in at most about points rollups.
func (s *Service) Samples(ctx context.Context, who access.Actor, id domain.ID, from, to time.Time, points int) (out Samples, err error) {
	if !from.Before(to) {
		return out, domain.FieldErrors{"from": "Must lie before the end."}
	}
	l, err := s.look(ctx, who)
	if err != nil {
		return out, err
	}
	if out.Series, err = l.store.Series.One(ctx, id); err != nil {
		return out, err
	}
	out.Rollups, out.Width, out.Resolution, err = l.store.Values.Range(ctx, out.Series, from.UTC(), to.UTC(), points)
	return out, err
}

// Question asks about one reading over all its series, or those of a device.
type Question struct {
	Kit, Reading, Device string
	How                  aggregate.How
	From, To             time.Time
	Points, Top          int
}

// Combined is the answer.
type Combined struct {
	store.Combined
	Unit  string
	Named map[domain.ID]store.NamedSeries // all that were combined
}

// Combine combines all series of one reading, and names the highest.
func (s *Service) Combine(ctx context.Context, who access.Actor, q Question) (out Combined, err error) {
	if !q.From.Before(q.To) {
		return out, domain.FieldErrors{"from": "Must lie before the end."}
	}
	l, err := s.look(ctx, who)
	if err != nil {
		return out, err
	}
	named, err := l.store.Series.Named(ctx, store.NamedFilter{Kit: q.Kit, Reading: q.Reading, Device: q.Device})
	if err != nil {
		return out, err
	}
	if len(named) == 0 {
		return out, domain.ErrNotFound
	}
	ids := make([]domain.ID, len(named))
	out.Unit, out.Named = named[0].Unit, make(map[domain.ID]store.NamedSeries, len(named))
	for i, x := range named {
		ids[i], out.Named[x.ID] = x.ID, x
	}
	out.Combined, err = l.store.Values.Combine(ctx, ids, q.From.UTC(), q.To.UTC(), q.Points, q.How, q.Top)
	return out, err
}

// WhyValue explains the newest value of a series; nothing can be told of one that is not
// collected.
func (s *Service) WhyValue(ctx context.Context, who access.Actor, id domain.ID) (why.Trace, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return why.Trace{}, err
	}
	x, err := l.store.Series.One(ctx, id)
	if err != nil {
		return why.Trace{}, err
	}
	t, err := s.engine.WhyValue(ctx, x)
	if errors.Is(err, domain.ErrNotFound) {
		return why.Trace{
			Question: "Where does “" + x.Name + "” come from?",
			Answer:   "It is not collected now: its part is gone, or its kit is no longer fitted.",
		}, nil
	}
	return t, err
}

// Timeline is a page of changes of health, with the names of their devices.
type Timeline struct {
	Rows  []domain.Transition
	Total int64 // in all, where a page was asked for
	Names map[domain.ID]string
}

// Transitions returns changes of health, newest first.
func (s *Service) Transitions(ctx context.Context, who access.Actor, f domain.TransitionFilter) (out Timeline, err error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return out, err
	}
	if f.Page != nil {
		out.Rows, out.Total, err = l.store.Transitions.Page(ctx, f)
	} else {
		out.Rows, err = l.store.Transitions.Find(ctx, f)
	}
	if err != nil {
		return out, err
	}
	ids := make([]domain.ID, len(out.Rows))
	for i, t := range out.Rows {
		ids[i] = t.DeviceID
	}
	out.Names, err = l.store.Devices.Names(ctx, ids)
	return out, err
}

// Transition returns one change of health, or ErrNotFound.
func (s *Service) Transition(ctx context.Context, who access.Actor, id domain.ID) (domain.Transition, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return domain.Transition{}, err
	}
	return l.store.Transitions.One(ctx, id)
}

// Hit is something that a search found.
type Hit = store.Hit

// Search finds things by any fragment of their names, addresses or attributes, readings by
// what kits call them; typing errors are forgiven where little is found.
func (s *Service) Search(ctx context.Context, who access.Actor, text string, limit int) ([]Hit, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return nil, err
	}
	found, err := l.store.Hits.Find(ctx, text, cmp.Or(limit, 10))
	if err == nil && len(found) == 0 {
		found, err = s.guessed(ctx, l, text, cmp.Or(limit, 10))
	}
	if err != nil || who.Scope(domain.AreaCollect, domain.AccessSee).None() {
		return found, err
	}
	return append(found, s.readings(text)...), nil
}

// mostReadings is how many readings a search finds.
const mostReadings = 4

// readings finds those of which the name has all words of a text in it. The note of such a
// hit is kit and reading.
func (s *Service) readings(typed string) (out []Hit) {
	words := strings.Fields(strings.ToLower(typed))
	for _, k := range s.kits.Kits() {
		for _, r := range k.Readings {
			name := strings.ToLower(r.Name)
			if slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(name, w) }) {
				continue
			}
			if len(out) < mostReadings {
				out = append(out, Hit{Kind: "reading", Name: r.Name, Note: k.Name + "/" + r.Key})
			}
		}
	}
	return out
}
