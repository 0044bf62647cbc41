package watch

import (
	"context"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/envelope"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// Chart is what a chart shows, ready to be drawn.
type Chart struct {
	Unit     string   `json:"unit"`
	Base     int      `json:"base"` // 1000 or 1024 between prefixes
	How      string   `json:"how"`  // which resolution is on screen
	From     int64    `json:"from"` // Unix seconds
	To       int64    `json:"to"`
	Lines    []Line   `json:"series"`
	Limits   []Limit  `json:"limits"`
	Marks    []Mark   `json:"marks"`
	Breaches []Breach `json:"breaches"`
}

// Line is one series: trend and envelope, with null where the line is broken.
type Line struct {
	Label   string     `json:"label"`
	Times   []int64    `json:"t"` // Unix seconds
	Avg     []*float64 `json:"avg"`
	Min     []*float64 `json:"min"`
	Max     []*float64 `json:"max"`
	Last    *float64   `json:"last"`
	Lowest  *float64   `json:"lowest"`
	Average *float64   `json:"average"`
	Highest *float64   `json:"highest"`
}

// Limit is a rule's limit for one level.
type Limit struct {
	Level string  `json:"level"`
	Value float64 `json:"value"`
	Label string  `json:"label"`
}

// Mark is a change of level.
type Mark struct {
	At    int64  `json:"at"`
	Level string `json:"level"`
}

// Breach is a time in trouble.
type Breach struct {
	From  int64  `json:"from"`
	To    int64  `json:"to"`
	Level string `json:"level"`
}

// chartPoints is how many rollups a chart has at most.
const chartPoints = 480

// Chart gathers series of one unit over a time, with limits and breaches of
// the first one.
func (s *Service) Chart(ctx context.Context, who access.Actor, ids []domain.ID, from, now time.Time) (Chart, error) {
	l, err := s.look(ctx, who)
	if err != nil {
		return Chart{}, err
	}
	return l.chart(ctx, ids, from, now)
}

func (s looking) chart(ctx context.Context, ids []domain.ID, from, now time.Time) (Chart, error) {
	c := Chart{From: from.Unix(), To: now.Unix(), Limits: []Limit{}, Marks: []Mark{}, Breaches: []Breach{}}
	for i, id := range ids {
		x, err := s.store.Series.One(ctx, id)
		if err != nil {
			return c, err
		}
		rollups, width, _, err := s.store.Values.Range(ctx, x, from, now, chartPoints)
		if err != nil {
			return c, err
		}
		line := Line{Label: x.Name}
		line.fill(rollups, max(width, x.Interval))
		c.Lines = append(c.Lines, line)
		if i == 0 {
			c.Unit, c.Base, c.How = x.Unit, units.Base(x.Unit), how(width, x.Interval, envelope.Pause(timesOf(rollups)))
			if err := s.judged(ctx, &c, x, from, now); err != nil {
				return c, err
			}
		}
	}
	return c, nil
}

// how tells which resolution is on screen. Values may usually lie further
// apart than the interval, such as those of a past that was brought in.
func how(width, interval time.Duration, pause int64) string {
	if width <= time.Second {
		if usual := time.Duration(pause) * time.Second; usual > interval*3/2 {
			return "every value, about " + units.Span(usual) + " apart"
		}
		return "every value, each " + units.Span(interval)
	}
	return "trend + true extremes, each " + units.Span(width)
}

// fill puts the rollups into a line, with a hole where it is broken.
func (l *Line) fill(rollups []domain.Rollup, interval time.Duration) {
	times := timesOf(rollups)
	breaks := envelope.Breaks(times, int64(interval/time.Second))
	n := len(rollups) + len(breaks)
	l.Times, l.Avg, l.Min, l.Max = make([]int64, 0, n), make([]*float64, 0, n), make([]*float64, 0, n), make([]*float64, 0, n)
	add := func(at int64, avg, lowest, highest *float64) {
		l.Times, l.Avg, l.Min, l.Max = append(l.Times, at), append(l.Avg, avg), append(l.Min, lowest), append(l.Max, highest)
	}
	count, sum := 0, 0.0
	for i, s := range rollups {
		if len(breaks) > 0 && breaks[0] == i {
			breaks = breaks[1:]
			add(times[i-1]+(times[i]-times[i-1])/2, nil, nil, nil)
		}
		add(times[i], &s.Avg, &s.Min, &s.Max)
		l.Last = &s.Avg
		if l.Lowest == nil || s.Min < *l.Lowest {
			l.Lowest = &s.Min
		}
		if l.Highest == nil || s.Max > *l.Highest {
			l.Highest = &s.Max
		}
		count += s.Count
		sum += s.Avg * float64(s.Count)
	}
	if count > 0 {
		mean := sum / float64(count)
		l.Average = &mean
	}
}

func timesOf(rollups []domain.Rollup) []int64 {
	out := make([]int64, len(rollups))
	for i, s := range rollups {
		out[i] = s.At.Unix()
	}
	return out
}

// judged adds limits, changes and times in trouble.
func (s looking) judged(ctx context.Context, c *Chart, x domain.Series, from, to time.Time) error {
	rules, err := s.store.Rules.On(ctx, x.Kit, x.Reading, x.DeviceID)
	if err != nil {
		return err
	}
	for _, r := range rules {
		if r.Enabled {
			c.Limits = append(c.Limits, limits(r)...)
		}
	}
	changes, err := s.store.Transitions.Find(ctx, domain.TransitionFilter{SeriesID: x.ID, From: from, Until: to})
	if err != nil {
		return err
	}
	slices.Reverse(changes)
	begins := map[domain.ID]domain.Transition{}
	for _, t := range changes {
		c.Marks = append(c.Marks, Mark{t.At.Unix(), string(t.To)})
		if b, open := begins[t.RuleID]; open || t.From != domain.Fine {
			start, level := from, string(t.From)
			if open {
				start, level = b.At, string(b.To)
			}
			c.Breaches = append(c.Breaches, Breach{start.Unix(), t.At.Unix(), level})
			delete(begins, t.RuleID)
		}
		if t.To != domain.Fine {
			begins[t.RuleID] = t
		}
	}
	for _, b := range begins {
		c.Breaches = append(c.Breaches, Breach{b.At.Unix(), to.Unix(), string(b.To)})
	}
	return nil
}

func limits(r rule.Rule) (out []Limit) {
	drawn, ok := r.Condition.(rule.Drawn)
	if !ok {
		return nil
	}
	for _, l := range drawn.Lines(r.Unit) {
		out = append(out, Limit{l.Level.String(), l.Value, l.Label})
	}
	return out
}
