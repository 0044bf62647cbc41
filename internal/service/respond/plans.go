package respond

import (
	"context"
	"fmt"
	"slices"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/plan"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Plans returns the response plans.
func (s *Service) Plans(ctx context.Context) ([]plan.Plan, error) { return s.store.Plans.All(ctx) }

// SetPlanEnabled switches a response plan on or off.
func (s *Service) SetPlanEnabled(ctx context.Context, id domain.ID, on bool) error {
	return s.changePlan(ctx, id, func(_ *store.Areas, p *plan.Plan) error { p.Enabled = on; return nil })
}

func (s *Service) changePlan(ctx context.Context, id domain.ID, f func(*store.Areas, *plan.Plan) error) error {
	return s.store.InTx(ctx, func(tx *store.Areas) error {
		plans, err := tx.Plans.All(ctx)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(plans, func(p plan.Plan) bool { return p.ID == id })
		if i < 0 {
			return domain.ErrNotFound
		}
		if err := f(tx, &plans[i]); err != nil {
			return err
		}
		_, err = tx.Plans.Save(ctx, plans[i])
		return err
	})
}

// MakePlan makes the usual plan on the first channels that take messages and
// tickets.
func (s *Service) MakePlan(ctx context.Context) error {
	channels, err := s.store.Channels.All(ctx)
	if err != nil {
		return err
	}
	messages, to := s.firstFor(channels, domain.DeliverMessage)
	desk, _ := s.firstFor(channels, domain.DeliverTicket)
	if messages == 0 && desk == 0 {
		return fmt.Errorf("%w: make a channel first", domain.ErrConflict)
	}
	// Without recipients it tells nobody, so it begins switched off.
	_, err = s.store.Plans.Save(ctx, plan.Plan{Name: "Everything", Steps: plan.Usual(messages, desk, to...)})
	return err
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

// SetRecipients changes who the message steps of a plan tell, and from which
// level on.
func (s *Service) SetRecipients(ctx context.Context, id domain.ID, text string, from domain.Level) error {
	return s.changePlan(ctx, id, func(tx *store.Areas, p *plan.Plan) error {
		for i := range p.Steps {
			x := &p.Steps[i]
			if x.Kind != domain.DeliverMessage || x.OnlyTold {
				continue
			}
			one, err := s.recipient(ctx, tx, x.ChannelID)
			if err != nil {
				return err
			}
			to, errs := plan.Recipients(text, one)
			if len(errs) > 0 {
				return errs
			}
			x.To, x.AtLeast = to, from
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
func (s *Service) Retry(ctx context.Context, id domain.ID) error {
	err := s.store.Deliveries.Retry(ctx, id, time.Now().UTC())
	s.wake()
	return err
}
