package respond

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// maxComment is the longest comment in bytes.
const maxComment = 10_000

// Dossier is an incident with all that belongs to it.
type Dossier struct {
	domain.Incident
	Device     domain.Device     `json:"device"`
	Removed    bool              `json:"removed,omitzero"` // the device is no longer watched
	Alerts     []domain.Alert    `json:"alerts"`
	Events     []domain.Event    `json:"events"`
	Deliveries []domain.Delivery `json:"deliveries"`
	Ticket     *domain.Ticket    `json:"ticket,omitempty"`
	Earlier    []domain.Incident `json:"earlier"`
}

// Incident returns one incident, or ErrNotFound.
func (s *Service) Incident(ctx context.Context, who access.Actor, id domain.ID) (Dossier, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRespond)
	if err != nil {
		return Dossier{}, err
	}
	in, err := seen.Incidents.One(ctx, id)
	if err != nil {
		return Dossier{}, err
	}
	out := Dossier{Incident: in}
	steps := []func() error{
		func() (err error) { out.Device, out.Removed, err = seen.Devices.Ever(ctx, in.DeviceID); return },
		func() (err error) { out.Alerts, err = seen.Alerts.Of(ctx, id); return },
		func() (err error) { out.Events, err = seen.Events.Of(ctx, id); return },
		func() (err error) { out.Deliveries, err = seen.Deliveries.Of(ctx, id); return },
		func() (err error) { out.Earlier, err = seen.Incidents.OfCause(ctx, in.DeviceID, in.Cause); return },
		func() error {
			t, err := seen.Tickets.Of(ctx, id)
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

var (
	acknowledge = act.Deed{Name: "acknowledge an incident", Area: domain.AreaRespond, Needs: domain.AccessOperate}
	comment     = act.Deed{Name: "comment an incident", Area: domain.AreaRespond, Needs: domain.AccessOperate}
	resolve     = act.Deed{Name: "resolve an incident", Area: domain.AreaRespond, Needs: domain.AccessOperate}
)

// standing is where an incident stands, as it is noted.
type standing struct {
	State          domain.IncidentState `json:"state"`
	AcknowledgedBy string               `json:"acknowledged_by"`
	ResolvedBy     string               `json:"resolved_by"`
}

func standingOf(in domain.Incident) standing {
	return standing{in.State, in.AcknowledgedBy, in.ResolvedBy}
}

// Acknowledge notes that a person has taken an incident on. Doing it twice
// changes nothing; a resolved one cannot be acknowledged.
func (s *Service) Acknowledge(ctx context.Context, who access.Actor, id domain.ID) error {
	by := who.Name
	return s.act(ctx, who, acknowledge, id, func(in *domain.Incident, now time.Time) (domain.Event, error) {
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
func (s *Service) Comment(ctx context.Context, who access.Actor, id domain.ID, text string) error {
	by := who.Name
	return s.act(ctx, who, comment, id, func(*domain.Incident, time.Time) (domain.Event, error) {
		text, err := checkText(text, true)
		if err != nil {
			return domain.Event{}, err
		}
		return domain.Event{Kind: domain.EventComment, Text: by + " commented", Detail: text, By: by}, nil
	})
}

// Resolve ends an incident by hand, with a reason that may be empty. Trouble
// that lasts goes on being judged; new trouble opens it again.
func (s *Service) Resolve(ctx context.Context, who access.Actor, id domain.ID, text string) error {
	by := who.Name
	return s.act(ctx, who, resolve, id, func(in *domain.Incident, now time.Time) (domain.Event, error) {
		text, err := checkText(text, false)
		if err != nil {
			return domain.Event{}, err
		}
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
func (s *Service) act(
	ctx context.Context,
	who access.Actor,
	deed act.Deed,
	id domain.ID,
	f func(*domain.Incident, time.Time) (domain.Event, error),
) error {
	now := time.Now().UTC()
	err := s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		in, d, err := lockIncident(ctx, w, id)
		if err != nil {
			return err
		}
		before := standingOf(in)
		ev, err := f(&in, now)
		if err != nil || ev.Kind == "" {
			return err
		}
		thing := act.Thing{Kind: "incident", ID: in.ID, Name: in.Title, PlaceID: d.PlaceID}
		if after := standingOf(in); after != before {
			w.NoteFor(thing, before, after, ev.Detail)
		} else {
			w.NoteFor(thing, nil, nil, ev.Detail)
		}
		return s.write(ctx, w.Areas, d, in, ev, now)
	})
	if err == nil {
		s.wake()
	}
	return err
}

// lockIncident returns an incident at whose device the actor may act.
func lockIncident(ctx context.Context, w *act.Work, id domain.ID) (domain.Incident, domain.Device, error) {
	in, err := w.Incidents.Lock(ctx, id)
	if err != nil {
		return in, domain.Device{}, w.Missing(err)
	}
	d, _, err := w.Devices.Ever(ctx, in.DeviceID)
	if err != nil {
		return in, d, w.Missing(err)
	}
	return in, d, w.On(d.Spot())
}

// write stores what was done to an incident, with its story and what the plans make
// of it.
func (s *Service) write(ctx context.Context, tx *store.Areas, d domain.Device, in domain.Incident, ev domain.Event, now time.Time) error {
	in, err := tx.Incidents.Save(ctx, in)
	if err != nil {
		return err
	}
	ev.IncidentID, ev.At = in.ID, now
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
}

// EndOf resolves what is open about a device that is no longer watched, within the
// transaction that removes it, so that its tickets hear of it. Wake follows the
// transaction.
func (s *Service) EndOf(ctx context.Context, tx *store.Areas, d domain.Device, now time.Time) error {
	open, err := tx.Incidents.LockOpen(ctx, d.ID)
	if err != nil {
		return err
	}
	for _, in := range open {
		in.State, in.ResolvedAt, in.ResolvedBy = domain.IncidentResolved, now, "removal of the device"
		in.Level = in.Worst
		if in.RecoveredAt.IsZero() {
			in.RecoveredAt = now
		}
		ev := domain.Event{Kind: domain.EventResolved, Text: "Resolved: " + d.Name + " is no longer watched"}
		if err := s.write(ctx, tx, d, in, ev, now); err != nil {
			return err
		}
	}
	return nil
}

// Wake has what was put into the outbox delivered at once.
func (s *Service) Wake() { s.wake() }
