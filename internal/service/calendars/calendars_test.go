package calendars_test

import (
	"context"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/calendars"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func setup(t *testing.T) (svc *calendars.Service, s *store.Store, taken *int) {
	t.Helper()
	s, taken = testkit.Store(t), new(int)
	return calendars.New(s, testkit.Desk(s), func(context.Context) error { *taken++; return nil }), s, taken
}

func TestACalendarHoldsWhereItIsSet(t *testing.T) {
	svc, s, taken := setup(t)
	ctx := t.Context()
	p, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(ctx, domain.Device{PlaceID: p.ID, Name: "np-sw-1", Address: netip.MustParseAddr("192.0.2.1"),
		CreatedAt: time.Now()}, "", nil)
	require.NoError(t, err)
	c, err := svc.Save(ctx, testkit.Anyone, domain.Calendar{Name: " Season  of ferries ", Hours: "daily 05:00-23:00,  not 12-25"})
	require.NoError(t, err)
	assert.Equal(t, domain.Calendar{ID: c.ID, Name: "Season of ferries", Hours: "daily 05:00-23:00, not 12-25", Version: 1}, c)
	at := domain.Override{PlaceID: p.ID, Key: domain.SettingHours, Value: c.Name}
	require.NoError(t, s.Overrides.Set(ctx, at, 0))

	tree, err := s.Tree(ctx)
	require.NoError(t, err)
	hours, r := tree.Hours(d)
	assert.Equal(t, "Season of ferries", r.Value)
	assert.False(t, hours.Open(time.Date(2026, 12, 25, 12, 0, 0, 0, time.UTC)))
	assert.True(t, hours.Open(time.Date(2026, 12, 24, 12, 0, 0, 0, time.UTC)))

	c.Name, c.Hours = "Ferries", "daily 05:00-24:00"
	renamed, err := svc.Save(ctx, testkit.Anyone, c)
	require.NoError(t, err)
	assert.Equal(t, 2, *taken)
	_, err = svc.Save(ctx, testkit.Anyone, c)
	assert.ErrorIs(t, err, domain.ErrChanged, "of the version before")
	tree, err = s.Tree(ctx)
	require.NoError(t, err)
	hours, r = tree.Hours(d)
	assert.Equal(t, "Ferries", r.Value, "what is set follows the name")
	assert.InDelta(t, 19.0/24, hours.Share(), 1e-9)
	all, err := svc.All(ctx, testkit.Anyone)
	require.NoError(t, err)
	assert.Equal(t, 1, all[0].Devices)
	trace, err := svc.Rehearse(ctx, testkit.Anyone, domain.Calendar{ID: c.ID, Name: "Ferries", Hours: "daily 12:00-18:00"})
	require.NoError(t, err)
	require.Len(t, trace.Facts, 3)
	assert.Equal(t, "They are 25 % of a week", trace.Facts[0].Text)
	assert.Equal(t, "They were 79 %", trace.Facts[1].Text)
	assert.Equal(t, "They hold for 1 device", trace.Facts[2].Text)

	assert.ErrorContains(t, svc.Remove(ctx, testkit.Anyone, c.ID, renamed.Version), "set at 1 place or device")
	require.NoError(t, s.Overrides.Unset(ctx, at))
	require.NoError(t, svc.Remove(ctx, testkit.Anyone, c.ID, renamed.Version))
	_, err = svc.One(ctx, testkit.Anyone, c.ID)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

func TestCalendarsThatAreNone(t *testing.T) {
	svc, _, _ := setup(t)
	ctx := t.Context()
	_, err := svc.Save(ctx, testkit.Anyone, domain.Calendar{Name: "Office", Hours: "Mon-Fri 07:00-19:00"})
	require.NoError(t, err)
	for name, c := range map[string][2]string{
		"Give the calendar a name":  {" ", "daily 07:00-19:00"},
		"These are hours":           {"daily 07:00-19:00", "daily 07:00-19:00"},
		"Another calendar has":      {"OFFICE", "daily 07:00-19:00"},
		"Always needs no calendar":  {"Watch", "always"},
		"are no days":               {"Watch", "Moon 07:00-19:00"},
		"At most 60 characters":     {strings.Repeat("ü", 61), "daily 07:00-19:00"},
		"cannot be shown":           {"a\u202eb", "daily 07:00-19:00"},
		"At most 50 times and days": {"Watch", strings.Repeat("daily 07:00-19:00,", 60)},
	} {
		_, err := svc.Save(ctx, testkit.Anyone, domain.Calendar{Name: c[0], Hours: c[1]})
		assert.ErrorContains(t, err, name, c)
	}
	_, err = svc.Save(ctx, testkit.Anyone, domain.Calendar{ID: 99, Name: "Watch", Hours: "daily 07:00-19:00"})
	assert.ErrorIs(t, err, domain.ErrNotFound)
}
