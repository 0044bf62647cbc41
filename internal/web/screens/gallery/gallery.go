// Package gallery shows every piece that screens are made of: empty, full, long and in
// error. Whoever adds a piece adds it here, too, and the browser tests look at it in both
// themes.
package gallery

import (
	"embed"
	"io/fs"
	"net/http"
	"net/url"
	"strings"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the gallery.
type Screen struct{ Render *render.Renderer }

const path = "/gallery"

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	return screen.Screen{
		Templates: map[string]fs.FS{"gallery": files},
		Found:     []render.Entry{{Title: "Pieces that screens are made of", Path: path}},
		Routes:    []screen.Route{screen.Open(path, s.page)},
	}
}

// longName is as long as names get.
var longName = strings.Repeat("quay-of-the-outer-harbour-", 7) + "switch"

// view is one of each.
type view struct {
	Health                []domain.Health
	Bar                   ui.FilterBar
	Sorting               ui.Sorting
	Paging, Last, Unknown ui.Paging
	Crumbs                []ui.Crumb
	Plain, Long, Wrong    ui.FieldView
	Secret, Stored        ui.FieldView
	Choice                ui.FieldView
	Rows                  []ui.FieldRow
	Why                   why.Trace
	Rehearsed             []ui.Rehearsed
	Trial                 ui.Trial
	Copied                ui.Copied
	Alerts                []ui.AlertThen
	Strip, Calm           []domain.Health
	Bands                 []ui.Band
	LongName              string
	Now                   time.Time
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	f := render.Frame{Title: "Pieces that screens are made of", Body: pieces(r.URL.Query(), time.Now().UTC())}
	return s.Render.Page(w, r, "gallery", f)
}

func pieces(q url.Values, now time.Time) view {
	v := view{
		Health:  domain.AllHealth(),
		Sorting: ui.Sorting{Path: path, Query: q, Sort: q.Get("sort")},
		Paging:  ui.NewPaging(path, q, 1, 100, 100, 10_000),
		Last:    ui.NewPaging(path, q, 0, 100, 1, 1),
		Unknown: ui.Paging{Until: 100, Total: -1, Next: path + "?page=1"},
		Crumbs:  []ui.Crumb{{Title: "Places", URL: "/run/places"}, {Title: longName}},
		Plain:   ui.Typed("plain-", "name", "Name", "np-sw-1", "It is unique in its organisation.", ""),
		Long:    ui.Typed("long-", "name", "A name as long as it gets", longName, "", ""),
		Wrong:   ui.Typed("wrong-", "name", "Name", "", "It is unique in its organisation.", "At most 200 characters."),
		Secret:  ui.TypedSecret("secret-", "password", "Password", "Must have 8 to 72 characters."),
		Bands: []ui.Band{
			{From: 0, To: 0.4, Title: "up"},
			{From: 0.4, To: 0.5, Shade: 1, Title: "down"},
			{From: 0.7, To: 1, Title: "up"},
		},
		LongName: longName,
		Now:      now,
	}
	v.Stored = ui.FieldView{Field: field.Field{Name: "secret", Label: "Community", Kind: field.Secret}, ID: "stored-secret", Stored: true}
	choice := field.Field{Name: "level", Label: "Level", Kind: field.Choice, Choices: []string{"see", "operate"}, Default: "see"}
	v.Choice = ui.Fields("choice-", []field.Field{choice}, nil, nil)[0]
	v.Bar = ui.FilterBar{
		Path: path, Target: "gallery-list", Placeholder: "Name or address", Label: "Filter pieces",
		Choices: []ui.FilterChoice{{Name: "health", Label: "Health", Any: "any health", Options: ui.Options(v.Health)}},
		Flags:   []ui.FilterFlag{{Name: "only", Label: "only those that fail", Set: true}},
	}
	limits := []field.Field{
		{Name: "a", Label: "Begins beyond", Kind: field.Number, Group: "warning"},
		{Name: "b", Label: "Ends at", Kind: field.Number, Group: "warning"},
	}
	_, v.Rows = ui.Rows(ui.Fields("row-", limits, map[string]string{"a": "90"}, domain.FieldErrors{"b": "Must be a number."}))
	v.Why = why.Trace{Question: "Why?", Answer: "it is set at the place North Pier"}
	v.Why.Because("It is set at the place North Pier", "night", why.To("place", 1))
	v.Why.Because("It replaces what is set at the place Kittiwake Line", longName, nil)
	v.Alerts = []ui.AlertThen{
		{Name: "Battery is low", On: "np-ups-1 and 2 more", How: "changed", Now: 1, Then: 3},
		{Name: "Runs on battery", How: "gone", Now: 1},
	}
	v.Rehearsed = []ui.Rehearsed{
		{Trace: v.Why, Cost: "About 16 series; +3.0 requests a minute."},
		{Problems: []string{"Must have 8 to 72 characters."}},
		{Hint: "What it would do is told while you type."},
	}
	v.Trial = ui.Trial{Kit: "web-sign-in", Source: "entry", Took: 1200 * time.Millisecond, Lines: []way.Line{
		{After: time.Millisecond, Sent: true, Text: "GET https://portal.kittiwake.example/"},
		{After: 90 * time.Millisecond, Text: "200 OK, 527 bytes"},
	}}.Judged("sign-in failed", "nobody is let in: the page asks for the password again", false)
	v.Copied = ui.Copied{ID: "copied", Title: "To be done there first", Text: "GRANT pg_monitor TO owl;"}
	v.Calm = make([]domain.Health, 60)
	v.Strip = make([]domain.Health, 60)
	for i := range v.Strip {
		v.Calm[i], v.Strip[i] = domain.Fine, v.Health[i%len(v.Health)]
	}
	return v
}
