package collect_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

func setup(t *testing.T) (*collect.Service, *store.Store, domain.Device) {
	t.Helper()
	s := testkit.Store(t)
	svc := testkit.Kits(t, s)
	p, err := s.Places.Save(t.Context(), domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		t.Context(),
		domain.Device{PlaceID: p.ID, Name: "np-sw-1", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: time.Now()},
		"",
		nil,
	)
	require.NoError(t, err)
	return svc, s, d
}

func TestBrokenKitsAreNamed(t *testing.T) {
	_, err := collect.New(collect.Wiring{Shipped: fstest.MapFS{"wrong.yaml": {Data: []byte("kit: x\nsources: 7\n")}}})
	assert.ErrorContains(t, err, "wrong.yaml")
	_, err = collect.New(collect.Wiring{Shipped: fstest.MapFS{"notes.txt": {Data: []byte("no kit")}}})
	assert.NoError(t, err, "other files do not matter")
}

func TestKitsByTitle(t *testing.T) {
	svc, _, _ := setup(t)
	var titles []string
	for _, k := range svc.Kits() {
		titles = append(titles, k.Title)
	}
	assert.IsIncreasing(t, titles)
	_, err := svc.Kit("nothing")
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// Rules that people changed, renamed or switched off stay so when the
// application starts again with the same kits.
func TestStartingAgainKeepsWhatPeopleChanged(t *testing.T) {
	svc, s, _ := setup(t)
	ctx := t.Context()
	require.NoError(t, svc.Load(ctx))
	rules, err := s.Rules.All(ctx)
	require.NoError(t, err)
	require.NotEmpty(t, rules)
	changed := rules[0]
	changed.Enabled, changed.Name, changed.Title = false, "Ours now", "ours"
	_, err = s.Rules.Save(ctx, changed)
	require.NoError(t, err)
	require.NoError(t, testkit.Kits(t, s).Load(ctx))
	again, err := s.Rules.All(ctx)
	require.NoError(t, err)
	assert.Len(t, again, len(rules), "the renamed one does not come back")
	kept, err := s.Rules.One(ctx, changed.ID)
	require.NoError(t, err)
	assert.False(t, kept.Enabled)
	assert.Equal(t, "ours", kept.Title)
	assert.Equal(t, changed.Key, kept.Key)
	for _, r := range again {
		assert.NotEmpty(t, r.Key, r.Name)
	}
}

// heldBy is what a device has, with its intervals stretched.
func heldBy(svc *collect.Service, d domain.Device, fittings []domain.Fitting, series []domain.Series, stretch float64) collect.Held {
	set := []domain.Override{{DeviceID: d.ID, Key: domain.SettingStretch, Value: fmt.Sprint(stretch)}}
	tree := inherit.NewTree(nil, set)
	return collect.Held{Tree: tree, Kits: svc.Effective(tree, d, fittings), Series: series}
}

func TestQuestionsFollowFittingsAndParameters(t *testing.T) {
	svc, _, d := setup(t)
	fittings := []domain.Fitting{
		{DeviceID: d.ID, Kit: "reachability", Parameters: map[string]string{"method": "tcp", "port": "443"}},
		{DeviceID: d.ID, Kit: "interfaces"},
		{DeviceID: d.ID, Kit: "long gone"},
	}
	opened := way.Opened{Kind: "snmp-v2c", Secrets: domain.Secrets{"community": "c"}}
	talks := map[string]kit.Talk{"snmp": {Settings: way.Settings{"port": "1161"}, Credential: opened}}
	questions := svc.Questions(d, heldBy(svc, d, fittings, nil, 1).Kits, talks)
	require.Len(t, questions, 2)
	tcp, table := questions[0], questions[1]
	assert.Equal(t, "reachability/probe", tcp.Key)
	assert.Equal(t, "tcp", tcp.Way)
	assert.Equal(t, "443", tcp.Ask["port"])
	assert.Equal(t, d.Address, tcp.Address)
	assert.Empty(t, tcp.Credential.Secrets, "a way hears no other way's secrets")
	assert.Equal(t, "snmp", table.Way)
	assert.Equal(t, "1161", table.Endpoint["port"])
	assert.Equal(t, "2s", table.Endpoint["timeout"], "what is not set is as usual")
	assert.Equal(t, domain.Secret("c"), table.Credential.Secrets["community"])
	assert.Len(t, table.Columns, 15)
	fittings[0].Parameters = nil
	hello := svc.Questions(d, heldBy(svc, d, fittings, nil, 1).Kits, nil)[0]
	assert.Equal(t, "snmp", hello.Way, "by default it is asked over SNMP")
	assert.Equal(t, "hello", hello.Ask["form"])
	assert.Equal(t, "161", hello.Endpoint["port"])
	assert.Equal(t, 15*time.Second, hello.Every)
	assert.Equal(t, 45*time.Second, svc.Questions(d, heldBy(svc, d, fittings, nil, 3).Kits, nil)[0].Every, "3 × 15 s")
	d.Paused = true
	assert.Empty(t, svc.Questions(d, heldBy(svc, d, fittings, nil, 1).Kits, talks))
}

func TestParametersNeedAFittedKit(t *testing.T) {
	svc, s, d := setup(t)
	ctx := t.Context()
	assert.ErrorIs(t, svc.SetParameters(ctx, testkit.Anyone, d.ID, "nothing", nil, ""), domain.ErrNotFound)
	tcp := map[string]string{"method": "tcp"}
	assert.ErrorIs(t, svc.SetParameters(ctx, testkit.Anyone, d.ID, "reachability", tcp, ""), domain.ErrNotFound)
	require.NoError(t, s.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "reachability"}))
	var fields domain.FieldErrors
	require.ErrorAs(t, svc.SetParameters(ctx, testkit.Anyone, d.ID, "reachability", map[string]string{"method": "smoke"}, ""), &fields)
	assert.Contains(t, fields, "method")
	require.NoError(t, svc.SetParameters(ctx, testkit.Anyone, d.ID, "reachability", map[string]string{"method": "tcp"}, ""))
}

func TestSeriesOfTheDeviceAreMadeOnce(t *testing.T) {
	svc, _, d := setup(t)
	fittings := []domain.Fitting{{DeviceID: d.ID, Kit: "reachability"}, {DeviceID: d.ID, Kit: "host-resources"}}
	first, err := svc.DeviceSeries(t.Context(), d.ID, heldBy(svc, d, fittings, nil, 1))
	require.NoError(t, err)
	assert.Len(t, first, 4, "answer time, loss, processor, memory")
	second, err := svc.DeviceSeries(t.Context(), d.ID, heldBy(svc, d, fittings, first, 1))
	require.NoError(t, err)
	assert.Equal(t, first, second)
}

func word(s string) derive.Value { return derive.Value{Kind: derive.Text, Text: s} }

// row is one of the interfaces kit: description, type, …, name, …, alias.
func row(index, name, kind string) derive.Row {
	none := derive.Value{}
	return derive.Row{Index: index, Values: []derive.Value{
		word(name), word(kind), none, num(1), none, none, none, none, word(name), none, none, num(1000), word("to the quay"), none, none,
	}}
}

func num(n float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: n} }

// A device that was restarted numbers its interfaces anew: the parts keep
// their identity by name, and with it their history.
func TestReindexedRowsStayTheSameParts(t *testing.T) {
	svc, _, d := setup(t)
	ctx := t.Context()
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	sync := func(known []domain.Part, at time.Time, rows ...derive.Row) ([]domain.Part, []domain.Series, error) {
		got, made, err := svc.SyncParts(
			ctx,
			d.ID,
			k,
			src,
			def,
			collect.Known{Parts: known},
			collect.NewReader(src, def).Rows(rows, nil),
			at,
		)
		return got.Parts, made, err
	}
	at := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	parts, series, err := sync(nil, at, row("1", "port1", "6"), row("2", "port2", "6"), row("3", "lo", "24"))
	require.NoError(t, err)
	require.Len(t, parts, 2, "the loopback is left out")
	assert.Len(t, series, 10, "5 readings each")
	assert.Equal(t, 1e9, parts[0].Speed, "1,000 Mbit/s")
	assert.Equal(t, "to the quay", parts[0].Note)

	after, series, err := sync(parts, at, row("12", "port1", "6"), row("11", "port2", "6"))
	require.NoError(t, err)
	assert.Empty(t, series, "no series is made again")
	for i := range parts {
		assert.Equal(t, parts[i].ID, after[i].ID)
	}
	assert.Equal(t, "12", after[0].Index)

	gone, _, err := sync(after, at.Add(time.Hour), row("12", "port1", "6"))
	require.NoError(t, err)
	assert.True(t, gone[0].GoneAt.IsZero())
	assert.Equal(t, at.Add(time.Hour), gone[1].GoneAt, "a vanished one is kept, marked")
	back, series, err := sync(gone, at.Add(2*time.Hour), row("12", "port1", "6"), row("30", "port2", "6"))
	require.NoError(t, err)
	assert.Empty(t, series)
	assert.True(t, back[1].GoneAt.IsZero(), "and taken up again")
}

// What a reader remembers holds only while the columns say the same: whatever changes
// between two looks, it reads what one without memory reads.
func TestAReaderRemembersWhatDidNotChange(t *testing.T) {
	svc, _, _ := setup(t)
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	r := rand.New(rand.NewPCG(8, 10))
	reader := collect.NewReader(src, def)
	for range 300 {
		var rows []derive.Row
		for i := range r.IntN(6) {
			x := row(fmt.Sprint(i), fmt.Sprint("port", r.IntN(3)), []string{"6", "24"}[r.IntN(2)])
			for _, column := range []string{"alias", "high_speed", "oper", "mac", "in"} {
				if c := src.Column(column); c >= 0 && r.IntN(3) == 0 {
					x.Values[c] = derive.Value{Kind: derive.Gauge, Num: float64(r.IntN(3))}
				}
			}
			if r.IntN(10) == 0 {
				x.Values = x.Values[:r.IntN(len(x.Values))]
			}
			rows = append(rows, x)
		}
		assert.Equal(t, collect.NewReader(src, def).Rows(rows, nil), reader.Rows(rows, nil))
	}
}

// Agents that give two rows one name are met in the field: both are watched.
func TestRowsOfTheSameNameAreToldApart(t *testing.T) {
	svc, s, d := setup(t)
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	rows := collect.NewReader(src, def).
		Rows([]derive.Row{row("1", "port", "6"), row("2", "port", "6"), row("3", "", "6"), row("4", "\x00\x01", "6")}, nil)
	parts, _, err := svc.SyncParts(t.Context(), d.ID, k, src, def, collect.Known{}, rows, time.Now())
	require.NoError(t, err)
	stored, err := s.Parts.Of(t.Context(), d.ID)
	require.NoError(t, err)
	var names, keys []string
	for _, p := range stored {
		names, keys = append(names, p.Name), append(keys, p.Key)
		assert.NotEmpty(t, p.Reason)
	}
	assert.Equal(t, []string{"port (row 1)", "port (row 2)", "row 3", "row 4"}, names)
	assert.Equal(t, []string{"port", "port (row 2)", "row 3", "row 4"}, keys)
	again, made, err := svc.SyncParts(t.Context(), d.ID, k, src, def, parts, rows, time.Now())
	require.NoError(t, err)
	assert.Empty(t, made)
	assert.Equal(t, parts, again)
}

// Five ports called alike are named by what differs: their notes.
func TestRowsOfTheSameNameAreNamedByWhatDiffers(t *testing.T) {
	svc, _, _ := setup(t)
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	named := func(notes ...string) (out []string) {
		var rows []derive.Row
		for i, note := range notes {
			r := row(fmt.Sprint(i+1), "Ethernet", "6")
			r.Values[12] = word(note)
			rows = append(rows, r)
		}
		for _, r := range collect.NewReader(src, def).Rows(append(rows, row("9", "lan9", "6")), nil) {
			out = append(out, r.Name)
		}
		return out
	}
	assert.Equal(t, []string{"Ethernet (quay)", "Ethernet (pier)", "lan9"}, named("quay", "pier"))
	assert.Equal(t, []string{"Ethernet (row 1)", "Ethernet (row 2)", "lan9"}, named("quay", "quay"))
	assert.Equal(t, []string{"Ethernet (row 1)", "Ethernet (row 2)", "lan9"}, named("quay", ""))
	assert.Equal(t, []string{"Ethernet", "lan9"}, named("quay"), "one needs nothing to tell it apart")
}

// An interface is removed and made again under its name; the agent lists the
// old row, as down, for minutes. The part goes on with the new row.
func TestAnInterfaceMadeAgainIsFollowed(t *testing.T) {
	svc, s, d := setup(t)
	ctx, at := t.Context(), time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	var known collect.Known
	look := func(rows ...derive.Row) []domain.Series {
		var made []domain.Series
		known, made, err = svc.SyncParts(ctx, d.ID, k, src, def, known, collect.NewReader(src, def).Rows(rows, known.Left), at)
		require.NoError(t, err)
		return made
	}
	down := func(r derive.Row) derive.Row { r.Values[3] = num(2); return r }
	look(row("5", "eth1", "6"), row("6", "eth2", "6"))
	eth1 := known.Parts[0].ID
	made := look(down(row("5", "eth1", "6")), row("6", "eth2", "6"), row("9", "eth1", "6"))
	assert.Empty(t, made)
	require.Len(t, known.Parts, 2, "the old row is no part of its own")
	assert.Equal(t, eth1, known.Parts[0].ID)
	assert.Equal(t, "9", known.Parts[0].Index)
	assert.Equal(t, "eth1", known.Parts[0].Name, "nothing needs to tell it from the one that it left")
	assert.Contains(t, known.Parts[0].Reason, "does not work any more")
	assert.Equal(t, map[string]string{"5": "eth1"}, known.Left)
	for _, r := range collect.NewReader(src, def).Rows([]derive.Row{down(row("5", "eth1", "6")), row("9", "eth1", "6")}, known.Left) {
		var p *domain.Part
		if r.Index == "9" {
			p = &known.Parts[0]
		}
		assert.True(t, known.Fits(r, p), "nothing needs to be looked at again")
	}
	look(row("6", "eth2", "6"), row("9", "eth1", "6"))
	assert.Empty(t, known.Left)
	stored, err := s.Parts.Of(ctx, d.ID)
	require.NoError(t, err)
	assert.Equal(t, known.Parts, stored)
}

// What the device says of a part is taken over when it changes.
func TestRenamedNotesAndSpeedsAreTakenOver(t *testing.T) {
	svc, _, d := setup(t)
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	rows := collect.NewReader(src, def).Rows([]derive.Row{row("1", "eth1", "6")}, nil)
	known, _, err := svc.SyncParts(t.Context(), d.ID, k, src, def, collect.Known{}, rows, time.Now())
	require.NoError(t, err)
	p := known.Parts[0]
	assert.True(t, known.Fits(rows[0], &p))
	silent := rows[0]
	silent.Speed, silent.Marks = 0, ""
	assert.True(t, known.Fits(silent, &p), "what it does not tell this time stays")
	renamed := rows[0]
	renamed.Note = "to the lighthouse"
	assert.False(t, known.Fits(renamed, &p))
	assert.False(t, known.Fits(rows[0], nil))
}

// What a device says of its speed is not believed beyond reason.
func TestImpossibleSpeedsAreLeftOut(t *testing.T) {
	svc, _, d := setup(t)
	k, err := svc.Kit("interfaces")
	require.NoError(t, err)
	def, src := k.Parts[0], k.Sources[0]
	var rows []derive.Row
	for i, v := range []derive.Value{word("Inf"), word("NaN"), {Kind: derive.Gauge, Num: -1}, {Kind: derive.Gauge, Num: 1e300}} {
		r := row(fmt.Sprint(i), fmt.Sprint("port", i), "6")
		r.Values[11] = v
		rows = append(rows, r)
	}
	known, _, err := svc.SyncParts(t.Context(), d.ID, k, src, def, collect.Known{}, collect.NewReader(src, def).Rows(rows, nil), time.Now())
	require.NoError(t, err)
	for _, p := range known.Parts {
		assert.Zero(t, p.Speed)
	}
}
