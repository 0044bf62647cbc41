package respond

import (
	"context"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

var (
	makePlan   = act.Deed{Name: "make a response plan", Area: domain.AreaRespond, Needs: domain.AccessConfigure}
	changePlan = act.Deed{Name: "change a response plan", Area: domain.AreaRespond, Needs: domain.AccessConfigure}
	retry      = act.Deed{Name: "deliver again", Area: domain.AreaRespond, Needs: domain.AccessOperate}
)

func planThing(p plan.Plan) act.Thing { return act.Thing{Kind: "plan", ID: p.ID, Name: p.Name} }

// Plans returns the response plans.
func (s *Service) Plans(ctx context.Context, who access.Actor) ([]plan.Plan, error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, err
	}
	return seen.Plans.All(ctx)
}

// ChannelNames are what channels are called, for those who see the plans.
func (s *Service) ChannelNames(ctx context.Context, who access.Actor) (map[domain.ID]string, error) {
	seen, err := s.desk.SeeWhole(ctx, who, domain.AreaRespond)
	if err != nil {
		return nil, err
	}
	all, err := seen.Channels.All(ctx)
	out := map[domain.ID]string{}
	for _, c := range all {
		out[c.ID] = c.Name
	}
	return out, err
}

// SetPlanEnabled switches a response plan on or off.
func (s *Service) SetPlanEnabled(ctx context.Context, who access.Actor, id domain.ID, on bool) error {
	return s.changePlan(ctx, who, id, 0, func(_ *store.Areas, p *plan.Plan) error { p.Enabled = on; return nil })
}

// changePlan changes a plan. It is ErrChanged where that has another version than the one
// that was changed, but zero.
func (s *Service) changePlan(
	ctx context.Context,
	who access.Actor,
	id domain.ID,
	version int,
	f func(*store.Areas, *plan.Plan) error,
) error {
	return s.desk.Do(ctx, who, changePlan, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		plans, err := w.Plans.All(ctx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(plans, func(p plan.Plan) bool { return p.ID == id })
		if i < 0 {
			return domain.ErrNotFound
		}
		old := plans[i]
		if version != 0 && version != old.Version {
			return domain.ErrChanged
		}
		old.Steps = slices.Clone(old.Steps)
		if err := f(w.Areas, &plans[i]); err != nil {
			return err
		}
		w.Note(planThing(old), old, plans[i])
		_, err = w.Plans.Save(ctx, plans[i])
		return err
	})
}

// MakePlan makes the usual plan on the first channels that take messages and
// tickets.
func (s *Service) MakePlan(ctx context.Context, who access.Actor) (made plan.Plan, err error) {
	err = s.desk.Do(ctx, who, makePlan, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		channels, err := w.Channels.All(ctx)
		if err != nil {
			return err
		}
		messages, to := s.firstFor(channels, domain.DeliverMessage)
		desk, _ := s.firstFor(channels, domain.DeliverTicket)
		if messages == 0 && desk == 0 {
			return fmt.Errorf("%w: make a channel first", domain.ErrConflict)
		}
		// Without recipients it tells nobody, so it begins switched off.
		made, err = w.Plans.Save(ctx, plan.Plan{Name: "Everything", Steps: plan.Usual(messages, desk, to...)})
		if err != nil {
			return err
		}
		w.Note(planThing(made), nil, made)
		return nil
	})
	return made, err
}

// firstFor returns the first channel that takes a kind of delivery, and whom
// it tells where it has no recipients of its own.
func (s *Service) firstFor(channels []domain.Channel, kind domain.DeliveryKind) (id domain.ID, to []string) {
	for _, c := range channels {
		if k, ok := s.kinds.Of(c.Kind); ok && k.Takes(kind) {
			if k.Recipient == nil {
				to = []string{everyone}
			}
			return c.ID, to
		}
	}
	return 0, nil
}

// everyone is the recipient of channels that have none of their own.
const everyone = "everyone"

// Audience is whom a plan tells of what.
type Audience struct {
	To   string // the recipients, with commas between
	From domain.Level
	// Tags are those of the incidents that the plan is for, with commas between; empty for all.
	Tags string
	// Enabled switches the plan on or off, unless nil. Whom it tells stays then where To is
	// empty: it may wait for its recipients.
	Enabled *bool
	// Version is that of the plan that was changed; zero changes whatever it is now.
	Version int
}

// SetAudience changes for which incidents a plan is, who its message steps tell, and from
// which level on. Errors are by field: to, tags.
func (s *Service) SetAudience(ctx context.Context, who access.Actor, id domain.ID, a Audience) error {
	return s.changePlan(ctx, who, id, a.Version, func(tx *store.Areas, p *plan.Plan) error {
		tags, problem := tag.Read(a.Tags)
		if problem != "" {
			return domain.FieldErrors{"tags": problem}
		}
		p.Tags = tags
		if a.Enabled != nil {
			p.Enabled = *a.Enabled
		}
		if a.Enabled != nil && a.To == "" {
			return nil
		}
		for i := range p.Steps {
			x := &p.Steps[i]
			if x.Kind != domain.DeliverMessage || x.OnlyTold {
				continue
			}
			one, err := s.recipient(ctx, tx, x.ChannelID)
			if err != nil {
				return err
			}
			to, errs := plan.Recipients(a.To, one)
			if len(errs) > 0 {
				return errs
			}
			x.To, x.AtLeast = to, a.From
		}
		return nil
	})
}

// recipient is how a channel writes a recipient.
func (s *Service) recipient(ctx context.Context, tx *store.Areas, channelID domain.ID) (field.Field, error) {
	c, _, err := tx.Channels.One(ctx, channelID)
	if err != nil {
		return field.Field{}, err
	}
	if k, ok := s.kinds.Of(c.Kind); ok && k.Recipient != nil {
		return *k.Recipient, nil
	}
	return field.Field{Kind: field.Text}, nil
}

// Retry makes a delivery that failed for good due again.
func (s *Service) Retry(ctx context.Context, who access.Actor, id domain.ID) error {
	err := s.desk.Do(ctx, who, retry, func(w *act.Work) error {
		x, err := w.Deliveries.Lock(ctx, id)
		if err != nil {
			return w.Missing(err)
		}
		in, d, err := lockIncident(ctx, w, x.IncidentID)
		if err != nil {
			return err
		}
		w.NoteFor(act.Thing{Kind: "incident", ID: in.ID, Name: in.Title, PlaceID: d.PlaceID}, nil, nil, string(x.Kind)+" to "+x.Recipient)
		return w.Deliveries.Retry(ctx, id, time.Now().UTC())
	})
	if err == nil {
		s.wake()
	}
	return err
}
