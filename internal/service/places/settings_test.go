package places_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func service(t *testing.T) (*places.Service, *store.Store) {
	t.Helper()
	db := testkit.Store(t)
	return places.New(db, testkit.Desk(db), act.NewSheets(db), func(context.Context) error { return nil }), db
}

// setting is what holds at a place.
func setting(t *testing.T, s *places.Service, place domain.ID, key domain.SettingKey) places.Setting {
	t.Helper()
	all, err := s.Settings(t.Context(), testkit.Anyone, place)
	require.NoError(t, err)
	for _, x := range all {
		if x.Key == key {
			return x
		}
	}
	t.Fatal("there is no such setting")
	return places.Setting{}
}

func TestSettingsHoldBelowUntilTheyAreOverridden(t *testing.T) {
	s, db := service(t)
	line, err := s.Save(t.Context(), testkit.Anyone, domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, err := s.Save(t.Context(), testkit.Anyone, domain.Place{Name: "Pier", Kind: domain.Site, ParentID: line.ID})
	require.NoError(t, err)
	set := func(place domain.ID, key domain.SettingKey, value string) error {
		return s.SetSetting(t.Context(), testkit.Anyone, place, key, value)
	}
	require.NoError(t, set(line.ID, domain.SettingLeaveAlone, " 192.0.2.0/28, 192.0.2.200 "))
	here := setting(t, s, pier.ID, domain.SettingLeaveAlone)
	assert.Equal(t, "192.0.2.0/28, 192.0.2.200", here.Shown)
	assert.False(t, here.Here)
	assert.Equal(t, "set at the place Line", here.Why.Answer)

	require.NoError(t, set(pier.ID, domain.SettingLeaveAlone, "192.0.2.7"))
	here = setting(t, s, pier.ID, domain.SettingLeaveAlone)
	assert.True(t, here.Here)
	assert.Equal(t, "192.0.2.7", here.Shown)
	assert.Equal(t, "192.0.2.0/28, 192.0.2.200", here.Else)
	require.NoError(t, set(pier.ID, domain.SettingLeaveAlone, ""))
	assert.False(t, setting(t, s, pier.ID, domain.SettingLeaveAlone).Here)

	for value, key := range map[string]domain.SettingKey{
		"192.0.2.300": domain.SettingLeaveAlone,
		",":           domain.SettingLeaveAlone,
		"no-such":     domain.SettingGateway,
		"x":           "colour",
	} {
		assert.ErrorAs(t, set(pier.ID, key, value), new(domain.FieldErrors), value)
	}
	entries, err := db.Audit.Find(t.Context(), domain.EntryFilter{Act: "change a setting of a place", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, entries, 3)
}
