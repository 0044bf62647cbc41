package collect_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/testkit"
)

// A single value and a table, with a rule and parts, become a kit that is fitted; the series stay what they
// are.
func TestReadingsMoveIntoAKitWithAllThatHangsOnThem(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	for _, draft := range []own.Draft{uptimeDraft("Up"), uptimeDraft("Up again"), errorsDraft("ifInErrors", "14")} {
		_, err := svc.Pick(ctx, testkit.Anyone, d.ID, draft, "")
		require.NoError(t, err)
	}
	name := own.Name(d.ID)
	parts, err := s.Parts.Add(ctx, []domain.Part{{DeviceID: d.ID, Kit: name, Kind: "ifEntry", Key: "1", Name: "port1"}})
	require.NoError(t, err)
	before, err := s.Series.Add(ctx, []domain.Series{
		{DeviceID: d.ID, Kit: name, Reading: "sysuptime", Name: "Up", Interval: 60e9},
		{DeviceID: d.ID, PartID: parts[0].ID, Kit: name, Reading: "ifinerrors", Name: "ifInErrors", Interval: 60e9},
	})
	require.NoError(t, err)
	limit, err := kinds.All.Decode("limit", []byte(`{"side":"above","levels":{"warning":{"at":5,"recover":4}},"for":"1 value"}`))
	require.NoError(t, err)
	made, err := s.Rules.Save(ctx, rule.Rule{Name: "Many", Kit: name, Reading: "ifinerrors", DeviceID: d.ID, Condition: limit, Unit: "1/s",
		Title: "{device} has errors", Enabled: true})
	require.NoError(t, err)

	m := collect.Move{Device: d.ID, Readings: []string{"sysuptime", "ifinerrors"}, Kit: "quays"}
	_, err = svc.RehearseMove(ctx, testkit.Anyone, m)
	require.ErrorContains(t, err, "Give the new kit a title.")
	m.Title = "Quays: all"
	would, err := svc.RehearseMove(ctx, testkit.Anyone, m)
	require.NoError(t, err)
	assert.True(t, would.New)
	assert.Equal(t, []string{"Up", "ifInErrors"}, would.Names)
	assert.Equal(t, []string{"Many"}, would.Rules)
	_, err = svc.Kit("quays")
	require.ErrorIs(t, err, domain.ErrNotFound, "looking changes nothing")

	v, err := svc.MoveToKit(ctx, testkit.Anyone, m)
	require.NoError(t, err)
	assert.Equal(t, 1, v.Version)
	k, err := svc.Kit("quays")
	require.NoError(t, err)
	assert.Equal(t, "Quays: all", k.Title)
	assert.Len(t, k.Readings, 2)
	require.Len(t, k.Rules, 1)
	assert.Equal(t, "{device} has errors", k.Rules[0].Title)
	for i, reading := range []string{"sysuptime", "ifinerrors"} {
		x, err := s.Series.One(ctx, before[i].ID)
		require.NoError(t, err)
		assert.Equal(t, "quays/"+reading, x.Kit+"/"+x.Reading, "its history goes on")
	}
	p, err := s.Parts.One(ctx, parts[0].ID)
	require.NoError(t, err)
	assert.Equal(t, "quays", p.Kit)
	moved, err := s.Rules.One(ctx, made.ID)
	require.NoError(t, err)
	assert.Equal(t, "quays", moved.Kit)
	assert.Zero(t, moved.DeviceID, "it judges on all devices of the kit")
	picked, err := svc.Own(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	require.Len(t, picked.Readings, 1)
	assert.Equal(t, "Up again", picked.Readings[0].Name)
	fitted, err := svc.FittedTo(ctx, testkit.Anyone, d.ID)
	require.NoError(t, err)
	assert.Len(t, fitted, 2)
	rules, err := s.Rules.All(ctx)
	require.NoError(t, err)
	n := 0
	for _, r := range rules {
		if r.Kit == "quays" {
			n++
		}
	}
	assert.Equal(t, 1, n, "the rule of the kit is the one that moved")

	_, err = svc.MoveToKit(ctx, testkit.Anyone, collect.Move{Device: d.ID, Readings: []string{"nothing"}, Kit: "quays"})
	require.ErrorContains(t, err, "Choose at least one reading.")
	_, err = svc.MoveToKit(ctx, testkit.Anyone, collect.Move{Device: d.ID, Readings: []string{picked.Readings[0].Key}, Kit: "own-7"})
	require.ErrorContains(t, err, "small letters")
	v, err = svc.MoveToKit(ctx, testkit.Anyone, collect.Move{Device: d.ID, Readings: []string{picked.Readings[0].Key}, Kit: "quays"})
	require.NoError(t, err)
	assert.Equal(t, 2, v.Version)
}
