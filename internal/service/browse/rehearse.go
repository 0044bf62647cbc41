package browse

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
)

// A rehearsal looks three times: a counter needs two looks for each value.
const (
	looks = 3
	apart = 2 * time.Second
)

// Rehearsal is what would be stored of a draft, as seen just now.
type Rehearsal struct {
	// Rows are those of its table, or the one of a single value.
	Rows []RowSeen `json:"rows"`
	Kept int       `json:"kept"`
	Left int       `json:"left"`
	Cost kit.Cost  `json:"cost"`
	// Cautions are what does not fit together.
	Cautions []own.Caution `json:"cautions"`
	Problem  string        `json:"problem,omitempty"`
}

// RowSeen is a row with what becomes of it.
type RowSeen struct {
	Index  string   `json:"index"`
	Name   string   `json:"name"`
	Keeps  bool     `json:"keeps"`
	Why    string   `json:"why"`
	Raw    string   `json:"raw"`
	Values []string `json:"values"` // as they would be stored, or why there is none
}

// mostSeen is how many rows a rehearsal tells one by one.
const mostSeen = 500

// Rehearse looks at a device as a draft would have it collected. What is wrong with the draft is
// told by field.
func (s *Service) Rehearse(ctx context.Context, who access.Actor, deviceID domain.ID, d own.Draft) (r Rehearsal, err error) {
	device, q, err := s.speak(ctx, who, deviceID)
	if err != nil {
		return r, err
	}
	set, errs := own.Set{}.With(d)
	if len(errs) > 0 {
		return r, errs
	}
	k, err := s.kits.OwnKit(set, device.ID)
	if err != nil {
		return r, domain.FieldErrors{"name": err.Error()}
	}
	t := trial{kit: k, reading: k.Readings[0]}
	t.src, _ = k.Source(t.reading.Source)
	q.Every, q.Ask, q.Columns = t.src.Every, t.src.Ask, t.src.Columns()
	if r.Problem, err = s.lookAt(ctx, q, &t); err != nil {
		return r, err
	}
	t.into(&r)
	r.Cautions = d.Cautions(t.newest())
	r.Cost = k.Estimate(func(kit.Parts) int { return r.Kept }, s.kits.BytesPerSample(ctx))
	return r, nil
}

// trial is what was seen of one reading.
type trial struct {
	kit     *kit.Kit
	reading kit.Reading
	src     kit.Source
	looks   []derive.Fetched
}

func (s *Service) lookAt(ctx context.Context, q way.Question, t *trial) (problem string, err error) {
	for i := range looks {
		if i > 0 {
			select {
			case <-ctx.Done():
				return "", ctx.Err()
			case <-time.After(s.apart):
			}
		}
		got := s.device.Ask(ctx, q)
		if got.Error != "" {
			return got.Error, nil
		}
		t.looks = append(t.looks, got)
	}
	return "", nil
}

// into tells each row of the last look, with the values that the looks gave.
func (t *trial) into(r *Rehearsal) {
	if len(t.looks) == 0 {
		return
	}
	last := t.looks[len(t.looks)-1]
	def, rows := t.kit.PartsOf(t.reading.Of)
	for _, row := range last.Rows {
		seen := RowSeen{Index: row.Index, Keeps: true, Raw: t.raw(row), Values: t.values(row.Index)}
		if rows {
			seen.Keeps, seen.Why = def.Filter.Decide(t.src, row)
			seen.Name = collect.RowName(t.src, def, row)
		}
		if seen.Keeps {
			r.Kept++
		} else {
			r.Left++
		}
		if len(r.Rows) < mostSeen {
			r.Rows = append(r.Rows, seen)
		}
	}
}

func (t *trial) raw(row derive.Row) string {
	if i := t.src.Column(t.reading.Value[0]); i < len(row.Values) {
		return derive.CleanText(row.Values[i].String())
	}
	return ""
}

// values are those that would be stored of a row, of all looks but the first where that only
// begins a rate.
func (t *trial) values(index string) (out []string) {
	formula, st := t.kit.Formula(t.reading, t.src), derive.State{}
	for i, got := range t.looks {
		for _, row := range got.Rows {
			if row.Index != index {
				continue
			}
			value := t.value(formula, got, row, &st)
			if i > 0 {
				out = append(out, value)
			}
		}
	}
	return out
}

func (t *trial) value(f derive.Formula, got derive.Fetched, row derive.Row, st *derive.State) string {
	if t.reading.Text {
		text, ok, problem := f.Text(row)
		if !ok {
			return problem
		}
		return text
	}
	taken := f.Apply(got, row, st, 0)
	switch {
	case taken.OK && len(t.reading.Codes) > 0:
		if word, ok := t.reading.Codes[int(taken.Value)]; ok {
			return word
		}
		return fmt.Sprint(taken.Value)
	case taken.OK:
		return units.Format(taken.Value, t.reading.Unit)
	case taken.Problem != "":
		return taken.Problem
	}
	return "waits for a second look"
}

// newest are the numbers that came of the last look before anything was made of them.
func (t *trial) newest() (out []derive.Value) {
	if len(t.looks) == 0 {
		return nil
	}
	at := t.src.Column(t.reading.Value[0])
	for _, row := range t.looks[len(t.looks)-1].Rows {
		if at < len(row.Values) {
			out = append(out, row.Values[at])
		}
	}
	return out
}
