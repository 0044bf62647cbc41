package fitting

import (
	"context"
	"errors"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/domain"
)

// Answer is what a condition says of a device.
type Answer struct {
	Device domain.Device
	Holds  bool
	// Because is why, with the values that were asked for; Wrong where it could not be decided.
	Because string
	Wrong   bool
}

// Trial is what a rule would do over the whole estate.
type Trial struct {
	Answers []Answer // of all devices, by name
	Holds   int
	Wrong   int
	Rehearsal
}

// Try asks the condition of a rule about every device, and tells who would gain and lose kits by it. A rule
// without kits or a name is asked all the same. Errors are by field.
func (s *Service) Try(ctx context.Context, who access.Actor, r domain.FittingRule) (t Trial, err error) {
	seen, err := s.Desk.SeeWhole(ctx, who, domain.AreaCollect)
	if err != nil {
		return t, err
	}
	r, errs := s.tidy(ctx, r)
	delete(errs, "name")
	if len(r.Fits)+len(r.KeepsOff) == 0 {
		delete(errs, "kits") // they are not chosen yet
	}
	if len(errs) > 0 {
		return t, errs
	}
	before, err := s.read(ctx, &seen.Areas)
	if err != nil {
		return t, err
	}
	draft, err := fit.Read(r)
	if err != nil {
		return t, err
	}
	if err := t.ask(before, draft); err != nil {
		return t, err
	}
	after := before
	after.rules = before.rules.With(draft)
	t.Rehearsal, err = s.compare(ctx, &seen.Areas, before, after)
	return t, err
}

// ask asks a rule about every device. One that takes too long for a device is not asked any more.
func (t *Trial) ask(w world, r fit.Rule) error {
	for _, d := range w.devices {
		x := w.subject(d)
		a := Answer{Device: d}
		var err error
		if a.Holds, a.Because, err = r.Holds(&x); err != nil {
			if errors.Is(err, condition.ErrTooLong) {
				return domain.FieldErrors{"when": "It takes too long to decide about " + d.Name + ": write it more simply."}
			}
			a.Because, a.Wrong = err.Error(), true
			t.Wrong++
		}
		if a.Holds {
			t.Holds++
		}
		t.Answers = append(t.Answers, a)
	}
	return nil
}

// RehearseRemoval tells what removing a rule would do, and changes nothing.
func (s *Service) RehearseRemoval(ctx context.Context, who access.Actor, id domain.ID) (out Rehearsal, err error) {
	seen, err := s.Desk.SeeWhole(ctx, who, domain.AreaCollect)
	if err != nil {
		return out, err
	}
	if _, err := s.Rule(ctx, who, id); err != nil {
		return out, err
	}
	before, err := s.read(ctx, &seen.Areas)
	if err != nil {
		return out, err
	}
	after := before
	after.rules = slices.DeleteFunc(slices.Clone(before.rules), func(r fit.Rule) bool { return r.ID == id })
	return s.compare(ctx, &seen.Areas, before, after)
}
