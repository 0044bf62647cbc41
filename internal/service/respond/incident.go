package respond

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// maxComment is the longest comment in bytes.
const maxComment = 10_000

// Dossier is an incident with all that belongs to it.
type Dossier struct {
	domain.Incident
	Device     domain.Device     `json:"device"`
	Alerts     []domain.Alert    `json:"alerts"`
	Events     []domain.Event    `json:"events"`
	Deliveries []domain.Delivery `json:"deliveries"`
	Ticket     *domain.Ticket    `json:"ticket,omitempty"`
	Earlier    []domain.Incident `json:"earlier"`
}

// Incident returns one incident, or ErrNotFound.
func (s *Service) Incident(ctx context.Context, id domain.ID) (Dossier, error) {
	in, err := s.store.Incidents.One(ctx, id)
	if err != nil {
		return Dossier{}, err
	}
	out := Dossier{Incident: in}
	steps := []func() error{
		func() (err error) { out.Device, err = s.store.Devices.One(ctx, in.DeviceID); return },
		func() (err error) { out.Alerts, err = s.store.Alerts.Of(ctx, id); return },
		func() (err error) { out.Events, err = s.store.Events.Of(ctx, id); return },
		func() (err error) { out.Deliveries, err = s.store.Deliveries.Of(ctx, id); return },
		func() (err error) { out.Earlier, err = s.store.Incidents.OfCause(ctx, in.DeviceID, in.Cause); return },
		func() error {
			t, err := s.store.Tickets.Of(ctx, id)
			if err == nil {
				out.Ticket = &t
			}
			return ignoreNotFound(err)
		},
	}
	for _, step := range steps {
		if err := step(); err != nil {
			return out, err
		}
	}
	out.Earlier = slices.DeleteFunc(out.Earlier, func(x domain.Incident) bool { return x.ID == id })
	return out, nil
}

func ignoreNotFound(err error) error {
	if errors.Is(err, domain.ErrNotFound) {
		return nil
	}
	return err
}

// Acknowledge notes that a person has taken an incident on. Doing it twice
// changes nothing; a resolved one cannot be acknowledged.
func (s *Service) Acknowledge(ctx context.Context, id domain.ID, by string) error {
	return s.act(ctx, id, func(in *domain.Incident, now time.Time) (domain.Event, error) {
		switch in.State {
		case domain.IncidentResolved:
			return domain.Event{}, fmt.Errorf("%w: the incident is resolved already", domain.ErrConflict)
		case domain.IncidentAcknowledged:
			return domain.Event{}, nil
		}
		in.State, in.AcknowledgedAt, in.AcknowledgedBy = domain.IncidentAcknowledged, now, by
		return domain.Event{Kind: domain.EventAcknowledged, Text: by + " acknowledged", By: by}, nil
	})
}

// Comment adds a person's words to the story.
func (s *Service) Comment(ctx context.Context, id domain.ID, by, text string) error {
	text, err := checkText(text, true)
	if err != nil {
		return err
	}
	return s.act(ctx, id, func(*domain.Incident, time.Time) (domain.Event, error) {
		return domain.Event{Kind: domain.EventComment, Text: by + " commented", Detail: text, By: by}, nil
	})
}

// Resolve ends an incident by hand, with a reason that may be empty. Trouble
// that lasts goes on being judged; new trouble opens it again.
func (s *Service) Resolve(ctx context.Context, id domain.ID, by, text string) error {
	text, err := checkText(text, false)
	if err != nil {
		return err
	}
	return s.act(ctx, id, func(in *domain.Incident, now time.Time) (domain.Event, error) {
		if in.State == domain.IncidentResolved {
			return domain.Event{}, fmt.Errorf("%w: it is resolved already, by %s", domain.ErrConflict, in.ResolvedBy)
		}
		in.State, in.ResolvedAt, in.ResolvedBy = domain.IncidentResolved, now, by
		return domain.Event{Kind: domain.EventResolved, Text: by + " resolved the incident", Detail: text, By: by}, nil
	})
}

func checkText(text string, needed bool) (string, error) {
	text = strings.TrimSpace(text)
	switch {
	case needed && text == "":
		return "", domain.FieldErrors{"text": "Write something first."}
	case len(text) > maxComment:
		return "", domain.FieldErrors{"text": fmt.Sprintf("At most %d characters.", maxComment)}
	}
	return text, nil
}

// act changes an incident by hand, writes the story and lets the plans act.
func (s *Service) act(ctx context.Context, id domain.ID, f func(*domain.Incident, time.Time) (domain.Event, error)) error {
	now := time.Now().UTC()
	err := s.store.InTx(ctx, func(tx *store.Areas) error {
		in, err := tx.Incidents.One(ctx, id)
		if err != nil {
			return err
		}
		ev, err := f(&in, now)
		if err != nil || ev.Kind == "" {
			return err
		}
		if in, err = tx.Incidents.Save(ctx, in); err != nil {
			return err
		}
		ev.IncidentID, ev.At = id, now
		d, err := tx.Devices.One(ctx, in.DeviceID)
		if err != nil {
			return err
		}
		r := recording{Service: s, tx: tx}
		traces, err := r.act(ctx, in, ev, message{device: d.Name, title: in.Title, reason: ev.Detail, since: in.EpisodeAt, at: now})
		if err != nil {
			return err
		}
		for _, t := range traces {
			ev.Why.Include(t.Question, t)
		}
		_, err = tx.Events.Add(ctx, ev)
		return err
	})
	if err == nil {
		s.wake()
	}
	return err
}

// Plans returns the response plans.
func (s *Service) Plans(ctx context.Context) ([]plan.Plan, error) { return s.store.Plans.All(ctx) }

// SetPlanEnabled switches a response plan on or off.
func (s *Service) SetPlanEnabled(ctx context.Context, id domain.ID, on bool) error {
	return s.changePlan(ctx, id, func(p *plan.Plan) { p.Enabled = on })
}

func (s *Service) changePlan(ctx context.Context, id domain.ID, f func(*plan.Plan)) error {
	plans, err := s.store.Plans.All(ctx)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(plans, func(p plan.Plan) bool { return p.ID == id })
	if i < 0 {
		return domain.ErrNotFound
	}
	f(&plans[i])
	_, err = s.store.Plans.Save(ctx, plans[i])
	return err
}

// MakePlan makes the usual plan on the first mail and desk channels there are.
func (s *Service) MakePlan(ctx context.Context) error {
	channels, err := s.store.Channels.All(ctx)
	if err != nil {
		return err
	}
	first := map[domain.ChannelKind]domain.ID{}
	for _, c := range channels {
		if first[c.Kind] == 0 {
			first[c.Kind] = c.ID
		}
	}
	if len(first) == 0 {
		return fmt.Errorf("%w: make a channel first", domain.ErrConflict)
	}
	// Without recipients it tells nobody, so it begins switched off.
	_, err = s.store.Plans.Save(ctx, plan.Plan{Name: "Everything", Steps: plan.Usual(first[domain.ChannelMail], first[domain.ChannelDesk])})
	return err
}

// SetRecipients changes who the mail steps of a plan tell, and from which
// level on.
func (s *Service) SetRecipients(ctx context.Context, id domain.ID, text string, from domain.Level) error {
	to, errs := plan.Recipients(text)
	if len(errs) > 0 {
		return errs
	}
	return s.changePlan(ctx, id, func(p *plan.Plan) {
		for i := range p.Steps {
			if x := &p.Steps[i]; x.Kind == domain.DeliverMail && !x.OnlyTold {
				x.To, x.AtLeast = to, from
			}
		}
	})
}

// Retry makes a delivery that failed for good due again.
func (s *Service) Retry(ctx context.Context, id domain.ID) error {
	err := s.store.Deliveries.Retry(ctx, id, time.Now().UTC())
	s.wake()
	return err
}
