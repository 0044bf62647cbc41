package attributes

import (
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/store"
)

// Columns are those of a table of attributes, in any order. Of a part the device is named,
// too. An attribute that begins with # is a tag; one with “-” as its value takes away what
// is set.
var Columns = []string{"place", "device", "part", "attribute", "value"}

// tagMark marks tags in the column “attribute”.
const (
	tagMark   = "#"
	unsetMark = "-"
)

// Report is what a table would do, or has done.
type Report struct {
	Rows    int
	Set     int // new or of another value
	Unset   int
	Same    int
	Wrong   []Wrong // the first of them
	Wrongs  int     // all of them
	Changes []Row   // the first of them
	Done    bool
}

// Wrong is what is wrong with a line of a table.
type Wrong struct {
	Line int
	Text string
}

// Row is one change of a table, in words.
type Row struct {
	Line                 int
	Thing, Name, To, Was string
}

// Bounds of what is told of a table and of its size.
const (
	shownWrong   = 200
	shownChanges = 50
	mostRows     = 200_000
)

// Import reads a table of attributes, and does what it says: all of it, or nothing where
// something is wrong. A rehearsal only tells.
func (s *Service) Import(ctx context.Context, who access.Actor, from io.Reader, rehearse bool) (out Report, err error) {
	deed := act.Deed{Name: "bring in attributes", Area: domain.AreaCollect, Needs: domain.AccessConfigure}
	err = s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		grants, err := s.granted(ctx, w.Areas)
		if err != nil {
			return err
		}
		t := &table{who: who, report: &out, grants: grants}
		if err := t.learn(ctx, w.Areas); err != nil {
			return err
		}
		w.Missing(nil) // each row asks for itself
		if err := t.read(from); err != nil {
			return err
		}
		if rehearse || out.Wrongs > 0 {
			return nil
		}
		if err := w.Attributes.Unset(ctx, t.unset); err != nil {
			return err
		}
		if err := w.Attributes.Set(ctx, t.set); err != nil {
			return err
		}
		out.Done = true
		t.note(w)
		w.Then(s.forget)
		w.Then(s.changed)
		return nil
	})
	return out, err
}

// table is a table being read.
type table struct {
	who     access.Actor
	report  *Report
	grants  granted
	places  map[string][]domain.Place
	byID    map[domain.ID]domain.Place
	devices map[string][]domain.Device
	parts   map[domain.ID]map[string]domain.Part
	now     map[domain.Attribute]map[string]domain.Attribute // by owner, and name
	told    map[domain.Attribute]map[string]int              // lines, by owner and name
	names   map[domain.Attribute]act.Thing
	set     []domain.Attribute
	unset   []domain.Attribute
}

// learn reads what there is.
func (t *table) learn(ctx context.Context, from *store.Areas) error {
	places, err := from.Places.All(ctx)
	if err != nil {
		return err
	}
	devices, err := from.Devices.All(ctx)
	if err != nil {
		return err
	}
	parts, err := from.Parts.Of(ctx, 0)
	if err != nil {
		return err
	}
	all, err := from.Attributes.All(ctx)
	if err != nil {
		return err
	}
	t.places, t.byID = map[string][]domain.Place{}, map[domain.ID]domain.Place{}
	for _, p := range places {
		t.byID[p.ID] = p
		t.places[p.Name] = append(t.places[p.Name], p)
	}
	t.devices, t.parts = map[string][]domain.Device{}, map[domain.ID]map[string]domain.Part{}
	for _, d := range devices {
		t.devices[d.Name] = append(t.devices[d.Name], d)
	}
	for _, p := range parts {
		if t.parts[p.DeviceID] == nil {
			t.parts[p.DeviceID] = map[string]domain.Part{}
		}
		t.parts[p.DeviceID][p.Name] = p
	}
	t.now, t.told = map[domain.Attribute]map[string]domain.Attribute{}, map[domain.Attribute]map[string]int{}
	t.names = map[domain.Attribute]act.Thing{}
	for _, a := range all {
		if t.now[a.Owner()] == nil {
			t.now[a.Owner()] = map[string]domain.Attribute{}
		}
		t.now[a.Owner()][marked(a)] = a
	}
	return nil
}

func marked(a domain.Attribute) string {
	if a.Tag {
		return tagMark + a.Name
	}
	return a.Name
}

// said is a value in words: that of a tag is that it is set.
func said(a domain.Attribute) string {
	if a.Tag {
		return "set"
	}
	return a.Value
}

// read reads all rows. An error is one of the table as a whole, by the field “table”.
func (t *table) read(from io.Reader) error {
	in := csv.NewReader(from)
	in.FieldsPerRecord, in.TrimLeadingSpace, in.ReuseRecord = -1, true, true
	head, err := in.Read()
	if err != nil {
		return domain.FieldErrors{"table": "The first line must name the columns: " + strings.Join(Columns, ", ") + "."}
	}
	at, err := columnsOf(head)
	if err != nil {
		return err
	}
	for {
		cells, err := in.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		line, _ := in.FieldPos(0)
		var broken *csv.ParseError
		if errors.As(err, &broken) {
			t.wrong(broken.Line, broken.Err.Error())
			continue
		}
		if err != nil {
			return domain.FieldErrors{"table": "It cannot be read to its end: " + err.Error() + "."}
		}
		if t.report.Rows++; t.report.Rows > mostRows {
			return domain.FieldErrors{"table": fmt.Sprintf("At most %d rows at once.", mostRows)}
		}
		t.row(line, func(name string) string {
			if i, ok := at[name]; ok && i < len(cells) {
				return text.FromCell(strings.TrimSpace(cells[i]))
			}
			return ""
		})
	}
}

func columnsOf(head []string) (map[string]int, error) {
	at := map[string]int{}
	for i, name := range head {
		name = strings.ToLower(strings.TrimSpace(strings.TrimPrefix(name, "\ufeff")))
		if !slices.Contains(Columns, name) {
			known := strings.Join(Columns, ", ")
			return nil, domain.FieldErrors{"table": fmt.Sprintf("There is no column “%.40s”; there are %s.", name, known)}
		}
		if _, twice := at[name]; twice {
			return nil, domain.FieldErrors{"table": "The column “" + name + "” stands there twice."}
		}
		at[name] = i
	}
	if _, ok := at["attribute"]; !ok {
		return nil, domain.FieldErrors{"table": "The column “attribute” is missing."}
	}
	return at, nil
}

func (t *table) wrong(line int, text string) {
	t.report.Wrongs++
	if len(t.report.Wrong) < shownWrong {
		t.report.Wrong = append(t.report.Wrong, Wrong{line, text})
	}
}

// row takes one row in.
func (t *table) row(line int, cell func(string) string) {
	owner, thing, at, problem := t.thing(cell)
	if problem != "" {
		t.wrong(line, problem)
		return
	}
	c := Change{Name: cell("attribute"), Value: cell("value")}
	if tag, ok := strings.CutPrefix(c.Name, tagMark); ok {
		c.Name, c.Tag = tag, true
	}
	if c.Value == unsetMark {
		c.Value, c.Unset = "", true
	}
	if errs := c.check(); len(errs) > 0 {
		t.wrong(line, strings.Join(slices.Sorted(maps.Values(errs)), " "))
		return
	}
	a := owner
	a.Name, a.Value, a.Tag = c.Name, c.Value, c.Tag
	if problem := t.grants.problem(t.who, a, at); problem != "" {
		t.wrong(line, problem)
		return
	}
	if first, twice := t.told[owner][marked(a)]; twice {
		t.wrong(line, fmt.Sprintf("line %d says something about the same already", first))
		return
	}
	if t.told[owner] == nil {
		t.told[owner] = map[string]int{}
	}
	t.told[owner][marked(a)] = line
	t.names[owner] = thing
	t.take(line, thing, a, c.Unset)
}

// take counts a change and keeps it, if it is one.
func (t *table) take(line int, thing act.Thing, a domain.Attribute, unset bool) {
	was, is := t.now[a.Owner()][marked(a)]
	row := Row{Line: line, Thing: thing.Name, Name: marked(a), To: said(a)}
	if is {
		row.Was = said(was)
	}
	switch {
	case unset && is:
		t.report.Unset++
		t.unset = append(t.unset, a)
		row.To = ""
	case !unset && (!is || was.Value != a.Value):
		t.report.Set++
		t.set = append(t.set, a)
	default:
		t.report.Same++
		return
	}
	if len(t.report.Changes) < shownChanges {
		t.report.Changes = append(t.report.Changes, row)
	}
}

// thing finds what a row is about; the problem says why it is nothing, and tells nothing
// of what the actor may not see.
func (t *table) thing(cell func(string) string) (owner domain.Attribute, thing act.Thing, at domain.Spot, problem string) {
	place, device, part := cell("place"), cell("device"), cell("part")
	if device == "" && part != "" {
		return owner, thing, at, "a part belongs to a device, which is not named"
	}
	if device == "" {
		return t.place(place)
	}
	found := slices.DeleteFunc(slices.Clone(t.devices[device]), func(d domain.Device) bool {
		return place != "" && t.byID[d.PlaceID].Name != place || !t.who.May(domain.AreaWatch, domain.AccessSee, d.Spot())
	})
	switch {
	case len(found) == 0:
		return owner, thing, at, fmt.Sprintf("there is no device “%.60s”", device)
	case len(found) > 1:
		return owner, thing, at, fmt.Sprintf("several devices are called “%.60s”: name the place, too", device)
	case !t.who.May(ofDevices.Area, ofDevices.Needs, found[0].Spot()):
		return owner, thing, at, fmt.Sprintf("you may not change the device “%.60s”", device)
	}
	d := found[0]
	if part == "" {
		return domain.Attribute{DeviceID: d.ID}, act.Device(d), d.Spot(), ""
	}
	p, ok := t.parts[d.ID][part]
	if !ok {
		return owner, thing, at, fmt.Sprintf("“%.60s” has no part “%.60s”", device, part)
	}
	thing = act.Thing{Kind: "part", ID: p.ID, Name: p.Name + " of " + d.Name, PlaceID: d.PlaceID}
	return domain.Attribute{PartID: p.ID}, thing, d.Spot(), ""
}

func (t *table) place(name string) (owner domain.Attribute, thing act.Thing, at domain.Spot, problem string) {
	found := slices.DeleteFunc(slices.Clone(t.places[name]), func(p domain.Place) bool {
		return !t.who.May(domain.AreaRun, domain.AccessSee, domain.At(p.ID))
	})
	switch {
	case name == "":
		return owner, thing, at, "neither a place nor a device is named"
	case len(found) == 0:
		return owner, thing, at, fmt.Sprintf("there is no place “%.60s”", name)
	case len(found) > 1:
		return owner, thing, at, fmt.Sprintf("several places are called “%.60s”", name)
	case !t.who.May(ofPlaces.Area, ofPlaces.Needs, domain.At(found[0].ID)):
		return owner, thing, at, fmt.Sprintf("you may not change the place “%.60s”", name)
	}
	p := found[0]
	thing = act.Thing{Kind: "place", ID: p.ID, Name: p.Name, PlaceID: p.ID}
	return domain.Attribute{PlaceID: p.ID}, thing, domain.At(p.ID), ""
}

// note notes what was changed, for each thing.
func (t *table) note(w *act.Work) {
	after := map[domain.Attribute]noted{}
	for _, a := range t.set {
		t.copied(after, a.Owner()).add(a)
	}
	for _, a := range t.unset {
		delete(t.copied(after, a.Owner()), marked(a))
	}
	for owner, becomes := range after {
		w.Note(t.names[owner], t.was(owner), becomes)
	}
}

// was is what was set at a thing before.
func (t *table) was(owner domain.Attribute) noted {
	out := noted{}
	for _, a := range t.now[owner] {
		out.add(a)
	}
	return out
}

// copied is what becomes of a thing, which begins as it was.
func (t *table) copied(after map[domain.Attribute]noted, owner domain.Attribute) noted {
	if after[owner] == nil {
		after[owner] = t.was(owner)
	}
	return after[owner]
}

// Export writes all that is set, where an actor may see, as such a table.
func (s *Service) Export(ctx context.Context, who access.Actor, to io.Writer) error {
	seen, err := s.desk.See(ctx, who, domain.AreaWatch)
	if err != nil {
		return err
	}
	t := &table{who: who}
	if err := t.learn(ctx, &seen.Areas); err != nil {
		return err
	}
	devices, parts := map[domain.ID]domain.Device{}, map[domain.ID]domain.Part{}
	for _, same := range t.devices {
		for _, d := range same {
			devices[d.ID] = d
		}
	}
	for _, of := range t.parts {
		for _, p := range of {
			parts[p.ID] = p
		}
	}
	all, err := seen.Attributes.All(ctx)
	if err != nil {
		return err
	}
	out := csv.NewWriter(to)
	_ = out.Write(Columns)
	for _, a := range all {
		place, device, part := t.byID[a.PlaceID].Name, devices[a.DeviceID], parts[a.PartID]
		if a.PartID != 0 {
			device = devices[part.DeviceID]
		}
		if device.ID != 0 {
			place = t.byID[device.PlaceID].Name
		}
		_ = out.Write(text.Cells(place, device.Name, part.Name, marked(a), a.Value))
	}
	out.Flush()
	return out.Error()
}
