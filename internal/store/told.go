package store

import (
	"context"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// told takes out of explanations what they say of devices that are not seen.
func told[T any](ctx context.Context, s area, in []T, err error, of func(*T) *why.Trace) ([]T, error) {
	if !s.scoped || err != nil {
		return in, err
	}
	var named []domain.ID
	for i := range in {
		named = append(named, of(&in[i]).Refs("device")...)
	}
	if len(named) == 0 {
		return in, nil
	}
	var ids []domain.ID
	err = s.q(ctx).Table("all_devices").Where("id = ANY(?::bigint[])", arrayOf(named)).Pluck("id", &ids).Error
	seen := make(map[domain.ID]bool, len(ids))
	for _, id := range ids {
		seen[id] = true
	}
	for i := range in {
		trace := of(&in[i])
		*trace = trace.Without("device", func(id int64) bool { return seen[id] })
	}
	return in, err
}

// toldOne is told for one thing.
func toldOne[T any](ctx context.Context, s area, x T, err error, of func(*T) *why.Trace) (T, error) {
	out, err := told(ctx, s, []T{x}, err, of)
	return out[0], err
}

func whyOfTransition(t *domain.Transition) *why.Trace { return &t.Why }
func whyOfAlert(a *domain.Alert) *why.Trace           { return &a.Why }
func whyOfEvent(e *domain.Event) *why.Trace           { return &e.Why }
func whyOfDelivery(d *domain.Delivery) *why.Trace     { return &d.Why }
func whyOfIncident(in *domain.Incident) *why.Trace    { return &in.Why }
