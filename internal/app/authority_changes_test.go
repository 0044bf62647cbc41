package app

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// gathered makes changes of a person's own, of settings of a place.
func gathered(t *testing.T, r running, who access.Actor, place domain.ID, word string) domain.ID {
	t.Helper()
	c, err := r.Changes.Begin(t.Context(), who, domain.ChangeSet{Name: word + " changes", Edits: stretched(place)})
	require.NoError(t, err)
	return c.ID
}

// stretched are two changes of a place.
func stretched(place domain.ID) []domain.Edit {
	return []domain.Edit{
		{Setting: &domain.SettingEdit{PlaceID: place, Key: domain.SettingStretch, Value: "2"}},
		{Setting: &domain.SettingEdit{PlaceID: place, Key: domain.SettingLeaveAlone, Value: "192.0.2.77"}},
	}
}

// changeCalls are those of changes that are made together, in the order in which they can be made.
func changeCalls(r running, h held) []call {
	type C = context.Context
	type A = access.Actor
	return []call{
		{name: "changes.All", lists: true, ask: func(c C, w A) (any, error) { return r.Changes.All(c, w) }},
		{name: "changes.One", ask: func(c C, w A) (any, error) { return done(second(r.Changes.One(c, w, h.changes))) }},
		{name: "changes.Open", own: true, ask: func(c C, w A) (any, error) {
			set, _, err := r.Changes.Open(c, w)
			return set, err
		}},
		{name: "changes.Begin", own: true, ask: func(c C, w A) (any, error) {
			return done(second(r.Changes.Begin(c, w, domain.ChangeSet{Name: "mine"})))
		}},
		{name: "changes.Gather", ask: func(c C, w A) (any, error) {
			return done(second(r.Changes.Gather(c, w, h.changes, stretched(h.place)[0])))
		}},
		{name: "changes.Replace", ask: func(c C, w A) (any, error) {
			return done(second(r.Changes.Replace(c, w, h.changes, domain.ChangeSet{Name: "n", Edits: stretched(h.place)}, 0)))
		}},
		{name: "changes.Describe", ask: func(c C, w A) (any, error) {
			return done(second(r.Changes.Describe(c, w, h.changes, "n", "because", 0)))
		}},
		{name: "changes.Renew", ask: func(c C, w A) (any, error) { return done(second(r.Changes.Renew(c, w, h.changes, 0, 0))) }},
		{name: "changes.Leave", ask: func(c C, w A) (any, error) { return done(second(r.Changes.Leave(c, w, h.changes, 1, 0))) }},
		{name: "changes.Words", own: true, ask: func(c C, w A) (any, error) {
			return r.Changes.Words(c, w, domain.ChangeSet{Edits: stretched(h.place)}), nil
		}},
		{name: "changes.RehearseEdits", shared: true, ask: func(c C, w A) (any, error) {
			return r.Changes.RehearseEdits(c, w, stretched(h.place))
		}},
		{name: "changes.Rehearse", ask: func(c C, w A) (any, error) { return done(second(r.Changes.Rehearse(c, w, h.changes))) }},
		{name: "changes.Apply", ask: func(c C, w A) (any, error) { return done(second(r.Changes.Apply(c, w, h.changes, 0))) }},
		{name: "changes.RehearseRollback", ask: func(c C, w A) (any, error) {
			return done(second(r.Changes.RehearseRollback(c, w, h.changes)))
		}},
		{name: "changes.RollBack", ask: func(c C, w A) (any, error) {
			return done(second(r.Changes.RollBack(c, w, h.changes, false, "")))
		}},
		{name: "changes.Discard", ask: func(c C, w A) (any, error) { return done(r.Changes.Discard(c, w, h.thrown, 0)) }},
	}
}

// updated lets a kit be one that was changed here and that the release has otherwise than what it came from.
func updated(t *testing.T, r running, name string) {
	t.Helper()
	v, err := r.Store.Kits.Version(t.Context(), name, 1)
	require.NoError(t, err)
	v.Document += "# as it was shipped\n"
	_, err = r.Store.Kits.Add(t.Context(), v)
	require.NoError(t, err)
	v.Document, v.Shipped = v.Document+"# and changed here\n", false
	_, err = r.Store.Kits.Add(t.Context(), v)
	require.NoError(t, err)
}
