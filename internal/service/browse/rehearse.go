package browse

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
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
	// Sample is the row of which Steps tell what each step made of its newest value, after what the
	// device said.
	Sample string     `json:"sample"`
	Steps  []StepSeen `json:"steps"`
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

// StepSeen is what one step made of a value, or why it made nothing.
type StepSeen struct {
	Value   string `json:"value"`
	Problem string `json:"problem,omitempty"`
}

// mostSeen is how many rows a rehearsal tells one by one.
const mostSeen = 500

// Rehearse looks at a device as a draft would have it collected. What is wrong with the draft is
// told by field. What was looked at a moment ago is not asked for again, unless afresh is true:
// steps are tried on the same values. Its steps are told of the row called sample, or the first
// that is kept.
func (s *Service) Rehearse(
	ctx context.Context,
	who access.Actor,
	deviceID domain.ID,
	d own.Draft,
	sample string,
	afresh bool,
) (r Rehearsal, err error) {
	device, q, err := s.speak(ctx, who, deviceID)
	if err != nil {
		return r, err
	}
	t, cost, err := s.trial(ctx, who, device, d)
	if err != nil {
		return r, err
	}
	q.Every, q.Ask, q.Columns = t.src.Every, t.src.Ask, t.src.Columns()
	if t.looks = s.recent.get(deviceID, q); t.looks == nil || afresh {
		if r.Problem, err = s.lookAt(ctx, q, t); err != nil {
			return r, err
		}
		s.recent.keep(deviceID, q, t.looks)
	}
	stored := t.into(&r, sample)
	oid, err := mib.ParseOID(d.OID)
	if err != nil {
		return r, domain.FieldErrors{"at": err.Error()}
	}
	r.Cautions = d.Cautions(own.Seen{Raw: t.newest(), Stored: stored}, s.best(oid, d))
	r.Cost = cost.Estimate(func(kit.Parts) int { return r.Kept }, s.kits.BytesPerSample(ctx))
	return r, nil
}

// best is how the object of a draft is best read, as far as its description says.
func (s *Service) best(oid mib.OID, d own.Draft) own.Draft {
	o, rest, _ := s.objects().Over(oid)
	if !o.Valued() {
		return d
	}
	return own.Propose(s.objects(), o, rest, mib.Value{})
}

func (s *Service) lookAt(ctx context.Context, q way.Question, t *trial) (problem string, err error) {
	t.looks = nil
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
