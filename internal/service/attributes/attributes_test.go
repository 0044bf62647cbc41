package attributes_test

import (
	"context"
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

// world is a line with a pier, on which stands a switch.
type world struct {
	*attributes.Service
	db         *store.Store
	line, pier domain.Place
	device     domain.Device
}

func begin(t *testing.T) world {
	t.Helper()
	db := testkit.Store(t)
	w := world{Service: attributes.New(db, testkit.Desk(db), act.NewSheets(db), func(context.Context) error { return nil }), db: db}
	var err error
	w.line, err = db.Places.Save(t.Context(), domain.Place{Name: "Line", Kind: domain.Organisation})
	require.NoError(t, err)
	w.pier, err = db.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site, ParentID: w.line.ID})
	require.NoError(t, err)
	w.device = w.add(t, "np-sw-1", w.pier.ID)
	return w
}

func (w world) add(t *testing.T, name string, place domain.ID) domain.Device {
	t.Helper()
	d := domain.Device{Name: name, PlaceID: place, Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()}
	d, err := w.db.Devices.Add(t.Context(), d, "", nil)
	require.NoError(t, err)
	return d
}

// of is what holds for a thing, in words.
func (w world) of(t *testing.T, who access.Actor, thing inherit.Thing) map[string]string {
	t.Helper()
	shown, err := w.Of(t.Context(), who, thing)
	require.NoError(t, err)
	out := map[string]string{}
	for _, a := range shown.All {
		name := a.Name
		if a.Tag {
			name = "#" + name
		}
		out[name] = a.Value + " " + a.Why.Answer
	}
	return out
}

func (w world) set(t *testing.T, thing inherit.Thing, changes ...attributes.Change) {
	t.Helper()
	require.NoError(t, w.Set(t.Context(), testkit.Anyone, thing, changes))
}

func TestWhatIsSetHoldsBelowUntilItIsOverridden(t *testing.T) {
	w := begin(t)
	w.set(t, inherit.Place(w.line.ID), attributes.Change{Name: "shift", Value: "day"}, attributes.Change{Name: "harbour", Tag: true})
	device := inherit.Device(w.device.ID)
	want := map[string]string{"shift": "day set at the place Line", "#harbour": " set at the place Line"}
	assert.Equal(t, want, w.of(t, testkit.Anyone, device))
	w.set(t, device, attributes.Change{Name: " shift ", Value: " night "})
	assert.Equal(t, "night set at the device itself", w.of(t, testkit.Anyone, device)["shift"])
	w.set(t, device, attributes.Change{Name: "shift", Unset: true})
	assert.Equal(t, "day set at the place Line", w.of(t, testkit.Anyone, device)["shift"], "back to what is inherited")
}

func TestWhatDoesNotFitIsToldAtItsField(t *testing.T) {
	w := begin(t)
	for _, c := range []struct {
		change attributes.Change
		field  string
	}{
		{attributes.Change{Name: ""}, "name"},
		{attributes.Change{Name: "a=b"}, "name"},
		{attributes.Change{Name: "#a"}, "name"},
		{attributes.Change{Name: strings.Repeat("é", 61)}, "name"},
		{attributes.Change{Name: "a\x00"}, "name"},
		{attributes.Change{Name: "a", Value: "one\ntwo"}, "value"},
		{attributes.Change{Name: "a", Value: strings.Repeat("x", 501)}, "value"},
		{attributes.Change{Name: "a", Value: "\xff"}, "value"},
		{attributes.Change{Name: "a", Value: "x", Tag: true}, "value"},
	} {
		err := w.Set(t.Context(), testkit.Anyone, inherit.Device(w.device.ID), []attributes.Change{{Name: "fine", Value: "1"}, c.change})
		var errs domain.FieldErrors
		require.ErrorAs(t, err, &errs, "%q", c.change)
		assert.Contains(t, errs, c.field)
	}
	assert.Empty(t, w.of(t, testkit.Anyone, inherit.Device(w.device.ID)), "nothing is half done")
}

func TestSeveralDevicesAreChangedTogetherOrNotAtAll(t *testing.T) {
	w := begin(t)
	other := w.add(t, "np-sw-2", w.pier.ID)
	role := []attributes.Change{{Name: "role", Value: "standby"}}
	things := []inherit.Thing{inherit.Device(w.device.ID), inherit.Device(other.ID)}
	require.NoError(t, w.SetMany(t.Context(), testkit.Anyone, things, role))
	assert.Contains(t, w.of(t, testkit.Anyone, things[1]), "role")
	err := w.SetMany(t.Context(), testkit.Anyone, append(things, inherit.Device(987654)), []attributes.Change{{Name: "rack", Value: "3"}})
	assert.ErrorIs(t, err, domain.ErrNotFound)
	assert.NotContains(t, w.of(t, testkit.Anyone, things[0]), "rack")
	assert.Error(t, w.SetMany(t.Context(), testkit.Anyone, nil, role))
	noted, err := w.db.Audit.Find(t.Context(), domain.EntryFilter{Kind: "device", Limit: 10})
	require.NoError(t, err)
	assert.Len(t, noted, 2)
}

// Who sees only the pier learns what holds there, and not where further up it is set.
func TestNamesOfPlacesFurtherUpAreNotTold(t *testing.T) {
	w := begin(t)
	w.set(t, inherit.Place(w.line.ID), attributes.Change{Name: "shift", Value: "day"})
	tree := access.NewTree([]domain.Place{w.line, w.pier})
	grant := access.Given{Grant: domain.Grant{PlaceID: w.pier.ID, Level: domain.AccessSee}}
	who := access.Actor{Kind: access.Person, ID: 7, Name: "marek", Sheet: access.NewSheet(tree, []access.Given{grant})}
	assert.Equal(t, map[string]string{"shift": "day set at the place further up"}, w.of(t, who, inherit.Device(w.device.ID)))
	err := w.Set(t.Context(), who, inherit.Device(w.device.ID), []attributes.Change{{Name: "a", Value: "1"}})
	assert.ErrorIs(t, err, domain.ErrForbidden)
	_, err = w.Of(t.Context(), who, inherit.Place(w.line.ID))
	assert.ErrorIs(t, err, domain.ErrNotFound)
	used, err := w.Used(t.Context(), who)
	require.NoError(t, err)
	assert.Empty(t, used)
}

func bring(t *testing.T, w world, who access.Actor, table string, rehearse bool) (attributes.Report, error) {
	t.Helper()
	return w.Import(t.Context(), who, strings.NewReader(table), rehearse)
}

func TestATableIsTriedAndThenDone(t *testing.T) {
	w := begin(t)
	w.set(t, inherit.Device(w.device.ID), attributes.Change{Name: "rack", Value: "2"}, attributes.Change{Name: "old", Value: "x"})
	const table = "\ufeffDevice,Attribute,Value\nnp-sw-1,rack,3\nnp-sw-1,old,-\nnp-sw-1,#night,\nnp-sw-1,role,\" standby \"\n"
	report, err := bring(t, w, testkit.Anyone, table, true)
	require.NoError(t, err)
	assert.False(t, report.Done)
	assert.Equal(t, []int{4, 3, 1, 0}, []int{report.Rows, report.Set, report.Unset, report.Wrongs})
	assert.Equal(t, attributes.Row{Line: 2, Thing: "np-sw-1", Name: "rack", To: "3", Was: "2"}, report.Changes[0])
	assert.Equal(t, "2 set at the device itself", w.of(t, testkit.Anyone, inherit.Device(w.device.ID))["rack"], "only tried")
	report, err = bring(t, w, testkit.Anyone, table, false)
	require.NoError(t, err)
	assert.True(t, report.Done)
	now := w.of(t, testkit.Anyone, inherit.Device(w.device.ID))
	assert.Len(t, now, 3)
	assert.Contains(t, now, "#night")
	assert.Equal(t, "standby set at the device itself", now["role"])
	report, err = bring(t, w, testkit.Anyone, table, true)
	require.NoError(t, err)
	assert.Equal(t, 4, report.Same, "the same again changes nothing")

	var out strings.Builder
	require.NoError(t, w.Export(t.Context(), testkit.Anyone, &out))
	want := "place,device,part,attribute,value\nPier,np-sw-1,,#night,\nPier,np-sw-1,,rack,3\nPier,np-sw-1,,role,standby\n"
	assert.Equal(t, want, sorted(out.String()))
}

func sorted(text string) string {
	lines := strings.Split(strings.TrimSuffix(text, "\n"), "\n")
	head, rest := lines[0], lines[1:]
	for i := range rest {
		for j := i; j > 0 && rest[j] < rest[j-1]; j-- {
			rest[j], rest[j-1] = rest[j-1], rest[j]
		}
	}
	return strings.Join(append([]string{head}, rest...), "\n") + "\n"
}

func TestEverythingWrongWithATableIsTold(t *testing.T) {
	w := begin(t)
	w.add(t, "np-sw-9", w.pier.ID)
	require.NoError(t, w.db.InTx(t.Context(), func(tx *store.Areas) error {
		other, err := tx.Places.Save(t.Context(), domain.Place{Name: "Elsewhere", Kind: domain.Organisation})
		if err == nil {
			_, err = tx.Devices.Add(t.Context(), domain.Device{
				Name: "np-sw-9", PlaceID: other.ID, Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now(),
			}, "", nil)
		}
		return err
	}))
	table := "place,device,part,attribute,value\n" +
		",nobody,,a,1\n" +
		"Nowhere,,,a,1\n" +
		",,,a,1\n" +
		",,port1,a,1\n" +
		",np-sw-1,port1,a,1\n" +
		",np-sw-1,,a=b,1\n" +
		",np-sw-1,,a,1\n" +
		",np-sw-1,,a,2\n" +
		",np-sw-9,,a,1\n" +
		"Pier,np-sw-9,,a,1\n" +
		",np-sw-1,,\"broken\"quote,1\n" +
		"Pier\n"
	report, err := bring(t, w, testkit.Anyone, table, false)
	require.NoError(t, err)
	assert.False(t, report.Done)
	var told []string
	for _, x := range report.Wrong {
		told = append(told, fmt.Sprint(x.Line, " ", x.Text))
	}
	assert.Equal(t, []string{
		"2 there is no device “nobody”",
		"3 there is no place “Nowhere”",
		"4 neither a place nor a device is named",
		"5 a part belongs to a device, which is not named",
		"6 “np-sw-1” has no part “port1”",
		"7 A name has 1 to 60 characters, without = # and commas.",
		"9 line 8 says something about the same already",
		"10 several devices are called “np-sw-9”: name the place, too",
		`12 extraneous or missing " in quoted-field`,
		"13 A name has 1 to 60 characters, without = # and commas.",
	}, told)
	assert.Empty(t, w.of(t, testkit.Anyone, inherit.Device(w.device.ID)), "nothing is half done")
	for _, bad := range []string{"", "device,value\nx,1\n", "device,device,attribute\n", "colour,attribute\n"} {
		_, err := bring(t, w, testkit.Anyone, bad, true)
		assert.ErrorAs(t, err, new(domain.FieldErrors), bad)
	}
}

func TestATableTellsNothingOfWhatMayNotBeSeen(t *testing.T) {
	w := begin(t)
	tree := access.NewTree([]domain.Place{w.line, w.pier, {ID: 99, Name: "Other"}})
	sheet := access.NewSheet(tree, []access.Given{{Grant: domain.Grant{PlaceID: 99, Level: domain.AccessAdminister}}})
	who := access.Actor{Kind: access.Person, ID: 7, Name: "marek", Sheet: sheet}
	report, err := bring(t, w, who, "place,device,attribute,value\n,np-sw-1,a,1\n,no-such,a,1\nPier,,a,1\n", false)
	require.NoError(t, err)
	require.Len(t, report.Wrong, 3)
	assert.Equal(t, "there is no device “np-sw-1”", report.Wrong[0].Text)
	assert.Equal(t, "there is no place “Pier”", report.Wrong[2].Text)
}

func TestAHundredThousandAttributes(t *testing.T) {
	w := begin(t)
	const devices, each = 500, 200
	require.NoError(t, w.db.InTx(t.Context(), func(tx *store.Areas) error {
		for i := range devices {
			d := w.device
			d.ID, d.Name = 0, fmt.Sprint("d-", i)
			if _, err := tx.Devices.Add(t.Context(), d, "", nil); err != nil {
				return err
			}
		}
		return nil
	}))
	var table strings.Builder
	table.WriteString("device,attribute,value\n")
	for i := range devices * each {
		fmt.Fprintf(&table, "d-%d,a%d,%d\n", i%devices, i/devices, i)
	}
	wrong := strings.ReplaceAll(table.String(), "d-13,", "d-013,")
	report, err := bring(t, w, testkit.Anyone, wrong, false)
	require.NoError(t, err)
	assert.Equal(t, each, report.Wrongs)
	used, err := w.Used(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	assert.Empty(t, used, "nothing is half done")
	report, err = bring(t, w, testkit.Anyone, table.String(), false)
	require.NoError(t, err)
	assert.Equal(t, devices*each, report.Set)
	used, err = w.Used(t.Context(), testkit.Anyone)
	require.NoError(t, err)
	assert.Len(t, used, each)
	assert.Equal(t, devices, used[0].Devices)
}

// By a tag that teams are granted things by, nobody can give others more than he may do.
func TestWhoMayLessThanATagGrantsCannotGiveIt(t *testing.T) {
	w := begin(t)
	grant := domain.Grant{PlaceID: w.line.ID, Level: domain.AccessAdminister, Areas: []domain.Area{domain.AreaWatch}, Tag: "night"}
	require.NoError(t, w.db.InTx(t.Context(), func(tx *store.Areas) error {
		_, err := tx.Teams.Save(t.Context(), domain.Team{Name: "Night shift", Grants: []domain.Grant{grant}})
		return err
	}))
	tree := access.NewTree([]domain.Place{w.line, w.pier})
	may := func(level domain.Access, at domain.ID) access.Actor {
		given := access.Given{Grant: domain.Grant{PlaceID: at, Level: level}}
		return access.Actor{Kind: access.Person, ID: 7, Name: "marek", Sheet: access.NewSheet(tree, []access.Given{given})}
	}
	night, day := []attributes.Change{{Name: "night", Tag: true}}, []attributes.Change{{Name: "day", Tag: true}}
	device, pier := inherit.Device(w.device.ID), inherit.Place(w.pier.ID)
	configures := may(domain.AccessConfigure, w.line.ID)
	for _, thing := range []inherit.Thing{device, pier, inherit.Place(w.line.ID)} {
		err := w.Set(t.Context(), configures, thing, night)
		require.ErrorIs(t, err, domain.ErrForbidden)
		assert.ErrorContains(t, err, "by the tag “night” teams may do more than you may here")
		require.NoError(t, w.Set(t.Context(), configures, thing, day), "nothing hangs on this one")
		require.NoError(t, w.Set(t.Context(), configures, thing, []attributes.Change{{Name: "night", Value: "an attribute"}}))
	}
	report, err := bring(t, w, configures, "device,attribute\nnp-sw-1,#night\nnp-sw-1,#day\n", false)
	require.NoError(t, err)
	require.Len(t, report.Wrong, 1)
	assert.Equal(t, 2, report.Wrong[0].Line)

	require.NoError(t, w.Set(t.Context(), may(domain.AccessAdminister, w.pier.ID), device, night))
	assert.Contains(t, w.of(t, testkit.Anyone, device), "#night")
	taken := []attributes.Change{{Name: "night", Tag: true, Unset: true}}
	assert.ErrorIs(t, w.Set(t.Context(), configures, device, taken), domain.ErrForbidden, "nor take it from others")
	require.NoError(t, w.Set(t.Context(), may(domain.AccessAdminister, w.pier.ID), device, taken))
}

func TestTheSecondWhoSetsAnAttributeIsTold(t *testing.T) {
	w := begin(t)
	device := inherit.Device(w.device.ID)
	set := func(value, seen string) error {
		return w.Set(t.Context(), testkit.Anyone, device, []attributes.Change{{Name: "role", Value: value, Mark: attributes.MarkOf(seen)}})
	}
	require.NoError(t, set("spare", ""), "none was seen")
	require.NoError(t, set("main", "spare"))
	assert.ErrorIs(t, set("other", "spare"), domain.ErrChanged)
	assert.ErrorIs(t, set("other", ""), domain.ErrChanged)
	assert.Contains(t, w.of(t, testkit.Anyone, device)["role"], "main")
	require.NoError(t, w.Set(t.Context(), testkit.Anyone, device, []attributes.Change{{Name: "role", Value: "any"}}))
}
