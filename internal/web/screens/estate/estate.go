// Package estate is the whole estate at a glance: places and devices.
package estate

import (
	"embed"
	"io/fs"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the estate.
type Screen struct {
	Render  *render.Renderer
	Watch   *watch.Service
	Respond *respond.Service
	Places  *places.Service
	// Strip returns the estate ribbon of the layout.
	Strip func(*http.Request) (any, error)
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"estate": files},
		Menu: []render.Entry{
			{Title: "Estate", Path: estatePath, Area: domain.AreaWatch},
			{Title: "Devices", Path: devicesPath, Area: domain.AreaWatch},
		},
		Routes: []screen.Route{
			screen.Open(estatePath, s.overview),
			screen.Open("/estate-strip", s.strip),
			screen.Get(devicesPath, domain.AreaWatch, s.devices),
			{
				Method: http.MethodGet,
				Path:   "/devices/places",
				Area:   domain.AreaCollect,
				Needs:  domain.AccessConfigure,
				Handle: s.places,
			},
		},
	}
}

const (
	estatePath  = "/"
	devicesPath = "/devices"
)

func (s Screen) strip(w http.ResponseWriter, r *http.Request) error {
	strip, err := s.Strip(r)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "estate", "estate", strip)
}

type placeView struct {
	watch.Place
	Shown  []watch.Device
	Hidden int
	Open   bool
	Toggle string
}

type overviewView struct {
	watch.Overview
	Rows    []placeView
	Needs   []respond.Listed
	More    int64
	Changed []ui.Change
	Filling []fillView
}

type fillView struct {
	watch.ListedValue
	Level string
}

func (s Screen) overview(w http.ResponseWriter, r *http.Request) error {
	if middleware.Who(r.Context()).Scope(domain.AreaWatch, domain.AccessSee).None() {
		return s.Render.Page(w, r, "estate", render.Frame{Title: "Welcome", Body: emptyView{}})
	}
	v, err := s.view(r)
	if err != nil {
		return err
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "estate", "overview", v)
	}
	return s.Render.Page(w, r, "estate", render.Frame{Title: "Watch", Area: domain.AreaWatch, Tab: estatePath, Body: v})
}

func (s Screen) view(r *http.Request) (overviewView, error) {
	ctx, now := r.Context(), time.Now().UTC()
	open := r.URL.Query()["open"]
	var ids []domain.ID
	for _, text := range open {
		if id, err := strconv.ParseInt(text, 10, 64); err == nil {
			ids = append(ids, id)
		}
	}
	o, err := s.Watch.Overview(ctx, middleware.Who(ctx), ids, now)
	if err != nil {
		return overviewView{}, err
	}
	v := overviewView{Overview: o}
	if v.Root == "" {
		v.Root = "The estate"
	}
	for _, p := range o.Places {
		v.Rows = append(v.Rows, placeRow(p, open))
	}
	return v, s.side(r, &v, now)
}

func placeRow(p watch.Place, open []string) placeView {
	id := strconv.FormatInt(p.ID, 10)
	row := placeView{Place: p, Shown: p.Devices, Open: slices.Contains(open, id), Hidden: p.Own - len(p.Devices)}
	others := slices.DeleteFunc(slices.Clone(open), func(x string) bool { return x == id })
	if !row.Open {
		others = append(others, id)
	}
	row.Toggle = "/?" + url.Values{"open": others}.Encode()
	return row
}

// side gathers what needs a person, what changed and what fills up.
func (s Screen) side(r *http.Request, v *overviewView, now time.Time) error {
	ctx := r.Context()
	who := middleware.Who(ctx)
	if !who.Scope(domain.AreaRespond, domain.AccessSee).None() {
		f := domain.IncidentFilter{
			States: []domain.IncidentState{domain.IncidentOpen, domain.IncidentAcknowledged},
			Sort:   "-level",
			Limit:  6,
		}
		open, total, err := s.Respond.Incidents(ctx, who, f)
		if err != nil {
			return err
		}
		v.Needs, v.More = open, total-int64(len(open))
	}
	changes, err := s.Watch.Transitions(ctx, who, domain.TransitionFilter{Devices: true, From: now.Add(-time.Hour), Limit: 8})
	if err != nil {
		return err
	}
	v.Changed = ui.Changes(changes.Rows, changes.Names)
	full, err := s.Watch.Fullest(ctx, who, 4)
	for _, x := range full {
		if x.Value != nil {
			v.Filling = append(v.Filling, fillView{x, levelOf(*x.Value)})
		}
	}
	return err
}

// levelOf colours the bar of a volume; the rule on volumes decides health.
func levelOf(percent float64) string {
	switch {
	case percent > 96:
		return "critical"
	case percent > 90:
		return "warning"
	case percent > 82:
		return "notice"
	}
	return ""
}

type devicesView struct {
	May             bool // may change some devices
	Here            string
	Rows            []watch.Device
	Q, Health, Kind string
	Kinds           []string
	States          []domain.Health
	Places          map[domain.ID]string
	ui.Sorting
	ui.Paging
}

// Bar narrows the list.
func (v devicesView) Bar() ui.FilterBar {
	return ui.FilterBar{
		Path: "/devices", Target: "device-table", Sort: v.Sort, Search: v.Q,
		Placeholder: "Name, role=standby, #tag …", Label: "Filter devices",
		Choices: []ui.FilterChoice{
			{Name: "health", Label: "Health", Any: "any health", Value: v.Health, Options: ui.Options(v.States)},
			{Name: "kind", Label: "Kind", Any: "any kind", Value: v.Kind, Options: ui.Options(v.Kinds)},
		},
	}
}

// emptyView is the page of those who may see nothing of the estate.
type emptyView struct{}

// Show tells the template which of the pages it shows.
func (v emptyView) Show() string { return "nothing" }

// Show tells the template which of the pages it shows.
func (v devicesView) Show() string { return "devices" }

// Show tells the template which of the pages it shows.
func (v overviewView) Show() string { return "overview" }

const pageSize = 100

func (s Screen) devices(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := devicesView{
		Q:       q.Get("q"),
		Health:  q.Get("health"),
		Kind:    q.Get("kind"),
		States:  domain.AllHealth(),
		Sorting: ui.Sorting{Path: "/devices", Query: q, Sort: q.Get("sort")},
	}
	page := ui.PageNumber(q)
	f := domain.DeviceFilter{
		Search: strings.TrimSpace(v.Q),
		Health: domain.Health(v.Health),
		Kind:   v.Kind,
		Sort:   v.Sort,
		Limit:  pageSize,
		Offset: page * pageSize,
	}
	found, err := s.Watch.Devices(r.Context(), middleware.Who(r.Context()), f, time.Now().UTC())
	if err != nil {
		return err
	}
	v.Rows, v.Kinds, v.Places = found.Rows, found.Kinds, found.Places
	v.Here = r.URL.RequestURI()
	v.May = !middleware.Who(r.Context()).Scope(domain.AreaCollect, domain.AccessConfigure).None()
	v.Paging = ui.NewPaging("/devices", q, page, pageSize, len(found.Rows), found.Total)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "estate", "device-table", v)
	}
	return s.Render.Page(w, r, "estate", render.Frame{Title: "Devices", Area: domain.AreaWatch, Tab: devicesPath, Body: v})
}

// places are those that devices may move to; they are asked for when devices were chosen.
func (s Screen) places(w http.ResponseWriter, r *http.Request) error {
	at, err := s.Places.Where(r.Context(), middleware.Who(r.Context()), domain.AreaCollect, domain.AccessConfigure)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "estate", "places", ui.PlaceOptions(at))
}
