// Package estate is the whole estate at a glance: places, devices, search.
package estate

import (
	"embed"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// Files are the screen's templates.
//
//go:embed tmpl/*.html
var Files embed.FS

// Screen is the estate.
type Screen struct {
	Render *render.Renderer
	Watch  *watch.Service
	Store  *store.Store
	// Strip returns the estate ribbon of the layout.
	Strip func(*http.Request) (any, error)
}

// Routes mounts the screen.
func (s Screen) Routes(r chi.Router) {
	r.Get("/", s.Render.Handle(s.overview))
	r.Get("/estate-strip", s.Render.Handle(s.strip))
	r.Get("/devices", s.Render.Handle(s.devices))
	r.Get("/search", s.Render.Handle(s.search))
}

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
	Needs   []need
	More    int64
	Changed []ui.Change
	Filling []fillView
}

type need struct {
	domain.Incident
	Device string
	Ticket *domain.Ticket
}

type fillView struct {
	store.ListedValue
	Level string
}

func (s Screen) overview(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "estate", "overview", v)
	}
	return s.Render.Page(w, r, "estate", render.Frame{Title: "Watch", Area: "watch", Body: v})
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
	o, err := s.Watch.Overview(ctx, ids, now)
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
	open, total, err := s.Store.Incidents.Find(ctx, store.IncidentFilter{States: []domain.IncidentState{domain.IncidentOpen, domain.IncidentAcknowledged}, Sort: "-level", Limit: 6})
	if err != nil {
		return err
	}
	v.More = total - int64(len(open))
	changes, err := s.Store.Transitions.Find(ctx, store.TransitionFilter{Devices: true, From: now.Add(-time.Hour), Limit: 8})
	if err != nil {
		return err
	}
	ids, devices := []domain.ID{0}, ui.DevicesOf(changes)
	for _, in := range open {
		ids, devices = append(ids, in.ID), append(devices, in.DeviceID)
	}
	names, err := s.Store.Devices.Names(ctx, devices)
	if err != nil {
		return err
	}
	tickets, err := s.Store.Tickets.Find(ctx, ids, len(ids))
	if err != nil {
		return err
	}
	for _, in := range open {
		n := need{Incident: in, Device: names[in.DeviceID]}
		for _, t := range tickets {
			if t.IncidentID == in.ID {
				n.Ticket = &t
			}
		}
		v.Needs = append(v.Needs, n)
	}
	v.Changed = ui.Changes(changes, names)
	full, err := s.Watch.Fullest(ctx, 4)
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
	Rows            []watch.Device
	Q, Health, Kind string
	Kinds           []string
	States          []domain.Health
	Places          map[domain.ID]string
	ui.Sorting
	ui.Paging
}

// IsList tells the template which of the two pages it shows.
func (v devicesView) IsList() bool { return true }

// IsList tells the template which of the two pages it shows.
func (v overviewView) IsList() bool { return false }

const pageSize = 100

func (s Screen) devices(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := devicesView{Q: q.Get("q"), Health: q.Get("health"), Kind: q.Get("kind"), States: domain.AllHealth(), Sorting: ui.Sorting{Path: "/devices", Query: q, Sort: q.Get("sort")}}
	page := ui.PageNumber(q)
	f := store.DeviceFilter{Search: strings.TrimSpace(v.Q), Health: domain.Health(v.Health), Kind: v.Kind, Sort: v.Sort, Limit: pageSize, Offset: page * pageSize}
	found, err := s.Watch.Devices(r.Context(), f, time.Now().UTC())
	if err != nil {
		return err
	}
	v.Rows, v.Kinds, v.Places = found.Rows, found.Kinds, found.Places
	v.Paging = ui.NewPaging("/devices", q, page, pageSize, len(found.Rows), found.Total)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "estate", "device-table", v)
	}
	return s.Render.Page(w, r, "estate", render.Frame{Title: "Devices", Area: "watch", Body: v})
}

type hitView struct{ URL, Name, Note, Kind string }

type hitsView struct {
	Hits  []hitView
	Asked bool
}

// pages can be found by name, too.
var pages = []hitView{
	{"/", "Watch: the estate", "", "page"}, {"/devices", "All devices", "", "page"}, {"/find", "Find: sweeps", "", "page"}, {"/find/new", "New sweep", "", "action"},
	{"/collect", "Collect: kits", "", "page"}, {"/collect/latest", "Latest values", "", "page"}, {"/judge", "Judge: rules", "", "page"}, {"/judge/transitions", "Changes of health", "", "page"},
	{"/incidents", "Respond: incidents", "", "page"}, {"/respond/deliveries", "Deliveries", "", "page"}, {"/respond/plans", "Response plans", "", "page"},
	{"/run", "Run: this application", "", "page"}, {"/run/channels", "Channels", "", "page"}, {"/run/drill", "Drill", "", "page"},
}

func (s Screen) search(w http.ResponseWriter, r *http.Request) error {
	text := strings.TrimSpace(r.URL.Query().Get("q"))
	if text == "" {
		return s.Render.Fragment(w, http.StatusOK, "estate", "hits", hitsView{})
	}
	found, err := s.Store.Hits.Find(r.Context(), text, 10)
	if err != nil {
		return err
	}
	views := []hitView{}
	where := map[string]string{"device": "/devices/", "incident": "/incidents/", "rule": "/judge/rules/", "part": "/devices/"}
	for _, h := range found {
		address := where[h.Kind] + strconv.FormatInt(h.ID, 10)
		if h.Kind == "place" {
			address = "/devices?" + url.Values{"q": {h.Name}}.Encode()
		}
		views = append(views, hitView{address, h.Name, h.Note, h.Kind})
	}
	for _, p := range pages {
		if strings.Contains(strings.ToLower(p.Name), strings.ToLower(text)) {
			views = append(views, p)
		}
	}
	return s.Render.Fragment(w, http.StatusOK, "estate", "hits", hitsView{views, true})
}
