package judge_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/limit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func above(at float64) *limit.Condition {
	return &limit.Condition{Side: limit.Above, For: rule.Hold{Values: 1}, Recover: rule.Hold{Values: 1},
		Limits: map[domain.Level]limit.Limit{domain.LevelWarning: {Raise: at, Recover: at}}}
}

func TestPeopleMakeRulesAndRemoveThem(t *testing.T) {
	svc, s, kitRule, inForce := setup(t)
	ctx := t.Context()
	d := device(t, s, "quay-1")
	x, err := svc.Blank(ctx, testkit.Anyone, "interfaces", "in_errors", d.ID, "")
	require.NoError(t, err)
	assert.Equal(t, []any{"limit", "1/s", d.ID}, []any{x.Condition.Kind(), x.Unit, x.DeviceID})
	_, err = svc.Make(ctx, testkit.Anyone, x)
	assert.Error(t, err, "it says not yet what is trouble")
	x.Condition, x.Unit = above(7), "%"
	made, err := svc.Make(ctx, testkit.Anyone, x)
	require.NoError(t, err)
	assert.Equal(t, "1/s", made.Unit, "it is that of the reading")
	require.Len(t, *inForce, 2)
	_, err = svc.Make(ctx, testkit.Anyone, x)
	assert.ErrorContains(t, err, "same name")
	x.DeviceID = 0
	_, err = svc.Make(ctx, testkit.Anyone, x)
	assert.NoError(t, err, "one for all may have the name of one for a device")

	assert.ErrorIs(t, svc.Remove(ctx, testkit.Anyone, made.ID, made.Version+1), domain.ErrChanged)
	require.NoError(t, svc.Remove(ctx, testkit.Anyone, made.ID, made.Version))
	require.Len(t, *inForce, 2)
	x.DeviceID = d.ID
	_, err = svc.Make(ctx, testkit.Anyone, x)
	assert.NoError(t, err, "its name is free again")

	kitRule.Key = "brought"
	_, err = s.Rules.Save(ctx, kitRule)
	require.NoError(t, err)
	assert.ErrorContains(t, svc.Remove(ctx, testkit.Anyone, kitRule.ID, 0), "switch it off")
}

func TestARuleIsOnAReadingThatThereIs(t *testing.T) {
	svc, _, _, _ := setup(t)
	ctx := t.Context()
	for _, c := range [][2]string{{"interfaces", "nothing"}, {"nothing", "in_errors"}, {"own-77", "x"}} {
		_, err := svc.Blank(ctx, testkit.Anyone, c[0], c[1], 0, "")
		assert.ErrorIs(t, err, domain.ErrNotFound, c)
	}
	_, err := svc.Blank(ctx, testkit.Anyone, "interfaces", "in_errors", 999, "")
	assert.ErrorIs(t, err, domain.ErrNotFound)
	_, err = svc.Blank(ctx, testkit.Anyone, "interfaces", "state", 0, "limit")
	assert.ErrorContains(t, err, "cannot judge", "a state has no limit")
	_, err = svc.Blank(ctx, testkit.Anyone, "interfaces", "state", 0, "other")
	assert.ErrorContains(t, err, "other")
}

// A rule on a reading that was picked at a device is for that alone, follows its unit, and keeps
// it from being dropped.
func TestRulesOnWhatIsPicked(t *testing.T) {
	s := testkit.Store(t)
	svc, kits, inForce := service(t, s)
	ctx := t.Context()
	d, other := device(t, s, "quay-1"), device(t, s, "quay-2")
	draft := own.Draft{Reading: own.Reading{Name: "Up", Object: "sysUpTime", OID: "1.3.6.1.2.1.1.3.0", Treat: own.Number, Unit: "s",
		Steps: []derive.Written{{Do: "scale", With: "0.01"}}, Every: 60e9}}
	key, err := kits.Pick(ctx, testkit.Anyone, d.ID, draft, "")
	require.NoError(t, err)
	x, err := svc.Blank(ctx, testkit.Anyone, own.Name(d.ID), key, 0, "")
	require.NoError(t, err)
	assert.Equal(t, d.ID, x.DeviceID)
	x.Condition = above(86400)
	x.DeviceID = other.ID
	_, err = svc.Make(ctx, testkit.Anyone, x)
	assert.ErrorIs(t, err, domain.ErrNotFound, "nothing else has that reading")
	x.DeviceID = d.ID
	made, err := svc.Make(ctx, testkit.Anyone, x)
	require.NoError(t, err)

	*inForce = nil
	draft.Key, draft.Unit, draft.Steps[0].With = key, "ms", "10"
	_, err = kits.Pick(ctx, testkit.Anyone, d.ID, draft, "")
	require.NoError(t, err)
	now, err := svc.Rule(ctx, testkit.Anyone, made.ID)
	require.NoError(t, err)
	assert.Equal(t, "ms", now.Unit)
	assert.NotEmpty(t, *inForce)

	assert.ErrorContains(t, kits.Drop(ctx, testkit.Anyone, d.ID, key, ""), "“Up” judges it")
	require.NoError(t, svc.Remove(ctx, testkit.Anyone, made.ID, 0))
	require.NoError(t, kits.Drop(ctx, testkit.Anyone, d.ID, key, ""))
}
