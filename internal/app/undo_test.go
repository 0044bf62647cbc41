package app

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/testkit"
)

// last is the newest entry about a thing.
func (r running) last(t *testing.T, kind string, id domain.ID) domain.ID {
	t.Helper()
	found, err := r.Store.Audit.Find(t.Context(), domain.EntryFilter{Kind: kind, ThingID: id, Limit: 1})
	require.NoError(t, err)
	require.NotEmpty(t, found)
	return found[0].ID
}

func (r running) team(t *testing.T, place domain.ID, level domain.Access) domain.Team {
	t.Helper()
	team, err := r.People.SaveTeam(t.Context(), testkit.Anyone, domain.Team{
		Name: "Helpers", PlaceID: place, Grants: []domain.Grant{{PlaceID: place, Level: level}},
	})
	require.NoError(t, err)
	return team
}

func TestAChangedLevelIsUndoneAndDoneAgain(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx := t.Context()
	team := r.team(t, mine.place, domain.AccessSee)
	team.Grants[0].Level = domain.AccessConfigure
	_, err := r.People.SaveTeam(ctx, testkit.Anyone, team)
	require.NoError(t, err)
	entry := r.last(t, "team", team.ID)

	u, err := r.Audit.RehearseUndo(ctx, testkit.Anyone, entry)
	require.NoError(t, err)
	require.True(t, u.Possible, u.Why.Answer)
	require.Len(t, u.Changes, 1)
	assert.Equal(t, "grant 1, level", u.Changes[0].Name)
	assert.Equal(t, "configure", u.Changes[0].Before)
	assert.Equal(t, "see", u.Changes[0].After)
	now, err := r.People.Team(ctx, testkit.Anyone, team.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.AccessConfigure, now.Grants[0].Level, "a rehearsal changes nothing")

	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, entry))
	now, err = r.People.Team(ctx, testkit.Anyone, team.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.AccessSee, now.Grants[0].Level)

	undone := r.last(t, "team", team.ID)
	row, err := r.Audit.One(ctx, testkit.Anyone, undone)
	require.NoError(t, err)
	assert.Contains(t, row.Reason, "undoes “change a team”")
	assert.ErrorIs(t, r.Audit.Undo(ctx, testkit.Anyone, entry), domain.ErrConflict, "it is undone already")
	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, undone))
	now, err = r.People.Team(ctx, testkit.Anyone, team.ID)
	require.NoError(t, err)
	assert.Equal(t, domain.AccessConfigure, now.Grants[0].Level)
}

// Only what was changed then goes back: what others changed since stays, and where they
// changed the same, nothing is done.
func TestUndoingKeepsWhatWasChangedSince(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx := t.Context()
	team := r.team(t, mine.place, domain.AccessSee)
	team.Name = "Night helpers"
	team, err := r.People.SaveTeam(ctx, testkit.Anyone, team)
	require.NoError(t, err)
	renamed := r.last(t, "team", team.ID)
	team.Grants[0].Level = domain.AccessOperate
	team, err = r.People.SaveTeam(ctx, testkit.Anyone, team)
	require.NoError(t, err)

	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, renamed))
	now, err := r.People.Team(ctx, testkit.Anyone, team.ID)
	require.NoError(t, err)
	assert.Equal(t, "Helpers", now.Name)
	assert.Equal(t, domain.AccessOperate, now.Grants[0].Level)

	now.Name = "Day helpers"
	_, err = r.People.SaveTeam(ctx, testkit.Anyone, now)
	require.NoError(t, err)
	u, err := r.Audit.RehearseUndo(ctx, testkit.Anyone, renamed)
	require.NoError(t, err)
	assert.False(t, u.Possible)
	assert.Equal(t, "It was changed again since: name.", u.Why.Answer)
	assert.ErrorIs(t, r.Audit.Undo(ctx, testkit.Anyone, renamed), domain.ErrConflict)
}

func TestWhatWasMadeIsRemovedAndWhatWasRemovedMadeAgain(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx := t.Context()
	p, err := r.Places.Save(ctx, testkit.Anyone, domain.Place{Name: "Quay", ParentID: mine.place, Kind: domain.Site})
	require.NoError(t, err)
	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, r.last(t, "place", p.ID)))
	_, err = r.Places.One(ctx, testkit.Anyone, p.ID)
	require.ErrorIs(t, err, domain.ErrNotFound)
	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, r.last(t, "place", p.ID)))
	all, err := r.Places.All(ctx, testkit.Anyone)
	require.NoError(t, err)
	var names []string
	for _, p := range all {
		names = append(names, p.Name)
	}
	assert.Contains(t, names, "Quay")
	u, err := r.Audit.RehearseUndo(ctx, testkit.Anyone, r.last(t, "place", mine.place))
	require.NoError(t, err)
	require.True(t, u.Possible)
	err = r.Audit.Undo(ctx, testkit.Anyone, u.Entry.ID)
	assert.ErrorIs(t, err, domain.ErrConflict, "it still holds things")
}

func TestDevicesRulesAndChannelsGoBack(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx, any := t.Context(), testkit.Anyone
	require.NoError(t, r.Devices.SetPaused(ctx, any, mine.device, true))
	paused := r.last(t, "device", mine.device)
	x, err := r.Devices.Change(ctx, any, mine.device, devices.Draft{Name: "quay-sw-1", Address: "192.0.2.9", PlaceID: mine.place})
	require.NoError(t, err)
	require.Equal(t, "quay-sw-1", x.Name)
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "device", mine.device)))
	require.NoError(t, r.Audit.Undo(ctx, any, paused))
	x, err = r.Store.Devices.One(ctx, mine.device)
	require.NoError(t, err)
	assert.Equal(t, secretive+"-sw-1", x.Name)
	assert.Equal(t, "192.0.2.1", x.Address.String())
	assert.False(t, x.Paused)

	rules, err := r.Judge.Rules(ctx, any)
	require.NoError(t, err)
	require.NotEmpty(t, rules)
	changed := rules[0]
	changed.Title, changed.Enabled = "{device} is in trouble", !changed.Enabled
	_, err = r.Judge.Save(ctx, any, changed)
	require.NoError(t, err)
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "rule", changed.ID)))
	back, err := r.Judge.Rule(ctx, any, changed.ID)
	require.NoError(t, err)
	assert.Equal(t, rules[0].Version+2, back.Version)
	back.Version = rules[0].Version
	assert.Equal(t, rules[0], back)

	written := "rules:\n  - {when: 'name == \"b-1\"', kind: buoy}\n"
	require.NoError(t, r.Recognition.Write(ctx, any, written, ""))
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "recognition", 0)))
	text, err := r.Recognition.Written(ctx, any)
	require.NoError(t, err)
	assert.Empty(t, text.Text)
	alike := []domain.AdoptionRule{{When: `kind == "buoy"`, PlaceID: mine.place}}
	require.NoError(t, r.Find.SetAlone(ctx, any, mine.sweep, alike, ""))
	require.NoError(t, r.Find.SetAlone(ctx, any, mine.sweep, nil, ""))
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "sweep", mine.sweep)))
	again, err := r.Find.Alone(ctx, any, mine.sweep)
	require.NoError(t, err)
	assert.Equal(t, alike, again.Rules)

	require.NoError(t, r.Judge.Remove(ctx, any, mine.rule, 0))
	_, err = r.Judge.Rule(ctx, any, mine.rule)
	require.ErrorIs(t, err, domain.ErrNotFound)
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "rule", mine.rule)))
	alone, err := r.Judge.Rule(ctx, any, mine.rule)
	require.NoError(t, err)
	assert.Equal(t, secretive+" alone", alone.Name)
	assert.Equal(t, mine.device, alone.DeviceID)
	assert.True(t, alone.Enabled)
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "rule", mine.rule)), "that it was made again is undone, too")
	_, err = r.Judge.Rule(ctx, any, mine.rule)
	require.ErrorIs(t, err, domain.ErrNotFound)

	require.NoError(t, r.Devices.Remove(ctx, any, mine.device, 0))
	require.NoError(t, r.Audit.Undo(ctx, any, r.last(t, "device", mine.device)))
	_, err = r.Store.Devices.One(ctx, mine.device)
	assert.NoError(t, err)
}

// A part and a device may have the same number: what was done to the one is not undone at
// the other.
func TestAttributesGoBackWhereTheyWere(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx := t.Context()
	var part domain.ID
	err := r.Store.Pool().QueryRow(ctx, `INSERT INTO parts (device_id, kit, kind, key, index, called, name, marks, reason, note, speed)
		VALUES ($1, 'interfaces', 'interface', 'port1', '1', '', 'port1', '', '', '', 0) RETURNING id`, mine.device).Scan(&part)
	require.NoError(t, err)
	role := []attributes.Change{{Name: "line", Value: "uplink"}}
	require.NoError(t, r.Attributes.Set(ctx, testkit.Anyone, inherit.Part(part), role))
	require.NoError(t, r.Attributes.Set(ctx, testkit.Anyone, inherit.Device(mine.device), role))
	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, r.last(t, "part", part)))
	left, err := r.Store.Attributes.Along(ctx, mine.place, mine.device)
	require.NoError(t, err)
	assert.NotContains(t, left, domain.Attribute{PartID: part, Name: "line", Value: "uplink"})
	assert.Contains(t, left, domain.Attribute{DeviceID: mine.device, Name: "line", Value: "uplink"})
}

func TestUndoingNeedsWhatDoingNeeds(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx := t.Context()
	team := r.team(t, mine.place, domain.AccessSee)
	team.Grants[0].Level = domain.AccessConfigure
	_, err := r.People.SaveTeam(ctx, testkit.Anyone, team)
	require.NoError(t, err)
	entry := r.last(t, "team", team.ID)
	u, err := r.People.Add(ctx, testkit.Anyone, people.Draft{Name: "onlooker", Teams: []domain.ID{team.ID}, PlaceID: mine.place})
	require.NoError(t, err)
	looks, err := r.People.Actor(ctx, u.ID, "")
	require.NoError(t, err)
	assert.ErrorIs(t, r.Audit.Undo(ctx, looks, entry), domain.ErrForbidden)
	assert.ErrorIs(t, r.Audit.Undo(ctx, access.Actor{Kind: access.Person, ID: 99}, entry), domain.ErrForbidden)
}

func TestWhatIsNotUndoneSaysWhy(t *testing.T) {
	r, _, mine, _ := twoOrganisations(t)
	ctx := t.Context()
	nobody := access.Actor{Kind: access.Person, ID: 99, Name: "nobody"}
	require.Error(t, r.Devices.SetPaused(ctx, nobody, mine.device, true))
	refusals, err := r.Store.Audit.Find(ctx, domain.EntryFilter{Refused: true, Limit: 1})
	require.NoError(t, err)
	require.NoError(t, r.People.SetPassword(ctx, testkit.Anyone, mine.user, "harbour-watch"))
	for id, reason := range map[domain.ID]string{
		refusals[0].ID:                 "Nothing was done: it was refused.",
		r.last(t, "person", mine.user): "This cannot be undone from here.",
		r.last(t, "token", mine.token): "This cannot be undone from here.",
	} {
		u, err := r.Audit.RehearseUndo(ctx, testkit.Anyone, id)
		require.NoError(t, err)
		assert.False(t, u.Possible)
		assert.Equal(t, reason, u.Why.Answer)
	}
	days := 60
	require.NoError(t, r.Audit.SetKeep(ctx, testkit.Anyone, days))
	require.NoError(t, r.Audit.Undo(ctx, testkit.Anyone, r.last(t, "setting", 0)))
	kept, err := r.Audit.Rehearse(ctx, testkit.Anyone, 0)
	require.NoError(t, err)
	assert.Equal(t, 400, kept.Days)
}
