// Package collect is the values that come now.
package collect

import (
	"embed"
	"io/fs"
	"net/http"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
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
	ui.Paging
	ui.Sorting
}

// Bar narrows the list.
func (v valuesView) Bar() ui.FilterBar {
	bar := ui.FilterBar{
		Path: valuesPath, Target: "value-table", Sort: v.Sort, Search: v.Filter.Search,
		Placeholder: "Device, part or reading", Label: "Filter values",
		Choices: []ui.FilterChoice{
			{Name: "state", Label: "State", Any: "any state", Value: v.Filter.State, Options: ui.Options(v.States())},
		},
	}
	if v.Filter.Kit != "" {
		bar.Hidden = []ui.Pair{{A: "kit", B: v.Filter.Kit}, {A: "reading", B: v.Filter.Reading}}
	}
	return bar
}

type rowView struct {
	watch.ListedValue
	ui.Cell
}

const pageSize = 100

func (s Screen) values(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	page := ui.PageNumber(q)
	v := valuesView{
		Sorting: ui.Sorting{Path: valuesPath, Query: q, Sort: q.Get("sort")},
		Filter: domain.ValueFilter{
			Search:  q.Get("q"),
			State:   q.Get("state"),
			Kit:     q.Get("kit"),
			Reading: q.Get("reading"),
			Sort:    q.Get("sort"),
			Limit:   pageSize,
			Offset:  page * pageSize,
		},
	}
	rows, total, err := s.Watch.Values(r.Context(), middleware.Who(r.Context()), v.Filter)
	if err != nil {
		return err
	}
	for _, x := range rows {
		v.Rows = append(v.Rows, s.row(x))
	}
	v.Paging = ui.NewPaging(valuesPath, q, page, pageSize, len(rows), total)
	if total > watch.MostCounted { // in whatever order: no more are counted
		v.Paging.Total, v.Paging.More = watch.MostCounted, true
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "collect", "value-table", v)
	}
	return s.Render.Page(w, r, "collect", render.Frame{Title: "Values now", Area: domain.AreaCollect, Tab: valuesPath, Body: v})
}

func (s Screen) row(x watch.ListedValue) rowView {
	v := rowView{ListedValue: x}
	if x.Value == nil {
		return v
	}
	reading, _ := s.Kits.Catalogue().Reading(x.Kit, x.Reading)
	v.Cell = ui.NewCell(ui.Newest{Value: *x.Value, Before: x.BeforeValue, At: *x.At, Unit: x.Unit, Kind: x.Kind,
		Every: time.Duration(x.EveryS) * time.Second, Codes: reading.Codes, Text: x.Text}, time.Now())
	return v
}

// States are those that can be filtered by.
func (v valuesView) States() []domain.SeriesState {
	return []domain.SeriesState{domain.SeriesOK, domain.SeriesFailing, domain.SeriesWaiting, domain.SeriesAbsent, domain.KeptApart}
}
