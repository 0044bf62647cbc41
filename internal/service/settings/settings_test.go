package settings_test

import (
	"context"
	"fmt"
	"net/netip"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// world is Line (an organisation) with Pier (a site) in it, and two devices in the pier.
type world struct {
	*settings.Service
	store      *store.Store
	line, pier domain.ID
	devices    []domain.Device
	reloads    *int
}

func setup(t *testing.T) world {
	t.Helper()
	s := testkit.Store(t)
	w := world{store: s, reloads: new(int)}
	w.Service = settings.New(s, testkit.Desk(s), testkit.Kits(t, s), w.reloaded)
	line, err := s.Places.Save(t.Context(), domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	pier, err := s.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site, ParentID: line.ID})
	require.NoError(t, err)
	w.line, w.pier = line.ID, pier.ID
	for i := range 2 {
		d := domain.Device{
			PlaceID:   pier.ID,
			Name:      fmt.Sprintf("np-sw-%d", i+1),
			Address:   netip.AddrFrom4([4]byte{192, 0, 2, byte(i + 1)}),
			CreatedAt: time.Now(),
		}
		d, err = s.Devices.Add(t.Context(), d, "", nil)
		require.NoError(t, err)
		require.NoError(t, s.Fittings.Fit(t.Context(), domain.Fitting{DeviceID: d.ID, Kit: "reachability"}))
		w.devices = append(w.devices, d)
	}
	return w
}

func (w world) reloaded(context.Context, []domain.ID) error {
	*w.reloads++
	return nil
}

// setting is what holds at a thing.
func (w world) setting(t *testing.T, at inherit.Thing, key domain.SettingKey) settings.Setting {
	t.Helper()
	all, err := w.Of(t.Context(), testkit.Anyone, at)
	require.NoError(t, err)
	for _, x := range all {
		if x.Key == key {
			return x
		}
	}
	t.Fatal("there is no such setting")
	return settings.Setting{}
}

func (w world) set(t *testing.T, at inherit.Thing, key domain.SettingKey, value string) error {
	return w.Set(t.Context(), testkit.Anyone, settings.Typed{At: at, Key: key, Value: value})
}

func (w world) snmp(t *testing.T, ranges string) string {
	t.Helper()
	c, err := w.store.Credentials.Add(t.Context(), domain.Credential{Name: "Fleet", Kind: "snmp-v2c", Ranges: ranges},
		domain.Secrets{"community": "quay"})
	require.NoError(t, err)
	return strconv.FormatInt(c.ID, 10)
}

func TestSettingsHoldBelowUntilTheyAreOverridden(t *testing.T) {
	w := setup(t)
	line, pier := inherit.Place(w.line), inherit.Place(w.pier)
	require.NoError(t, w.set(t, line, domain.SettingLeaveAlone, " 192.0.2.0/28, 192.0.2.200 "))
	here := w.setting(t, pier, domain.SettingLeaveAlone)
	assert.Equal(t, "192.0.2.0/28, 192.0.2.200", here.Shown)
	assert.False(t, here.Here)
	assert.Equal(t, "set at the place Line", here.Why.Answer)

	require.NoError(t, w.set(t, pier, domain.SettingLeaveAlone, "192.0.2.7"))
	here = w.setting(t, pier, domain.SettingLeaveAlone)
	assert.True(t, here.Here)
	assert.Equal(t, "192.0.2.7", here.Shown)
	assert.Equal(t, "192.0.2.0/28, 192.0.2.200", here.Else)
	require.NoError(t, w.set(t, pier, domain.SettingLeaveAlone, ""))
	assert.False(t, w.setting(t, pier, domain.SettingLeaveAlone).Here)
	assert.Zero(t, *w.reloads, "devices are asked as before")

	for value, key := range map[string]domain.SettingKey{
		"192.0.2.300": domain.SettingLeaveAlone,
		",":           domain.SettingLeaveAlone,
		"no-such":     domain.SettingGateway,
		"x":           "colour",
		"0":           domain.SettingStretch,
		"7":           domain.SettingCredential("snmp"),
		"8":           domain.SettingCredential("tcp"),
	} {
		assert.ErrorAs(t, w.set(t, pier, key, value), new(domain.FieldErrors), value)
	}
	entries, err := w.store.Audit.Find(t.Context(), domain.EntryFilter{Act: "change a setting of a place", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, entries, 3)
}

func TestADeviceMayHaveAStretchOfItsOwn(t *testing.T) {
	w := setup(t)
	device := inherit.Device(w.devices[0].ID)
	require.NoError(t, w.set(t, inherit.Place(w.line), domain.SettingStretch, "× 2"))
	x := w.setting(t, device, domain.SettingStretch)
	assert.Equal(t, "× 2", x.Shown)
	assert.False(t, x.Here)
	require.NoError(t, w.set(t, device, domain.SettingStretch, "0.50"))
	x = w.setting(t, device, domain.SettingStretch)
	assert.Equal(t, "× 0.5", x.Shown)
	assert.Equal(t, "× 2", x.Else)
	assert.True(t, x.Here)
	assert.Equal(t, "Where does “Intervals of collecting” come from?", x.Why.Question)
	assert.Equal(t, "× 2", x.Why.Facts[1].Detail)
	assert.Equal(t, 2, *w.reloads)
	assert.ErrorAs(t, w.set(t, device, domain.SettingLeaveAlone, "192.0.2.1"), new(domain.FieldErrors), "a device is no range")
	for _, wrong := range []string{"0.01", "many", "-2"} {
		assert.Equal(t, domain.FieldErrors{"value": "Must be a number from 0.1 to 100, such as 2 or 0.5."},
			w.set(t, device, domain.SettingStretch, wrong))
	}
}

// 60 of 168 hours are 0.357 of a week: of 23,040 samples a day 8,229 stay (see the stretch below).
func TestARehearsalTellsWhatHoursCost(t *testing.T) {
	w := setup(t)
	typed := settings.Typed{At: inherit.Place(w.line), Key: domain.SettingHours, Value: "Mon-Fri  07:00-19:00"}
	trace, err := w.Rehearse(t.Context(), testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Contains(t, trace.Facts[0].Text, "By these hours")
	assert.Equal(t, "23,040 → 8,229", trace.Facts[1].Detail)
	require.NoError(t, w.set(t, typed.At, typed.Key, typed.Value))
	assert.Equal(t, "Mon-Fri 07:00-19:00", w.setting(t, typed.At, typed.Key).Shown)
	device := inherit.Device(w.devices[0].ID)
	require.NoError(t, w.set(t, device, typed.Key, "always"))
	assert.Equal(t, "always", w.setting(t, device, typed.Key).Shown)
	assert.Equal(t, domain.FieldErrors{"value": "“Someday” are no days: Mon, Mon-Fri or daily."},
		w.set(t, device, typed.Key, "Someday 07:00-19:00"))
}

// Of three parts one is gone for 20 days and one for 5; with 10 days the first goes.
func TestARehearsalTellsWhichRowsWouldGo(t *testing.T) {
	w := setup(t)
	typed := settings.Typed{At: inherit.Place(w.line), Key: domain.SettingKeepRows, Value: "10"}
	ago := func(days int) time.Time { return time.Now().AddDate(0, 0, -days) }
	_, err := w.store.Parts.Add(t.Context(), []domain.Part{
		{DeviceID: w.devices[0].ID, Kit: "k", Kind: "port", Key: "a", GoneAt: ago(20)},
		{DeviceID: w.devices[0].ID, Kit: "k", Kind: "port", Key: "b", GoneAt: ago(5)},
		{DeviceID: w.devices[0].ID, Kit: "k", Kind: "port", Key: "c"},
	})
	require.NoError(t, err)
	trace, err := w.Rehearse(t.Context(), testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Equal(t, "Gone now: 2 parts", trace.Facts[0].Text)
	assert.Contains(t, trace.Facts[0].Detail, "1 part would be removed")
	require.NoError(t, w.set(t, typed.At, typed.Key, " 10 "))
	assert.Equal(t, "10 days", w.setting(t, typed.At, typed.Key).Shown)
	for _, wrong := range []string{"0", "3651", "ten"} {
		assert.Equal(t, domain.FieldErrors{"value": "Must be a number of days from 1 to 3650."}, w.set(t, typed.At, typed.Key, wrong))
	}
}

func TestARehearsalTellsWhatAStretchCosts(t *testing.T) {
	w := setup(t)
	typed := settings.Typed{At: inherit.Place(w.line), Key: domain.SettingStretch, Value: "2"}
	trace, err := w.Rehearse(t.Context(), testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Equal(t, "It would hold for 2 devices", trace.Answer)
	// Two devices with two series each that are asked every 15 s: 2 × 2 × 5760 samples a
	// day; the probe asks three times: 2 × 3 × 4 requests a minute.
	assert.Equal(t, "24 → 12", trace.Facts[0].Detail, trace.Facts[0].Text)
	assert.Equal(t, "23,040 → 11,520", trace.Facts[1].Detail, trace.Facts[1].Text)
	assert.Equal(t, "Whether they answer is asked every 30 s", trace.Facts[3].Text)
	assert.Equal(t, "every 15 s now", trace.Facts[3].Detail)
	assert.False(t, w.setting(t, typed.At, typed.Key).Set, "nothing is changed")

	require.NoError(t, w.set(t, inherit.Place(w.pier), domain.SettingStretch, "4"))
	trace, err = w.Rehearse(t.Context(), testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Equal(t, "It would hold for 0 devices", trace.Answer)
	assert.Equal(t, "What is set further down stays: at Pier", trace.Facts[0].Text)

	typed.At, typed.Value = inherit.Place(w.pier), ""
	trace, err = w.Rehearse(t.Context(), testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Equal(t, "6 → 24", trace.Facts[0].Detail, "what comes from above is the usual stretch")
	typed.Value = "x"
	_, err = w.Rehearse(t.Context(), testkit.Anyone, typed)
	assert.ErrorAs(t, err, new(domain.FieldErrors))
}

func TestACredentialOnTheTreeGoesOnlyWhereItIsBound(t *testing.T) {
	w := setup(t)
	key, line := domain.SettingCredential("snmp"), inherit.Place(w.line)
	typed := settings.Typed{At: line, Key: key, Value: w.snmp(t, "192.0.2.1")}
	trace, err := w.Rehearse(t.Context(), testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Equal(t, "2 devices would be asked with it", trace.Answer)
	assert.Equal(t, "It is not bound to the addresses of 1 device: its secret must be typed again", trace.Facts[0].Text)
	assert.Equal(t, "np-sw-2 192.0.2.2", trace.Facts[0].Detail)

	err = w.Set(t.Context(), testkit.Anyone, typed)
	assert.Equal(t, domain.FieldErrors{
		"secret": "“Fleet” is bound to 192.0.2.1, and 192.0.2.2 lies outside: type its secret again to send it there.",
	}, err)
	assert.False(t, w.setting(t, line, key).Set, "nothing is half done")
	typed.Secrets = domain.Secrets{"": "quay"}
	require.NoError(t, w.Set(t.Context(), testkit.Anyone, typed))
	x := w.setting(t, inherit.Place(w.pier), key)
	assert.Equal(t, "Fleet", x.Shown)
	assert.Equal(t, "set at the place Line", x.Why.Answer)
	all, err := w.store.Credentials.All(t.Context())
	require.NoError(t, err)
	assert.Equal(t, "192.0.2.1\n192.0.2.2", all[0].Ranges)
}

func TestRehearsalsOfWaysAndRanges(t *testing.T) {
	w := setup(t)
	line := inherit.Place(w.line)
	trace, err := w.Rehearse(t.Context(), testkit.Anyone, settings.Typed{At: line, Key: domain.SettingGateway, Value: "np-sw-1"})
	require.NoError(t, err)
	assert.Equal(t, "While np-sw-1 does not answer, they are out of reach, and not down", trace.Facts[0].Text)
	assert.Equal(t, "np-sw-1 itself is reached as the places further up say", trace.Facts[1].Text)
	trace, err = w.Rehearse(t.Context(), testkit.Anyone, settings.Typed{At: line, Key: domain.SettingLeaveAlone, Value: "192.0.2.2/31"})
	require.NoError(t, err)
	assert.Equal(t, "Sweeps would leave 2 addresses alone", trace.Answer)
	assert.Equal(t, "np-sw-2", trace.Facts[0].Detail)
}

func TestWhatWasSetIsSetBack(t *testing.T) {
	w := setup(t)
	line := inherit.Place(w.line)
	require.NoError(t, w.set(t, line, domain.SettingGateway, "np-sw-1"))
	require.NoError(t, w.set(t, line, domain.SettingStretch, "2"))
	u := w.Undoing()["change a setting of a place"]
	present, err := u.Present(t.Context(), testkit.Anyone, w.line)
	require.NoError(t, err)
	assert.Len(t, present, 2)
	gateway := fmt.Sprint(w.devices[1].ID)
	require.NoError(t, u.Put(t.Context(), testkit.Anyone, w.line, []byte(`{"gateway": "`+gateway+`"}`)))
	assert.Equal(t, "np-sw-2", w.setting(t, line, domain.SettingGateway).Shown)
	assert.False(t, w.setting(t, line, domain.SettingStretch).Set)
}

// Who may set something at a place need not see what lies further up, nor watch.
func TestRehearsalsNameNothingThatIsNotSeen(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	shore, err := w.store.Devices.Add(ctx, domain.Device{
		PlaceID:   w.line,
		Name:      "hq-secret-1",
		Address:   netip.MustParseAddr("192.0.2.99"),
		CreatedAt: time.Now(),
	}, "", nil)
	require.NoError(t, err)
	require.NoError(t, w.set(t, inherit.Place(w.line), domain.SettingGateway, shore.Name))
	require.NoError(t, w.set(t, inherit.Place(w.pier), domain.SettingGateway, "np-sw-1"))
	places, err := w.store.Places.All(ctx)
	require.NoError(t, err)
	grant := domain.Grant{PlaceID: w.pier, Level: domain.AccessConfigure, Areas: []domain.Area{domain.AreaRun}}
	sheet := access.NewSheet(access.NewTree(places), []access.Given{{Grant: grant}})
	helper := access.Actor{Kind: access.Person, ID: 9, Name: "helper", Sheet: sheet}

	back := settings.Typed{At: inherit.Place(w.pier), Key: domain.SettingGateway}
	trace, err := w.Rehearse(ctx, helper, back)
	require.NoError(t, err)
	assert.NotContains(t, fmt.Sprint(trace), shore.Name, "what holds again is further up")
	alone := settings.Typed{At: inherit.Place(w.pier), Key: domain.SettingLeaveAlone, Value: "192.0.2.2"}
	trace, err = w.Rehearse(ctx, helper, alone)
	require.NoError(t, err)
	assert.Contains(t, trace.Facts[0].Text, "1 watched device of here")
	assert.NotContains(t, fmt.Sprint(trace), "np-sw-2", "devices are seen by those who watch")
}

func TestTheSecondWhoSetsSomethingIsTold(t *testing.T) {
	w := setup(t)
	ctx, pier := t.Context(), inherit.Place(w.pier)
	seen := w.setting(t, pier, domain.SettingStretch).Mark
	set := func(value, mark string) error {
		return w.Set(ctx, testkit.Anyone, settings.Typed{At: pier, Key: domain.SettingStretch, Value: value, Mark: mark})
	}
	require.NoError(t, w.Set(ctx, testkit.Anyone, settings.Typed{At: inherit.Place(w.line), Key: domain.SettingStretch, Value: "5"}))
	require.NoError(t, set("2", seen), "what is set further up is not what is set here")
	assert.ErrorIs(t, set("3", seen), domain.ErrChanged)
	assert.ErrorIs(t, set("", seen), domain.ErrChanged)
	now := w.setting(t, pier, domain.SettingStretch)
	assert.Equal(t, "2", now.Value)
	require.NoError(t, set("", now.Mark))
	assert.Equal(t, seen, w.setting(t, pier, domain.SettingStretch).Mark)
}

// What is set at a place for devices with a tag holds for these alone, is told so before, and undone like all else.
func TestWhatIsSetForATag(t *testing.T) {
	w := setup(t)
	ctx := t.Context()
	kits := testkit.Kits(t, w.store)
	require.NoError(t, kits.Load(ctx))
	var changed []domain.ID
	service := settings.New(w.store, testkit.Desk(w.store), kits, func(_ context.Context, ids []domain.ID) error {
		changed = ids
		return nil
	})
	require.NoError(t, w.store.Attributes.Set(ctx, []domain.Attribute{{DeviceID: w.devices[0].ID, Name: "kiosk", Tag: true}}))
	const key domain.SettingKey = "every:reachability:probe"
	typed := settings.Typed{At: inherit.Place(w.pier), Key: key + "#kiosk", Value: "45s"}
	trace, err := service.Rehearse(ctx, testkit.Anyone, typed)
	require.NoError(t, err)
	assert.Equal(t, "It would hold for 1 device that the kit is fitted to", trace.Answer)
	require.NoError(t, service.Set(ctx, testkit.Anyone, typed))
	assert.Equal(t, []domain.ID{w.devices[0].ID}, changed)

	kiosk, err := service.One(ctx, testkit.Anyone, inherit.Device(w.devices[0].ID), key)
	require.NoError(t, err)
	assert.Equal(t, "45s", kiosk.Value)
	assert.Equal(t, "set at the place Pier for devices with the tag kiosk", kiosk.Where())
	other, err := service.One(ctx, testkit.Anyone, inherit.Device(w.devices[1].ID), key)
	require.NoError(t, err)
	assert.False(t, other.Set)

	// For all of the place: the kiosk keeps its own.
	all := settings.Typed{At: inherit.Place(w.pier), Key: key, Value: "90s"}
	trace, err = service.Rehearse(ctx, testkit.Anyone, all)
	require.NoError(t, err)
	assert.Equal(t, "It would hold for 1 device that the kit is fitted to", trace.Answer)
	require.NoError(t, service.Set(ctx, testkit.Anyone, all))
	assert.Equal(t, []domain.ID{w.devices[1].ID}, changed)
	listed, err := service.Of(ctx, testkit.Anyone, inherit.Place(w.pier))
	require.NoError(t, err)
	var titles []string
	for _, x := range listed {
		if x.Here {
			titles = append(titles, x.Title)
		}
	}
	const title = "Interval of probe of Reachability"
	assert.Equal(t, []string{title, title + ", for devices with the tag kiosk"}, titles)

	typed.Value = ""
	require.NoError(t, service.Set(ctx, testkit.Anyone, typed))
	kiosk, err = service.One(ctx, testkit.Anyone, inherit.Device(w.devices[0].ID), key)
	require.NoError(t, err)
	assert.Equal(t, "90s", kiosk.Value)
	var errs domain.FieldErrors
	for _, no := range []settings.Typed{
		{At: inherit.Place(w.pier), Key: key + "#a=b", Value: "45s"},             // no name of a tag
		{At: inherit.Device(w.devices[0].ID), Key: key + "#kiosk", Value: "45s"}, // a device itself needs none
	} {
		errs = nil
		require.ErrorAs(t, service.Set(ctx, testkit.Anyone, no), &errs)
	}
}
