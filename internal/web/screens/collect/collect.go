// Package collect is the values that come now.
package collect

import (
	"embed"
	"html/template"
	"io/fs"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is collecting.
type Screen struct {
	Render *render.Renderer
	Kits   *collect.Service
	Watch  *watch.Service
	Places *places.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"collect": files},
		Menu: []render.Entry{
			{Title: "Values now", Path: valuesPath, Area: domain.AreaCollect, Asks: domain.AreaWatch},
		},
		Routes: []screen.Route{
			screen.Get(valuesPath, domain.AreaWatch, s.values),
			screen.Get(csvPath, domain.AreaWatch, s.csv),
			screen.Open("/collect/latest", moved),
		},
	}
}

const valuesPath = "/collect/values"

// moved leads from where the values were before.
func moved(w http.ResponseWriter, r *http.Request) error {
	http.Redirect(w, r, valuesPath+"?"+r.URL.RawQuery, http.StatusMovedPermanently)
	return nil
}

type valuesView struct {
	Rows   []rowView
	Filter domain.ValueFilter
	Kits   []ui.Option
	Places []ui.Option
	view   string
	Live   bool
	counts map[string]int64 // of groups
	ui.Paging
	ui.Sorting
}

// wall is the look of small charts side by side.
const wall = "wall"

// Wall tells whether the values are shown as small charts.
func (v valuesView) Wall() bool { return v.view == wall }

// groupings are what values can be kept together by.
var groupings = []ui.Option{
	{Value: "device", Title: "by device"}, {Value: "place", Title: "by place"}, {Value: "reading", Title: "by reading"},
	{Value: "kit", Title: "by kit"},
}

// Bar narrows the list.
func (v valuesView) Bar() ui.FilterBar {
	bar := ui.FilterBar{
		Path: valuesPath, Target: "value-table", Sort: v.Sort, Search: v.Filter.Search,
		Placeholder: "Device, part or reading", Label: "Filter values",
		Choices: []ui.FilterChoice{
			{Name: "place", Label: "Place", Any: "any place", Value: placeOf(v.Filter), Options: v.Places},
			{Name: "kit", Label: "Kit", Any: "any kit", Value: v.Filter.Kit, Options: v.Kits},
			{Name: "state", Label: "State", Any: "any state", Value: v.Filter.State, Options: ui.Options(v.States())},
			{Name: "view", Label: "Look", Any: "as a list", Value: v.view, Options: []ui.Option{{Value: wall, Title: "as a wall"}}},
			{Name: "group", Label: "Group", Any: "not grouped", Value: v.Filter.Group, Options: groupings},
		},
		Flags: []ui.FilterFlag{{Name: "live", Label: "live", Set: v.Live}},
	}
	if v.Filter.Reading != "" {
		bar.Hidden = []ui.Pair{{A: "reading", B: v.Filter.Reading}}
	}
	return bar
}

func placeOf(f domain.ValueFilter) string {
	if f.PlaceID == 0 {
		return ""
	}
	return strconv.FormatInt(f.PlaceID, 10)
}

// Here is the address of what is shown, to be asked for again.
func (v valuesView) Here() string { return valuesPath + "?" + v.Sorting.Query.Encode() }

// group is values that are kept together.
type group struct {
	Name, Said string
	Rows       []rowView
	key        string
}

// Groups are the values as they are kept together; one without a name where they are not.
func (v valuesView) Groups() (out []group) {
	for i, x := range v.Rows {
		key := x.GroupKey(v.Filter.Group)
		if i == 0 || out[len(out)-1].key != key {
			g := group{Name: v.nameOf(x), key: key}
			if n := v.counts[key]; n > 0 {
				g.Said = text.Thousands(n) + " in all"
			}
			out = append(out, g)
		}
		g := &out[len(out)-1]
		g.Rows = append(g.Rows, x)
	}
	return out
}

// nameOf is what the group of a row is called.
func (v valuesView) nameOf(x rowView) string {
	return map[string]string{"device": x.Device, "place": x.Place, "reading": x.Name, "kit": x.Kit}[v.Filter.Group]
}

type rowView struct {
	watch.ListedValue
	ui.Cell
	// Drawn is a small chart, empty where nothing came; Waits is what is waited for.
	Drawn template.HTML
	Waits *kit.Waiting
	// Because says why the value is what it is, where the kit has that told.
	Because string
	codes   map[int]string
}

// Where is the device, and the part where there is one.
func (v rowView) Where() string { return strings.TrimSuffix(v.Device+" · "+v.Part, " · ") }

// WaitsFor says what is waited for, and in how long that may come.
func (v rowView) WaitsFor() string { return v.Waits.Words(time.Now()) }

const pageSize = 100

func (s Screen) values(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	who := middleware.Who(r.Context())
	page, size := ui.PageNumber(q), pageSize
	v := valuesView{Sorting: ui.Sorting{Path: valuesPath, Query: q, Sort: q.Get("sort")}, Filter: filterOf(r)}
	if v.view, v.Live = q.Get("view"), q.Get("live") != ""; v.Wall() {
		size = wallSize
	}
	v.Kits = s.kits(v.Filter.Kit)
	all, err := s.Places.Where(r.Context(), who, domain.AreaWatch, domain.AccessSee)
	if err != nil {
		return err
	}
	v.Places = ui.PlaceOptions(all)
	v.Filter.Limit, v.Filter.Offset = size, page*size
	rows, total, err := s.Watch.Values(r.Context(), who, v.Filter)
	if err != nil {
		return err
	}
	if err := s.fill(r, &v, rows); err != nil {
		return err
	}
	v.Paging = ui.NewPaging(valuesPath, q, page, size, len(rows), total)
	if total > watch.MostCounted { // in whatever order: no more are counted
		v.Paging.Total, v.Paging.More = watch.MostCounted, true
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "collect", "value-table", v)
	}
	return s.Render.Page(w, r, "collect", render.Frame{Title: "Values now", Area: domain.AreaCollect, Tab: valuesPath, Body: v})
}

// fill makes rows ready to be shown: with what is waited for, how many their groups have, and small charts.
func (s Screen) fill(r *http.Request, v *valuesView, rows []watch.ListedValue) error {
	who := middleware.Who(r.Context())
	var waiting []domain.ID
	for _, x := range rows {
		if x.State == string(domain.SeriesWaiting) {
			waiting = append(waiting, x.SeriesID)
		}
	}
	waits, err := s.Watch.Waits(r.Context(), who, waiting)
	if err != nil {
		return err
	}
	because, err := s.Watch.Becauses(r.Context(), who, rows)
	if err != nil {
		return err
	}
	keys := map[string]bool{}
	for _, x := range rows {
		row := s.row(x)
		row.Because = because[x.SeriesID]
		if w, ok := waits[x.SeriesID]; ok {
			row.Waits = &w
		}
		v.Rows = append(v.Rows, row)
		keys[x.GroupKey(v.Filter.Group)] = true
	}
	if v.counts, err = s.Watch.Groups(r.Context(), who, v.Filter, slices.Collect(maps.Keys(keys))); err != nil {
		return err
	}
	if v.Wall() {
		return s.hang(r, v)
	}
	return nil
}

// filterOf is what a request narrows the list to.
func filterOf(r *http.Request) domain.ValueFilter {
	q := r.URL.Query()
	place, _ := strconv.ParseInt(q.Get("place"), 10, 64) // what is no place is any
	return domain.ValueFilter{
		Search:  q.Get("q"),
		State:   q.Get("state"),
		Kit:     q.Get("kit"),
		Reading: q.Get("reading"),
		PlaceID: place,
		Group:   q.Get("group"),
		Sort:    q.Get("sort"),
	}
}

// kits are those that the list may be narrowed to, with the one that it is: it may be a device's own.
func (s Screen) kits(chosen string) (out []ui.Option) {
	there := chosen == ""
	for _, k := range s.Kits.Kits() {
		out = append(out, ui.Option{Value: k.Name, Title: k.Title})
		there = there || k.Name == chosen
	}
	if !there {
		out = append(out, ui.Option{Value: chosen, Title: chosen})
	}
	return out
}

func (s Screen) row(x watch.ListedValue) rowView {
	reading, _ := s.Kits.Catalogue().Reading(x.Kit, x.Reading)
	v := rowView{ListedValue: x, codes: reading.Codes}
	if x.Value == nil {
		return v
	}
	v.Cell = ui.NewCell(ui.Newest{Value: *x.Value, Before: x.BeforeValue, At: *x.At, Unit: x.Unit, Kind: x.Kind,
		Every: time.Duration(x.EveryS) * time.Second, Codes: reading.Codes, Text: x.Text}, time.Now())
	return v
}

// States are those that can be filtered by.
func (v valuesView) States() []domain.SeriesState {
	return []domain.SeriesState{
		domain.SeriesOK,
		domain.SeriesFailing,
		domain.SeriesWaiting,
		domain.SeriesAbsent,
		domain.SeriesOff,
		domain.KeptApart,
	}
}
