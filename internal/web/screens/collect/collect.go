// Package collect is kits and latest values.
package collect

import (
	"embed"
	"net/http"
	"time"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// Files are the screen's templates.
//
//go:embed tmpl/*.html
var Files embed.FS

// Screen is collecting.
type Screen struct {
	Render *render.Renderer
	Kits   *collect.Service
	Store  *store.Store
}

// Routes mounts the screen.
func (s Screen) Routes(r chi.Router) {
	r.Get("/collect", s.Render.Handle(s.kits))
	r.Get("/collect/latest", s.Render.Handle(s.latest))
}

type kitsView struct {
	Show string
	Kits []kitView
}

type kitView struct {
	*kit.Kit
	Fitted int
	One    kit.Cost // on a device with ten parts of each kind
}

func (s Screen) kits(w http.ResponseWriter, r *http.Request) error {
	fittings, err := s.Store.Fittings.Of(r.Context(), 0)
	if err != nil {
		return err
	}
	count := map[string]int{}
	for _, f := range fittings {
		count[f.Kit]++
	}
	v := kitsView{Show: "kits"}
	for _, k := range s.Kits.Kits() {
		v.Kits = append(v.Kits, kitView{k, count[k.Name], k.Estimate(func(kit.Parts) int { return 10 }, s.Kits.BytesPerSample(r.Context()))})
	}
	return s.Render.Page(w, r, "collect", render.Frame{Title: "Collect", Area: "collect", Body: v})
}

type latestView struct {
	Show   string
	Rows   []rowView
	Filter store.ValueFilter
	ui.Paging
	ui.Sorting
}

type rowView struct {
	store.ListedValue
	ui.Cell
}

const pageSize = 100

func (s Screen) latest(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	page := ui.PageNumber(q)
	v := latestView{Show: "latest", Sorting: ui.Sorting{Path: "/collect/latest", Query: q, Sort: q.Get("sort")}, Filter: store.ValueFilter{Search: q.Get("q"), State: q.Get("state"), Kit: q.Get("kit"), Reading: q.Get("reading"), Sort: q.Get("sort"), Limit: pageSize, Offset: page * pageSize}}
	rows, total, err := s.Store.Values.Listed(r.Context(), v.Filter)
	if err != nil {
		return err
	}
	for _, x := range rows {
		v.Rows = append(v.Rows, s.row(x))
	}
	v.Paging = ui.NewPaging("/collect/latest", q, page, pageSize, len(rows), total)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "collect", "value-table", v)
	}
	return s.Render.Page(w, r, "collect", render.Frame{Title: "Latest values", Area: "collect", Body: v})
}

func (s Screen) row(x store.ListedValue) rowView {
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
func (v latestView) States() []domain.SeriesState {
	return []domain.SeriesState{domain.SeriesOK, domain.SeriesFailing, domain.SeriesWaiting, domain.SeriesAbsent, store.KeptApart}
}
