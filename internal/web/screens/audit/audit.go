// Package audit is what was changed or refused, and by whom.
package audit

import (
	"embed"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io/fs"
	"net/http"
	"strconv"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the audit.
type Screen struct {
	Render *render.Renderer
	Audit  *audit.Service
	Places *places.Service
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area = domain.AreaRun
	return screen.Screen{
		Templates: map[string]fs.FS{"audit": files},
		Menu:      []render.Entry{{Title: "Audit", Path: listPath, Area: area}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get("/run/audit/export", area, s.export),
			screen.Get(keepPath, area, s.keep),
			screen.Post(keepPath, area, domain.AccessAdminister, s.saveKeep),
			screen.Get("/run/audit/{id}", area, s.entry),
			screen.Get("/run/audit/{id}/undo", area, s.rehearseUndo),
			screen.Post("/run/audit/{id}/undo", area, domain.AccessSee, s.undo),
		},
	}
}

const listPath = "/run/audit"

type listView struct {
	Rows   []rowView
	Filter domain.EntryFilter
	Bar    ui.FilterBar
	// Export is where the same is had as a file.
	Export string
	Days   int  // for how long entries are kept
	Whole  bool // whether that is told to whoever looks
	Saved  bool // never: the form takes its place once it is
	ui.Paging
}

type rowView struct{ audit.Row }

// shownChanges is how many changes of a thing a row names.
const shownChanges = 2

// Word says what became of a thing that was made or removed.
func (r rowView) Word() string {
	switch {
	case len(r.Before) == 0 && len(r.After) > 0:
		return "made"
	case len(r.Before) > 0 && len(r.After) == 0:
		return "removed"
	}
	return r.Reason
}

// Shown are the first of the changes of a thing that stayed.
func (r rowView) Shown() []audit.Change {
	if len(r.Before) == 0 || len(r.After) == 0 {
		return nil
	}
	return r.Changes[:min(len(r.Changes), shownChanges)]
}

// More is how many changes there are besides those that are shown.
func (r rowView) More() int {
	if shown := len(r.Shown()); shown > 0 {
		return len(r.Changes) - shown
	}
	return 0
}

const pageSize = 100

func filterOf(r *http.Request) domain.EntryFilter {
	q := r.URL.Query()
	f := domain.EntryFilter{
		Search:    q.Get("q"),
		Act:       q.Get("act"),
		Kind:      q.Get("kind"),
		ActorKind: q.Get("by"),
		Refused:   q.Get("only") == "refused",
	}
	f.ThingID, _ = strconv.ParseInt(q.Get("of"), 10, 64)
	f.ActorID, _ = strconv.ParseInt(q.Get("actor"), 10, 64)
	return f
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	f := filterOf(r)
	f.Limit, f.Offset = pageSize+1, ui.PageNumber(q)*pageSize
	page, err := s.Audit.Find(r.Context(), middleware.Who(r.Context()), f)
	if err != nil {
		return err
	}
	v := listView{Filter: f, Bar: barOf(q.Get("only"), f, page.Acts), Export: "/run/audit/export?" + q.Encode()}
	v.Days, v.Whole = page.Days, middleware.Who(r.Context()).May(domain.AreaRun, domain.AccessSee, domain.At(0))
	rows, paging := ui.CutPage(listPath, q, pageSize, page.Rows)
	v.Paging = paging
	for _, row := range rows {
		v.Rows = append(v.Rows, rowView{row})
	}
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "audit", "audit-table", v)
	}
	return s.Render.Page(w, r, "audit", render.Frame{Title: "Audit", Area: domain.AreaRun, Tab: listPath, Body: v})
}

func barOf(only string, f domain.EntryFilter, acts []string) ui.FilterBar {
	bar := ui.FilterBar{
		Path:        listPath,
		Target:      "audit-table",
		Search:      f.Search,
		Placeholder: "Who, what, before or after",
		Label:       "Filter the audit",
	}
	bar.Choices = []ui.FilterChoice{
		{Name: "act", Label: "What was done", Any: "anything done", Value: f.Act, Options: ui.Options(acts)},
		{
			Name:    "by",
			Label:   "By whom",
			Any:     "by anybody",
			Value:   f.ActorKind,
			Options: ui.Options([]string{"person", "token", "application"}),
		},
		{Name: "only", Label: "Outcome", Any: "done and refused", Value: only, Options: ui.Options([]string{"refused"})},
	}
	for _, h := range []ui.Pair{{A: "kind", B: f.Kind}, {A: "of", B: f.ThingID}, {A: "actor", B: f.ActorID}} {
		if text := fmt.Sprint(h.B); text != "" && text != "0" {
			bar.Hidden = append(bar.Hidden, h)
		}
	}
	return bar
}

func (s Screen) entry(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	e, err := s.Audit.One(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "audit", "entry", e)
}

// export sends what the filter picks as a table or as lines of JSON.
func (s Screen) export(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	name := "audit-" + time.Now().UTC().Format("20060102T1504")
	if r.URL.Query().Get("format") == "json" {
		w.Header().Set("Content-Type", "application/x-ndjson")
		w.Header().Set("Content-Disposition", `attachment; filename="`+name+`.ndjson"`)
		out := json.NewEncoder(w)
		return s.Audit.Export(r.Context(), who, filterOf(r), func(e domain.Entry) error { return out.Encode(e) })
	}
	w.Header().Set("Content-Type", "text/csv; charset=utf-8")
	w.Header().Set("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	out := csv.NewWriter(w)
	_ = out.Write([]string{"id", "at", "actor_kind", "actor", "origin", "act", "refused", "kind", "thing", "before", "after", "reason"})
	err := s.Audit.Export(r.Context(), who, filterOf(r), func(e domain.Entry) error {
		return out.Write(text.Cells(
			strconv.FormatInt(e.ID, 10), e.At.Format(time.RFC3339Nano), e.ActorKind, e.Actor, e.Origin, e.Act,
			strconv.FormatBool(e.Refused), e.Kind, e.Thing, string(e.Before), string(e.After), e.Reason,
		))
	})
	out.Flush()
	return err
}
