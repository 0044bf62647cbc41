// Package device is one device: health, parts, values, charts.
package device

import (
	"cmp"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

//go:embed setup/tmpl/*.html
var setupFiles embed.FS

//go:embed removed/tmpl/*.html
var removedFiles embed.FS

//go:embed series/tmpl/*.html
var seriesFiles embed.FS

// Screen is one device.
type Screen struct {
	Render   *render.Renderer
	Watch    *watch.Service
	Kits     *collect.Service
	Transfer *transfer.Service
	Devices  *devices.Service
	Places   *places.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const watched, collected, configure = domain.AreaWatch, domain.AreaCollect, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{
			"device":       files,
			"device-setup": ui.Folder(setupFiles, "setup"),
			"series":       ui.Folder(seriesFiles, "series"),
			"removed":      ui.Folder(removedFiles, "removed"),
		},
		Found: []render.Entry{{Title: "Removed devices", Path: removedPath, Area: collected}},
		Routes: []screen.Route{
			screen.Get(removedPath, collected, s.removed),
			screen.Get("/devices/{id}", watched, s.page),
			screen.Get("/devices/{id}/values", watched, s.values),
			screen.Get("/devices/{id}/setup", collected, s.setup),
			screen.Get("/devices/{id}/where", collected, s.where),
			screen.Get("/series/{id}", watched, s.series),
			screen.Get("/series/{id}/samples", watched, s.samples),
			screen.Get("/chart", watched, s.chart),
			screen.Post("/devices/{id}/collect", collected, domain.AccessOperate, s.collect),
			screen.Post("/devices/{id}/pause", collected, configure, s.pause),
			screen.Post("/devices/{id}/kits/{kit}", collected, configure, s.parameters),
			screen.Post("/devices/{id}/endpoints/{way}", collected, configure, s.saveEndpoint),
			screen.Post("/devices/{id}/endpoints/{way}/try", collected, configure, s.tryEndpoint),
			screen.Post("/devices/{id}/where", collected, configure, s.saveWhere),
			screen.Post("/devices/{id}/delete", collected, configure, s.remove),
			screen.Post("/devices/removed/{id}/restore", collected, configure, s.restore),
			screen.Post("/devices/removed/{id}/forget", collected, configure, s.forget),
		},
	}
}

// Span is a time that charts can show.
type Span struct {
	Name, Label string
	Length      time.Duration
}

// Spans are all of them.
var Spans = []Span{
	{"1h", "1 h", time.Hour},
	{"6h", "6 h", 6 * time.Hour},
	{"24h", "24 h", 24 * time.Hour},
	{"3d", "3 d", 72 * time.Hour},
	{"14d", "14 d", 14 * 24 * time.Hour},
	{"90d", "90 d", 90 * 24 * time.Hour},
	{"400d", "400 d", 400 * 24 * time.Hour},
}

func spanOf(name string) Span {
	for _, s := range Spans {
		if s.Name == name {
			return s
		}
	}
	return Spans[1]
}

type view struct {
	watch.Subject
	Look   watch.Look
	Query  url.Values
	Span   Span
	Spans  []Span
	Charts []ui.Chart
	Part   domain.ID
	May    domain.Access
	Notice string
	Fresh  bool // nothing has come yet
}

// Product is what it is, and whose.
func (v view) Product() string {
	made := strings.TrimSpace(v.Device.Vendor + " " + v.Device.Model)
	if v.Device.Kind == "" || made == "" {
		return v.Device.Kind + made
	}
	return v.Device.Kind + ", " + made
}

// Cell makes a value ready to be shown.
func (v view) Cell(x watch.Value) ui.Cell {
	if x.Latest == nil {
		return ui.Cell{}
	}
	n := ui.Newest{
		Value:  x.Latest.Value,
		Before: x.Latest.BeforeValue,
		At:     x.Latest.At,
		Unit:   x.Series.Unit,
		Kind:   x.Series.Kind,
		Every:  x.Series.Interval,
		Codes:  x.Reading.Codes,
	}
	if x.Stood != nil {
		n.Text, n.Since = x.Stood.Text, x.Stood.From
	}
	return ui.NewCell(n, time.Now())
}

// Crumbs is the way to the page, along the places that the device lies in.
func (v view) Crumbs() []ui.Crumb {
	out := []ui.Crumb{{Title: "Watch", URL: "/"}}
	for _, p := range v.Path {
		out = append(out, ui.Crumb{Title: p.Name, URL: "/devices?q=" + url.QueryEscape(p.Name)})
	}
	return append(out, ui.Crumb{Title: v.Device.Name})
}

// Up says for how long the machine runs, and what answers for it where that is
// another time.
func (v view) Up() string {
	booted, agent := v.Device.BootedAt, v.Device.AgentSince
	switch {
	case booted.IsZero() && agent.IsZero():
		return ""
	case booted.IsZero():
		return "agent up " + ui.Ago(agent)
	case agent.Sub(booted).Abs() < 10*time.Minute:
		return "up " + ui.Ago(booted)
	}
	return "up " + ui.Ago(booted) + ", its agent " + ui.Ago(agent)
}

// HealthWords say which health it has since when, and why.
func (v view) HealthWords() string {
	out := fmt.Sprintf("%s for %s", v.Device.Health, ui.Ago(v.Device.HealthSince))
	if v.Device.HealthNote != "" && v.Device.Health != domain.Fine {
		out += ": " + v.Device.HealthNote
	}
	return out
}

// ViaWords say where it is set what the device is reached through.
func (v view) ViaWords() string {
	out := "What it is reached through is set at the place " + v.ViaFrom.Name
	if v.ViaFrom.Own() {
		out = "What it is reached through is set at the device itself"
	}
	if len(v.ViaFrom.Replaces) > 0 {
		out += ", in the place of what " + v.ViaFrom.Replaces[0].Name + " says"
	}
	return out + "."
}

// Numbers and Texts are the values of the device itself by what they are.
func (v view) Numbers() []watch.Value { return v.ofKind(false) }

// Texts are those of which there is a text.
func (v view) Texts() []watch.Value { return v.ofKind(true) }

func (v view) ofKind(text bool) (out []watch.Value) {
	for _, x := range v.Values {
		if (x.Series.Kind == domain.KindText) == text {
			out = append(out, x)
		}
	}
	return out
}

func (s Screen) view(r *http.Request) (view, error) {
	id, err := screen.ID(r)
	if err != nil {
		return view{}, err
	}
	q := r.URL.Query()
	look := watch.Look{Kind: q.Get("kind"), Search: strings.TrimSpace(q.Get("q")), Page: ui.PageNumber(q), Gone: q.Get("gone") != ""}
	look.Part, _ = strconv.ParseInt(q.Get("part"), 10, 64)
	who := middleware.Who(r.Context())
	subject, err := s.Watch.Device(r.Context(), who, id, look, time.Now().UTC())
	if err != nil {
		return view{}, err
	}
	v := view{Subject: subject, Look: look, Query: q, Span: spanOf(q.Get("span")), Spans: Spans, Part: look.Part, Fresh: true}
	v.May = who.Level(domain.AreaCollect, subject.Device.Spot())
	for _, x := range subject.Values {
		v.Fresh = v.Fresh && x.Latest == nil
	}
	v.choose()
	return v, nil
}

// choose picks the charts: those of the chosen part, else of the first part
// of each kind that carries something, and those of the device.
func (v *view) choose() {
	for _, k := range v.Kinds {
		row := v.chosen(k)
		if row == nil {
			continue
		}
		for _, c := range chartsOf(v.Kits, k.Kit) {
			v.add(c.Title, row.Part.Name, k.Kit, c.Readings, row.Values)
		}
	}
	own := map[string]watch.Value{}
	for _, x := range v.Values {
		own[x.Series.Reading] = x
	}
	for _, k := range v.Kits {
		for _, c := range k.Charts {
			v.add(c.Title, "", k.Name, c.Readings, own)
		}
	}
}

func chartsOf(kits []*kit.Kit, name string) []kit.Chart {
	for _, k := range kits {
		if k.Name == name {
			return k.Charts
		}
	}
	return nil
}

func (v *view) chosen(k watch.Kind) *watch.PartValues {
	var best *watch.PartValues
	for i := range k.Rows {
		row := &k.Rows[i]
		if row.Part.ID == v.Part {
			return row
		}
		if best == nil || row.Health.Badness() > best.Health.Badness() || row.Health == best.Health && busy(row) > busy(best) {
			best = row
		}
	}
	return best
}

func busy(row *watch.PartValues) float64 {
	var sum float64
	for _, v := range row.Values {
		if v.Latest != nil && (v.Reading.Purpose == kit.Traffic || v.Reading.Purpose == kit.Filling) {
			sum += v.Latest.Value
		}
	}
	return sum
}

func (v *view) add(title, sub, kitName string, readings []string, values map[string]watch.Value) {
	var ids []string
	for _, key := range readings {
		if x, ok := values[key]; ok && x.Series.ID != 0 && x.Series.Kit == kitName {
			ids = append(ids, strconv.FormatInt(x.Series.ID, 10))
		}
	}
	if len(ids) > 0 {
		v.Charts = append(
			v.Charts,
			ui.Chart{
				Title: title,
				Sub:   sub,
				URL:   fmt.Sprintf("/chart?span=%s&series=%s", v.Span.Name, strings.Join(ids, ",")),
				Live:  v.Span.Length <= 24*time.Hour,
			},
		)
	}
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if errors.Is(err, domain.ErrNotFound) {
		return s.removedOne(w, r)
	}
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "device", render.Frame{Title: v.Device.Name, Area: domain.AreaWatch, Body: v})
}

func (s Screen) values(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	part := "live"
	switch show := r.URL.Query().Get("show"); show {
	case "head", "side":
		part = show
	case "kind":
		for _, k := range v.Kinds {
			if k.Parts.Kind == v.Look.Kind {
				return s.Render.Fragment(w, http.StatusOK, "device", "parts", v.Table(k))
			}
		}
		return domain.ErrNotFound
	}
	return s.Render.Fragment(w, http.StatusOK, "device", part, v)
}

func (s Screen) chart(w http.ResponseWriter, r *http.Request) error {
	var ids []domain.ID
	for text := range strings.SplitSeq(r.URL.Query().Get("series"), ",") {
		id, err := strconv.ParseInt(text, 10, 64)
		if err != nil || len(ids) >= 8 {
			return domain.ErrNotFound
		}
		ids = append(ids, id)
	}
	from, to := timeOf(r.URL.Query(), time.Now().UTC())
	c, err := s.Watch.Chart(r.Context(), middleware.Who(r.Context()), ids, from, to)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	return json.NewEncoder(w).Encode(c)
}

// longestChart bounds the time that a chart shows.
const longestChart = 5 * 366 * 24 * time.Hour

// timeOf is the time that a chart shows: the last of a span, or from and to, in seconds of
// 1970; without an end it goes on.
func timeOf(q url.Values, now time.Time) (from, to time.Time) {
	begin, err1 := strconv.ParseInt(q.Get("from"), 10, 64)
	end, err2 := strconv.ParseInt(cmp.Or(q.Get("to"), strconv.FormatInt(now.Unix(), 10)), 10, 64)
	from, to = time.Unix(begin, 0).UTC(), time.Unix(end, 0).UTC()
	if err1 != nil || err2 != nil || !from.Before(to) || to.Sub(from) > longestChart || begin < 0 {
		return now.Add(-spanOf(q.Get("span")).Length), now
	}
	return from, to
}

func (s Screen) collect(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	n, err := s.Devices.CollectNow(r.Context(), middleware.Who(r.Context()), id, "")
	if err != nil {
		return err
	}
	notice := text.Count(int64(n), "request is on its way", "requests are on their way") + "."
	if n == 0 {
		notice = "Nothing to collect: the device is paused or has no kit."
	}
	return s.Render.Fragment(w, http.StatusOK, "device", "notice", notice)
}

func (s Screen) pause(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	paused, err := ui.YesOrNo(r, "paused")
	if err != nil {
		return err
	}
	if err := s.Devices.SetPaused(r.Context(), middleware.Who(r.Context()), id, paused); err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("/devices/%d", id), http.StatusSeeOther)
	return nil
}

func (s Screen) remove(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.Devices.Remove(r.Context(), middleware.Who(r.Context()), id, 0); err != nil {
		return err
	}
	http.Redirect(w, r, removedPath, http.StatusSeeOther)
	return nil
}
