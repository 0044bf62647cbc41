package run

import (
	"context"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	breakThing = act.Deed{Name: "break something on purpose", Area: domain.AreaRun, Needs: domain.AccessOperate}
	mendThing  = act.Deed{Name: "mend something", Area: domain.AreaRun, Needs: domain.AccessOperate}
)

// Simulates tells whether there is a simulated estate.
func (s *Service) Simulates() bool { return s.drill != nil }

// Simulated is the simulated estate.
type Simulated struct {
	Devices    []domain.SimulatedDevice
	Services   []domain.SimulatedService
	Faults     []domain.Fault
	Desk, Mail string // where their pages are
}

// Simulated returns the simulated estate; ErrNotFound where there is none.
func (s *Service) Simulated(ctx context.Context, who access.Actor) (out Simulated, err error) {
	if _, err := s.desk.SeeWhole(ctx, who, domain.AreaRun); err != nil {
		return out, err
	}
	if s.drill == nil {
		return out, domain.ErrNotFound
	}
	if out.Devices, err = s.drill.Devices(ctx); err != nil {
		return out, err
	}
	if out.Services, err = s.drill.Services(ctx); err != nil {
		return out, err
	}
	out.Desk, out.Mail = s.drill.Sites()
	out.Faults, err = s.drill.Faults(ctx)
	return out, err
}

// Break breaks something in the simulated estate.
func (s *Service) Break(ctx context.Context, who access.Actor, f domain.Fault) error {
	return s.drilled(ctx, who, breakThing, func() (domain.Fault, error) { return s.drill.Break(ctx, f) })
}

// Mend mends what was broken.
func (s *Service) Mend(ctx context.Context, who access.Actor, id int) error {
	return s.drilled(ctx, who, mendThing, func() (domain.Fault, error) { return s.drill.Mend(ctx, id) })
}

func (s *Service) drilled(ctx context.Context, who access.Actor, deed act.Deed, f func() (domain.Fault, error)) error {
	return s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		if s.drill == nil {
			return domain.ErrNotFound
		}
		done, err := f()
		if err != nil {
			return err
		}
		w.Note(act.Thing{Kind: "drill", ID: domain.ID(done.ID), Name: done.Kind + " " + done.Target}, nil, done)
		return nil
	})
}
