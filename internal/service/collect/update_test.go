package collect_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

// A release changes a kit that was changed here: it waits, loses nothing of ours, and what both have changed is
// decided by a person.
func TestUpdatesWaitForAPerson(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := shipping(t, s, gauge)
	require.NoError(t, svc.Load(ctx))
	waiting, err := svc.Waiting(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, waiting)
	ours := strings.NewReplacer("name: Level", "name: Water", "name: Mode", "name: How it goes").Replace(gauge)
	_, err = svc.Bring(ctx, testkit.Anyone, ours, 0)
	require.NoError(t, err)
	waiting, err = svc.Waiting(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, waiting, "the release is what ours came from")

	svc = shipping(t, s, strings.NewReplacer("version: 1", "version: 2", "name: Mode", "name: State", "at: 90", "at: 80").Replace(gauge))
	require.NoError(t, svc.Load(ctx))
	k, err := svc.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, 1, k.Version, "nothing acts yet")
	waiting, err = svc.Waiting(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, []string{"gauge"}, waiting)
	_, err = svc.RehearseUpdate(ctx, testkit.Anyone, "gauge", nil)
	var errs domain.FieldErrors
	require.ErrorAs(t, err, &errs)
	assert.Contains(t, errs, "readings/mode")
	decided := map[string]string{"readings/mode": "theirs"}
	c, err := svc.RehearseUpdate(ctx, testkit.Anyone, "gauge", decided)
	require.NoError(t, err)
	assert.Len(t, c.Differences, 2, "the mode and the rule")
	_, err = svc.TakeUpdate(ctx, testkit.Anyone, "gauge", decided, 1)
	assert.ErrorIs(t, err, domain.ErrChanged)
	_, err = svc.TakeUpdate(ctx, testkit.Anyone, "gauge", decided, 2)
	require.NoError(t, err)
	k, err = svc.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, []string{"Water", "State"}, []string{k.Readings[0].Name, k.Readings[1].Name})
	assert.Equal(t, 2, k.Version)
	waiting, err = svc.Waiting(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, waiting)
	require.NoError(t, svc.Load(ctx))
	k, err = svc.Kit("gauge")
	require.NoError(t, err)
	assert.Equal(t, "Water", k.Readings[0].Name, "a start takes nothing of it back")
}

func ruleOf(t *testing.T, s *store.Store, key string) (out rule.Rule, there bool) {
	t.Helper()
	all, err := s.Rules.All(t.Context())
	require.NoError(t, err)
	for _, r := range all {
		if r.Key == key {
			return r, true
		}
	}
	return out, false
}

// What a version says otherwise of its rules holds where nobody has changed that; a rule that it has no more
// judges nothing, and is what it was when a version has it again.
func TestRulesOfKitsFollowTheirVersions(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := shipping(t, s, gauge)
	require.NoError(t, svc.Load(ctx))
	r, _ := ruleOf(t, s, "high")
	r.Title = "{device} is full"
	_, err := s.Rules.Save(ctx, r)
	require.NoError(t, err)
	next := strings.NewReplacer("at: 90", "at: 70", "name: High", "name: Full, title: The kit says so").Replace(gauge)
	_, err = svc.Bring(ctx, testkit.Anyone, next, 0)
	require.NoError(t, err)
	r, _ = ruleOf(t, s, "high")
	assert.Equal(t, []string{"Full", "{device} is full"}, []string{r.Name, r.Title}, "what people changed stays")
	assert.Contains(t, r.Words(), "70")

	r.Enabled = false
	_, err = s.Rules.Save(ctx, r)
	require.NoError(t, err)
	_, err = svc.Bring(ctx, testkit.Anyone, next[:strings.Index(next, "rules:")], 0)
	require.NoError(t, err)
	_, there := ruleOf(t, s, "high")
	assert.False(t, there)
	_, err = svc.Bring(ctx, testkit.Anyone, next, 0)
	require.NoError(t, err)
	back, there := ruleOf(t, s, "high")
	require.True(t, there)
	assert.Equal(t, r.ID, back.ID)
	assert.False(t, back.Enabled, "it was switched off")
	mode, _ := ruleOf(t, s, "mode")
	assert.True(t, mode.Enabled)
}

// A kit that nothing needs is taken away, and is there again when it is brought in.
func TestAKitIsTakenAwayOnlyWhereNothingNeedsIt(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	svc := shipping(t, s, gauge)
	require.NoError(t, svc.Load(ctx))
	_, err := s.FittingRules.Save(ctx, domain.FittingRule{Rank: 1, Name: "Gauges", When: "true", Fits: []string{"gauge"}})
	require.NoError(t, err)
	assert.ErrorContains(t, svc.Withdraw(ctx, testkit.Anyone, "gauge", 0), "the fitting rule “Gauges” names it")
	trace, err := svc.RehearseWithdrawal(ctx, testkit.Anyone, "gauge")
	require.NoError(t, err)
	assert.Contains(t, trace.Answer, "Gauges")
	require.NoError(t, s.FittingRules.Remove(ctx, 1))
	assert.ErrorIs(t, svc.Withdraw(ctx, testkit.Anyone, "gauge", 7), domain.ErrChanged)
	require.NoError(t, svc.Withdraw(ctx, testkit.Anyone, "gauge", 1))
	_, err = svc.Kit("gauge")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, there := ruleOf(t, s, "high")
	assert.False(t, there)
	require.NoError(t, svc.Load(ctx))
	_, err = svc.Kit("gauge")
	assert.ErrorIs(t, err, domain.ErrNotFound, "a start does not bring it back")
	_, err = svc.Bring(ctx, testkit.Anyone, gauge, 0)
	require.NoError(t, err)
	_, there = ruleOf(t, s, "high")
	assert.True(t, there)
}
