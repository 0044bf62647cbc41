package judge

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Rehearsal tells what a rule would have raised on the recorded past.
type Rehearsal struct {
	From, To time.Time
	Series   int // watched
	Alerts   int
	ByLevel  map[domain.Level]int
	Longest  time.Duration
	// Worst are the series with most alerts, at most ten.
	Worst []Noisy
	// Lasting are those that would be in trouble now, by level.
	Lasting map[domain.Level]int
	Why     why.Trace
}

// Noisy is a series with the alerts that it would have raised.
type Noisy struct {
	Series domain.Series
	Device string
	Part   string
	Alerts int
	Peak   float64
	Lasts  bool // it would be in trouble now
}

// maxRehearsed bounds how many series one rehearsal reads.
const maxRehearsed = 600

// Rehearse tries a rule, saved or not, on what was recorded in the last hours.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, r rule.Rule, span time.Duration) (Rehearsal, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return Rehearsal{}, err
	}
	if errs := r.Validate(); len(errs) > 0 {
		return Rehearsal{}, errs
	}
	now := time.Now().UTC()
	out := Rehearsal{From: now, To: now, ByLevel: map[domain.Level]int{}, Lasting: map[domain.Level]int{}}
	subjects, err := seen.Series.OfReading(ctx, store.Read{Kit: r.Kit, Reading: r.Reading, DeviceID: r.DeviceID}, maxRehearsed)
	if err != nil {
		return out, err
	}
	out.Series = len(subjects)
	ids, byID := make([]domain.ID, len(subjects)), make(map[domain.ID]store.SeriesSubject, len(subjects))
	for i, x := range subjects {
		ids[i], byID[x.ID] = x.ID, x
	}
	err = seen.Values.Each(ctx, ids, now.Add(-span), now, func(id domain.ID, past []domain.Sample) {
		if past[0].At.Before(out.From) {
			out.From = past[0].At // what was really tried, not what was asked for
		}
		out.add(r, byID[id], rule.Rehearse(r, past), now)
	})
	out.finish(r)
	return out, err
}

func (out *Rehearsal) add(r rule.Rule, x store.SeriesSubject, episodes []rule.Episode, now time.Time) {
	if len(episodes) == 0 {
		return
	}
	n := Noisy{Series: x.Series, Device: x.Device, Part: x.Part, Alerts: len(episodes), Peak: episodes[0].Peak}
	for _, e := range episodes {
		out.Alerts++
		out.ByLevel[e.Level]++
		if r.Condition.Worse(e.Peak, n.Peak) {
			n.Peak = e.Peak
		}
		end := e.To
		if end.IsZero() {
			end = now
			n.Lasts = true
			out.Lasting[e.Level]++
		}
		out.Longest = max(out.Longest, end.Sub(e.From))
	}
	out.Worst = append(out.Worst, n)
}
