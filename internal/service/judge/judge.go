// Package judge lets people see, change and rehearse rules.
package judge

import (
	"context"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule"
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
func (s *Service) Subject(ctx context.Context, r rule.Rule) rule.Subject {
	if reading, ok := s.kits.CatalogueIn(ctx).Reading(r.Kit, r.Reading); ok {
		return reading.Subject()
	}
	return rule.Subject{Kind: domain.KindNumber, Unit: r.Unit}
}

// Form is how the condition of a rule is set: the fields of its kind, and
// their present values.
func (s *Service) Form(ctx context.Context, r rule.Rule) (kind rule.Kind, fields []field.Field, values map[string]string) {
	kind, _ = s.kinds.Of(r.Condition.Kind())
	return kind, kind.Fields(s.Subject(ctx, r)), kind.Values(r.Condition)
}

// Read takes the condition of a rule out of a form; the errors are by field.
func (s *Service) Read(ctx context.Context, r rule.Rule, values map[string]string) (rule.Rule, domain.FieldErrors) {
	kind, _ := s.kinds.Of(r.Condition.Kind())
	c, errs := kind.Read(s.Subject(ctx, r), values)
	r.Condition = c
	return r, errs
}

// Decode takes the condition of a rule out of a document, as programs send it.
func (s *Service) Decode(ctx context.Context, r rule.Rule, kind string, document []byte) (rule.Rule, error) {
	c, err := s.kinds.Decode(kind, document)
	if err != nil {
		return r, domain.FieldErrors{"condition": err.Error()}
	}
	if k, _ := s.kinds.Of(kind); !k.Fits(s.Subject(ctx, r)) {
		return r, domain.FieldErrors{"condition": "A rule of the kind " + kind + " cannot judge the values of this reading."}
	}
	if b, ok := c.(kit.Bound); ok {
		b.Bind(s.Subject(ctx, r).Codes)
	}
	r.Condition = c
	return r, nil
}

// Rules returns all rules, of those for one device alone those of devices that are seen.
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
