package kits

import (
	"encoding/json"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

const tide = `kit: tide
title: Tide
version: 1
sources:
  - {key: gauge, way: snmp, every: 60s, ask: {form: get}, columns: [{as: level, of: 1.3.6.1.4.1.99999.1.0}]}
readings:
  - {key: level, name: Level, unit: m, source: gauge, value: [level], scale: 0.01}
  - {key: "odd \"one\"", name: Odd, source: nowhere, value: [level], parked: true}
rules:
  - {key: high, name: High water, reading: level, limit: {levels: {warning: {at: 5}}}}
`

func sheet(t *testing.T, section, name string) sheetView {
	t.Helper()
	d, err := draft.NewBook(testkit.Ways.Described(), kinds.All).Read(tide)
	require.NoError(t, err)
	p, ok := d.Find(section, name)
	require.True(t, ok || section == "")
	return sheetView{Place: p, May: true, draft: d, entries: d.Entries(p)}
}

func labels(fields []sheetField) (out []string) {
	for _, f := range fields {
		out = append(out, f.Label)
	}
	return out
}

func TestTheUsualFieldsOfAThingComeFirst(t *testing.T) {
	v := sheet(t, "readings", "level")
	assert.Equal(t, "Level", v.Heading())
	assert.Equal(t, []string{"Called", "Key", "Unit", "Of each", "Source", "Made of", "From raw to stored", "About"}, labels(v.Fields()))
	assert.Contains(t, labels(v.More()), "Highest")
	steps := v.Fields()[6]
	assert.True(t, steps.Wide)
	require.Len(t, steps.Cells, 2, "the step, and an empty one")
	assert.Equal(t, "0.01", steps.Cells[0][1].Value)
	assert.Equal(t, "From raw to stored, row 1: With", steps.Cells[0][1].Label, "what it is for is told to who does not see")

	v = sheet(t, "rules", "high")
	assert.Equal(t, []string{"Alerts are called", "What to do"}, labels(v.Rest()), "behind the levels")
	rows := v.Levels()
	require.Len(t, rows, 3)
	assert.Equal(t, "5", rows[1].Fields[0].Value, "critical, warning, notice")
}

func TestWhatWasTypedAndCouldNotBeTakenStays(t *testing.T) {
	v := sheet(t, "readings", "level")
	v.typed, v.errs = map[string]string{"high": "much"}, domain.FieldErrors{"high": "Must be a number."}
	fields := v.Fields()
	last := fields[len(fields)-1]
	assert.Equal(t, "Highest", last.Label, "it is shown, since something is wrong with it")
	assert.Equal(t, "much", last.Value)
	assert.Equal(t, "Must be a number.", last.Error)
	assert.Equal(t, map[string]string{"high": "7"}, fieldsTyped(url.Values{"f.high": {"7"}, "document": {"x"}, "high": {"8"}}))
}

func TestTheOutlineNamesAllThings(t *testing.T) {
	v := sheet(t, "readings", "level")
	groups := v.Groups()
	assert.Equal(t, "Asked of the device", groups[1].Title)
	fed := groups[1].Lines[1]
	assert.Equal(t, "fed now", fed.Class())
	lost := groups[len(groups)-1]
	assert.Equal(t, "Of no source", lost.Title)
	assert.Equal(t, "parked", lost.Lines[0].Words())
	assert.Empty(t, lost.Adds)
	assert.Equal(t, "Add a rule on it", v.Further().Title)
	assert.Equal(t, "Park", v.Parking().Title)
	assert.Equal(t, "Take up", sheet(t, "readings", `odd "one"`).Parking().Title)
	assert.Nil(t, sheet(t, "", "").Parking())
}

func TestAnOddKeyBreaksNoButton(t *testing.T) {
	var sent map[string]string
	require.NoError(t, json.Unmarshal([]byte(act(`take kit tide odd "one"`, "Odd").Values()), &sent))
	assert.Equal(t, `take kit tide odd "one"`, sent["act"])
}

func TestReadingsThatAreCalledSoAreFoundFirst(t *testing.T) {
	k, err := kit.Parse([]byte(tide), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	other := *k
	other.Name, other.Title = "lock", "Level of the lock"
	other.Readings = []kit.Reading{{Key: "gate", Name: "Gate"}, {Key: "level", Name: "Water level"}}
	var v findsView
	v.take([]*kit.Kit{&other, k}, "LEVEL")
	var names []string
	for _, f := range v.Found {
		names = append(names, f.Title)
	}
	assert.Equal(t, []string{"Water level", "Level", "Gate"}, names)
	assert.Equal(t, "take kit lock level", v.Found[0].Act)
}

const harbour = `kit: harbour
title: Harbour
version: 1
sources:
  - {key: whole, way: snmp, every: 60s, columns: [{as: level, of: 1.3.6.1.4.1.99999.7.1.0}]}
  - {key: berths, way: snmp, every: 60s, ask: {form: walk}, columns: [{as: name, of: 1.3.6.1.4.1.99999.7.2.1.1}], parked: true}
  - {key: twice, way: snmp, every: 60s, columns: [{as: a, of: 1.3.6.1.4.1.99999.7.3.0}], parked: true}
  - {key: twice, way: snmp, every: 60s, columns: [{as: a, of: 1.3.6.1.4.1.99999.7.4.0}]}
parts:
  - {kind: berth, title: Berth, source: berths, key: [name], name: [name]}
readings:
  - {key: level, name: Level, source: whole, value: [level]}
  - {key: taken, name: Taken, of: berth, value: [name], text: true}
  - {key: both, name: Both, source: twice, value: [a]}
  - {key: later, name: Later, source: whole, value: [level], parked: true}
rules:
  - {key: r1, name: On taken, reading: taken, state: {levels: {warning: [x]}}}
  - {key: r2, name: On later, reading: later, limit: {levels: {warning: {at: 5}}}}
  - {key: r3, name: On level, reading: level, limit: {levels: {warning: {at: 5}}}}
`

// What the outline marks as parked with another is what the kit itself leaves out.
func TestTheOutlineMarksWhatIsParkedWithAnother(t *testing.T) {
	k, err := kit.Parse([]byte(harbour), testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	var left, marked []string
	for _, p := range k.Parked {
		if p.Because != "" {
			left = append(left, p.Name+": parked with "+p.Because)
		}
	}
	d, err := draft.NewBook(testkit.Ways.Described(), kinds.All).Read(harbour)
	require.NoError(t, err)
	for _, g := range (sheetView{draft: d}).Groups() {
		for _, l := range g.Lines {
			if l.With != "" {
				marked = append(marked, l.Listed.Title+": "+l.With)
				assert.Equal(t, "parked, too", l.Words())
				assert.Contains(t, l.Class(), "parked")
			}
		}
	}
	require.Len(t, left, 4, "berth, taken and two rules")
	assert.ElementsMatch(t, []string{
		"berth: parked with the source berths", "Taken: parked with the rows berth",
		"On taken: parked with the reading taken", "On later: parked with the reading later",
	}, marked)
	assert.Len(t, marked, len(left))
}

func TestWhatWasTakenOutCanBePutBack(t *testing.T) {
	d, err := draft.NewBook(testkit.Ways.Described(), kinds.All).Read(tide)
	require.NoError(t, err)
	place, _ := d.Find("readings", "level")
	in := typed{Document: tide, Place: place.String(), Act: "remove"}
	var sent map[string]string
	require.NoError(t, json.Unmarshal([]byte(taken("Level", in).Back.Values()), &sent))
	assert.Equal(t, map[string]string{"act": "back " + place.String(), "document": tide}, sent)
}
