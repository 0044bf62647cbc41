package watch

import (
	"context"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Chart is what a chart shows, ready to be drawn.
type Chart struct {
	Unit     string   `json:"unit"`
	Base     int      `json:"base"` // 1000 or 1024 between prefixes
	How      string   `json:"how"`  // which resolution is on screen
	From     int64    `json:"from"` // Unix seconds
	To       int64    `json:"to"`
	Times    []int64  `json:"t"`
	Lines    []Line   `json:"series"`
	Limits   []Limit  `json:"limits"`
	Marks    []Mark   `json:"marks"`
	Breaches []Breach `json:"breaches"`
	// pause is the longest time in seconds that does not break a line.
	pause int64
}

// Line is one series: trend and envelope, null where there is no value.
type Line struct {
	Label   string     `json:"label"`
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

// chartPoints is how many steps a chart has at most.
const chartPoints = 480

// Chart gathers series of one unit over a time, with limits and breaches of
// the first one.
func (s *Service) Chart(ctx context.Context, ids []domain.ID, span time.Duration, now time.Time) (Chart, error) {
	from := now.Add(-span)
	c := Chart{From: from.Unix(), To: now.Unix(), Times: []int64{}, Limits: []Limit{}, Marks: []Mark{}, Breaches: []Breach{}}
	parts := [][]domain.Step{}
	for i, id := range ids {
		x, err := s.store.Series(ctx, id)
		if err != nil {
			return c, err
		}
		steps, width, _, err := s.store.Range(ctx, x, from, now, chartPoints)
		if err != nil {
			return c, err
		}
		parts = append(parts, steps)
		c.Lines = append(c.Lines, Line{Label: x.Name})
		if i == 0 {
			c.Unit, c.Base, c.How = x.Unit, units.Base(x.Unit), how(width, x.Interval)
			if err := s.judged(ctx, &c, x, from, now); err != nil {
				return c, err
			}
			c.pause = int64(3 * max(width, x.Interval) / time.Second)
		}
	}
	c.fill(parts)
	return c, nil
}

func how(width, interval time.Duration) string {
	if width <= time.Second {
		return "every value, each " + units.Span(interval)
	}
	return "trend + true extremes, " + units.Span(width) + " steps"
}

// fill lays all series over one row of times.
func (c *Chart) fill(parts [][]domain.Step) {
	places := map[int64]int{}
	for _, steps := range parts {
		for _, s := range steps {
			places[s.At.Unix()] = 0
		}
	}
	for at := range places {
		c.Times = append(c.Times, at)
	}
	slices.Sort(c.Times)
	for i := len(c.Times) - 1; i > 0; i-- { // a time without values breaks the line
		if c.Times[i]-c.Times[i-1] > c.pause {
			c.Times = slices.Insert(c.Times, i, c.Times[i-1]+c.pause/2)
		}
	}
	for i, at := range c.Times {
		places[at] = i
	}
	for k, steps := range parts {
		c.Lines[k].fill(steps, places, len(c.Times))
	}
}

func (l *Line) fill(steps []domain.Step, places map[int64]int, n int) {
	l.Avg, l.Min, l.Max = make([]*float64, n), make([]*float64, n), make([]*float64, n)
	count, sum := 0, 0.0
	for _, s := range steps {
		i := places[s.At.Unix()]
		l.Avg[i], l.Min[i], l.Max[i] = &s.Avg, &s.Min, &s.Max
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

// judged adds limits, changes and times in trouble.
func (s *Service) judged(ctx context.Context, c *Chart, x domain.Series, from, to time.Time) error {
	rules, err := s.store.Rules(ctx)
	if err != nil {
		return err
	}
	for _, r := range rules {
		if r.Kit == x.Kit && r.Reading == x.Reading && r.Enabled {
			c.Limits = append(c.Limits, limits(r)...)
		}
	}
	changes, err := s.store.Transitions(ctx, store.TransitionFilter{SeriesID: x.ID, From: from, Until: to})
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
	for l := domain.LevelNotice; l <= domain.LevelCritical; l++ {
		if limit, ok := r.Limits[l]; ok {
			label := fmt.Sprintf("%s %s", l, units.Format(limit.Raise, r.Unit))
			if r.InARow > 1 {
				label += fmt.Sprintf(" for %d", r.InARow)
			}
			out = append(out, Limit{l.String(), limit.Raise, label})
		}
	}
	return out
}
