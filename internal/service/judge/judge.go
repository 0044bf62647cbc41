// Package judge lets people see, change and rehearse rules.
package judge

import (
	"context"
	"errors"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
)

// Service is the use cases of judging.
type Service struct {
	store *store.Store
	desk  *act.Desk
	kits  *collect.Service
	kinds rule.Kinds
	// inForce puts a changed set of rules in force.
	inForce func(context.Context, []rule.Rule)
}

// New returns the service.
func New(s *store.Store, desk *act.Desk, kits *collect.Service, kinds rule.Kinds, inForce func(context.Context, []rule.Rule)) *Service {
	return &Service{store: s, desk: desk, kits: kits, kinds: kinds, inForce: inForce}
}

// Subject is what the values of a rule's reading are.
func (s *Service) Subject(r rule.Rule) rule.Subject {
	if reading, ok := s.kits.Catalogue().Reading(r.Kit, r.Reading); ok {
		return reading.Subject()
	}
	return rule.Subject{Kind: domain.KindNumber, Unit: r.Unit}
}

// Form is how the condition of a rule is set: the fields of its kind, and
// their present values.
func (s *Service) Form(r rule.Rule) (kind rule.Kind, fields []field.Field, values map[string]string) {
	kind, _ = s.kinds.Of(r.Condition.Kind())
	return kind, kind.Fields(s.Subject(r)), kind.Values(r.Condition)
}

// Read takes the condition of a rule out of a form; the errors are by field.
func (s *Service) Read(r rule.Rule, values map[string]string) (rule.Rule, domain.FieldErrors) {
	kind, _ := s.kinds.Of(r.Condition.Kind())
	c, errs := kind.Read(s.Subject(r), values)
	r.Condition = c
	return r, errs
}

// Decode takes the condition of a rule out of a document, as programs send it.
func (s *Service) Decode(r rule.Rule, kind string, document []byte) (rule.Rule, error) {
	c, err := s.kinds.Decode(kind, document)
	if err != nil {
		return r, domain.FieldErrors{"condition": err.Error()}
	}
	if k, _ := s.kinds.Of(kind); !k.Fits(s.Subject(r)) {
		return r, domain.FieldErrors{"condition": "A rule of the kind " + kind + " cannot judge the values of this reading."}
	}
	if b, ok := c.(kit.Bound); ok {
		b.Bind(s.Subject(r).Codes)
	}
	r.Condition = c
	return r, nil
}

// Rules returns all rules: they are the same for all places.
func (s *Service) Rules(ctx context.Context, who access.Actor) ([]rule.Rule, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return nil, err
	}
	return seen.Rules.All(ctx)
}

// Rule returns one rule, or ErrNotFound.
func (s *Service) Rule(ctx context.Context, who access.Actor, id domain.ID) (rule.Rule, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return rule.Rule{}, err
	}
	return seen.Rules.One(ctx, id)
}

// Noise is how much a rule was heard of.
type Noise = store.RuleNoise

// Noise counts the alerts of each rule since a time, as far as they are seen.
func (s *Service) Noise(ctx context.Context, who access.Actor, since time.Time) (map[domain.ID]Noise, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaJudge)
	if err != nil {
		return nil, err
	}
	return seen.Rules.Noise(ctx, since)
}

var changeRule = act.Deed{Name: "change a rule", Area: domain.AreaJudge, Needs: domain.AccessConfigure}

// Save changes a rule and puts it in force at once. Kit, reading and unit
// stay what they are. It is ErrChanged where the rule has another version, but zero.
func (s *Service) Save(ctx context.Context, who access.Actor, r rule.Rule) (rule.Rule, error) {
	err := s.desk.Do(ctx, who, changeRule, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		old, err := w.Rules.Lock(ctx, r.ID)
		if err != nil {
			return err
		}
		if r.Version != 0 && r.Version != old.Version {
			return domain.ErrChanged
		}
		r.Version = old.Version
		r.Key, r.Kit, r.Reading, r.Unit, r.Cause = old.Key, old.Kit, old.Reading, old.Unit, old.Cause
		if errs := r.Validate(); len(errs) > 0 {
			return errs
		}
		saved, err := w.Rules.Save(ctx, r)
		if errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"name": "Another rule on this reading has the same name."}
		}
		if err != nil {
			return err
		}
		before, err := notedOf(old)
		if err != nil {
			return err
		}
		after, err := notedOf(saved)
		if err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "rule", ID: r.ID, Name: r.Name}, before, after)
		r = saved
		w.Then(s.putInForce)
		return nil
	})
	return r, err
}

// putInForce takes up what is stored.
func (s *Service) putInForce(ctx context.Context) error {
	rules, err := s.store.Rules.All(ctx)
	if err == nil {
		s.inForce(ctx, rules)
	}
	return err
}

// Rehearsal tells what a rule would have raised on the recorded past.
type Rehearsal struct {
	From, To time.Time
	Series   int // watched
	Alerts   int
	ByLevel  map[domain.Level]int
	Longest  time.Duration
	// Worst are the series with most alerts, at most ten.
	Worst []Noisy
	Why   why.Trace
}

// Noisy is a series with the alerts that it would have raised.
type Noisy struct {
	Series domain.Series
	Device string
	Part   string
	Alerts int
	Peak   float64
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
	out := Rehearsal{From: now, To: now, ByLevel: map[domain.Level]int{}}
	subjects, err := seen.Series.OfReading(ctx, r.Kit, r.Reading, maxRehearsed)
	if err != nil {
		return out, err
	}
	out.Series = len(subjects)
	past, err := seen.Values.OfReading(ctx, r.Kit, r.Reading, now.Add(-span), now)
	if err != nil {
		return out, err
	}
	for _, x := range subjects {
		if old := past[x.ID]; len(old) > 0 && old[0].At.Before(out.From) {
			out.From = old[0].At // what was really tried, not what was asked for
		}
		out.add(r, x, rule.Rehearse(r, past[x.ID]), now)
	}
	out.finish(r)
	return out, nil
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
		}
		out.Longest = max(out.Longest, end.Sub(e.From))
	}
	out.Worst = append(out.Worst, n)
}
