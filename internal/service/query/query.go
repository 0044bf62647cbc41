// Package query is the use cases of statements that people write: run on a database, looked at, and kept as a kit.
package query

import (
	"context"
	"fmt"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/fitting"
)

// Looker runs statements.
type Looker interface {
	Look(ctx context.Context, q way.Question) (way.Table, error)
}

// Service is the use cases.
type Service struct {
	desk    *act.Desk
	kits    *collect.Service
	fitting *fitting.Service
	looker  Looker
	// kept is told a device on which a statement is collected from now on.
	kept func(device domain.ID)
}

// New returns the service.
func New(desk *act.Desk, kits *collect.Service, fitting *fitting.Service, looker Looker, kept func(domain.ID)) *Service {
	return &Service{desk, kits, fitting, looker, kept}
}

var (
	run  = act.Deed{Name: "run a statement on a database", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	keep = act.Deed{Name: "collect what a statement brings", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

// Ways are those by which a device may be asked by statements.
func (s *Service) Ways(ctx context.Context, who access.Actor, device domain.ID) (d domain.Device, out []way.Way, err error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return d, nil, err
	}
	if d, err = seen.Devices.One(ctx, device); err != nil {
		return d, nil, err
	}
	for _, w := range s.kits.Ways {
		if w.Statement != "" {
			out = append(out, w)
		}
	}
	return d, out, nil
}

// Result is what a statement brought.
type Result struct {
	way.Table
	Took time.Duration
	// Problem is why it brought nothing, in plain words; empty where it ran.
	Problem  string
	Exchange []way.Line
}

// mostShown is how many rows are read at once.
const mostShown = "200"

// Run runs a statement on the database of a device. What was run is noted.
func (s *Service) Run(ctx context.Context, who access.Actor, device domain.ID, name, statement string) (out Result, err error) {
	w, known := s.kits.Ways.Of(name)
	if !known || w.Statement == "" {
		return out, domain.FieldErrors{"way": "Choose which database it is."}
	}
	ask, errs := field.Check(w.Ask, map[string]string{"query": statement, "rows": mostShown})
	if problem := errs["query"]; problem != "" {
		return out, domain.FieldErrors{"statement": problem}
	}
	var q way.Question
	err = s.desk.Do(ctx, who, run, func(x *act.Work) error {
		d, err := x.Device(device)
		if err != nil {
			return err
		}
		x.Note(act.Device(d), nil, struct {
			Statement string `json:"statement"`
		}{statement})
		q, err = s.kits.Speak(ctx, d, name)
		return err
	})
	if err != nil {
		return out, err
	}
	q.Ask, q.Exchange = ask, way.NewExchange(time.Now())
	began := time.Now()
	if out.Table, err = s.looker.Look(ctx, q); err != nil {
		out.Problem = err.Error()
	}
	out.Took, out.Exchange = time.Since(began), q.Exchange.Lines
	return out, nil
}

// Keep makes a kit of a statement and fits it to the device. Errors are by field, as kit.Queried tells them.
func (s *Service) Keep(ctx context.Context, who access.Actor, device domain.ID, q kit.Queried) error {
	document, err := q.Document()
	if err != nil {
		return err
	}
	return s.desk.Together(collect.Drafting(ctx), who, keep, func(ctx context.Context, w *act.Work) error {
		if _, err := w.Device(device); err != nil {
			return err
		}
		if _, err := s.kits.CatalogueIn(ctx).Kit(q.Name()); err == nil {
			return domain.FieldErrors{"title": fmt.Sprintf("There is a kit %s already: choose another title.", q.Name())}
		}
		if _, err := s.kits.Bring(ctx, who, document, 0); err != nil {
			return err
		}
		if err := s.fitting.Say(ctx, who, fitting.Saying{Devices: []domain.ID{device}, Kit: q.Name(), Word: fitting.Fit}); err != nil {
			return err
		}
		w.Then(func(context.Context) error {
			s.kept(device)
			return nil
		})
		return nil
	})
}
