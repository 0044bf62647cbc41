// Package query is the page on which people run a statement of their own on a database, and have it collected.
package query

import (
	"cmp"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/query"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the page.
type Screen struct {
	Render *render.Renderer
	Query  *query.Service
}

const area = domain.AreaCollect

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const configure = domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"query": files},
		Routes: []screen.Route{
			{Method: http.MethodGet, Path: "/devices/{id}/query", Area: area, Needs: configure, Handle: s.page},
			screen.Post("/devices/{id}/query", area, configure, s.act),
		},
	}
}

// view is a statement as it was written, with what it brought.
type view struct {
	ID        domain.ID
	Device    string
	Ways      []way.Way
	Way       string
	Statement string
	Result    *query.Result
	Kept      kit.Queried
	Errors    domain.FieldErrors
}

// Crumbs is the way to the page.
func (v view) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: v.Device, URL: fmt.Sprintf("/devices/%d", v.ID)}, {Title: "Own query"}}
}

// WayField is which kind of database it is.
func (v view) WayField() ui.FieldView {
	var options []ui.Option
	for _, w := range v.Ways {
		options = append(options, ui.Option{Value: w.Name, Title: w.Title})
	}
	return ui.Chosen("query-", "way", "Database", v.Way, options, "", v.Errors["way"])
}

// StatementField is what is run.
func (v view) StatementField() ui.FieldView {
	const help = "One statement that only reads: it runs in a transaction that can change nothing, for at most 10 s and 200 rows."
	f := ui.TypedLines("query-", "statement", "Statement", v.Statement, 6, help, v.Errors["statement"])
	f.Mono = true
	for _, w := range v.Ways {
		if w.Name == v.Way {
			f.Default = w.Statement
		}
	}
	return f
}

// TitleField is what the kit is called.
func (v view) TitleField() ui.FieldView {
	return ui.Typed("query-", "title", "Called", v.Kept.Title, "", v.Errors["title"])
}

// EveryField is how often it is asked.
func (v view) EveryField() ui.FieldView {
	return ui.Typed("query-", "every", "How often", short(v.Kept.Every), "such as 60s, 5m or 1h", v.Errors["every"])
}

// short is a time as people write it, such as 5m.
func short(d time.Duration) string {
	s := d.String()
	if strings.HasSuffix(s, "m0s") {
		s = s[:len(s)-2]
	}
	if strings.HasSuffix(s, "h0m") {
		s = s[:len(s)-2]
	}
	return s
}

// Other is what is wrong at no field of the form.
func (v view) Other() string {
	return cmp.Or(v.Errors["document"], v.Errors["kit"], v.Errors["column"])
}

// rowView is a row of what came.
type rowView []string

// Rows are what came, as texts.
func (v view) Rows() (out []rowView) {
	for _, row := range v.Result.Rows {
		var cells rowView
		for _, x := range row {
			cells = append(cells, cell(x))
		}
		out = append(out, cells)
	}
	return out
}

func cell(v derive.Value) string {
	if v.Kind == derive.Missing {
		return "—"
	}
	return v.String()
}

// columnView is a column with what it is taken for.
type columnView struct {
	kit.QueriedColumn
	At    int
	Error string
}

// Uses is where it is chosen what the column is.
func (c columnView) Uses() ui.FieldView {
	options := ui.Options(kit.ColumnUses)
	if c.At > 0 { // only the first one names instances
		options = append(options[:1:1], options[2:]...)
	}
	return ui.Chosen("", fmt.Sprintf("is.%d", c.At), "What “"+c.Of+"” is", string(c.Is), options, "", "")
}

// Columns are those of the statement.
func (v view) Columns() (out []columnView) {
	for i, c := range v.Kept.Columns {
		out = append(out, columnView{c, i, v.Errors[fmt.Sprintf("column.%d", i)]})
	}
	return out
}

func (s Screen) view(r *http.Request) (v view, err error) {
	if v.ID, err = screen.ID(r); err != nil {
		return v, err
	}
	d, all, err := s.Query.Ways(r.Context(), middleware.Who(r.Context()), v.ID)
	if err != nil {
		return v, err
	}
	v.Device, v.Ways, v.Way = d.Name, all, r.FormValue("way")
	if v.Way == "" && len(all) > 0 {
		v.Way = all[0].Name
	}
	v.Kept.Every = 5 * time.Minute
	return v, nil
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "query", render.Frame{Title: "Own query", Area: domain.AreaCollect, Body: v})
}

// act runs the statement, or has it collected.
func (s Screen) act(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	v.Statement = strings.TrimSpace(r.PostFormValue("statement"))
	if r.PostFormValue("act") == "keep" {
		return s.keep(w, r, v)
	}
	got, err := s.Query.Run(r.Context(), middleware.Who(r.Context()), v.ID, v.Way, v.Statement)
	if errors.As(err, &v.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "query", "query", v)
	}
	if err != nil {
		return err
	}
	v.Result = &got
	if got.Problem == "" {
		v.Kept.Columns = guessed(got.Table)
	}
	return s.Render.Fragment(w, http.StatusOK, "query", "query", v)
}

// guessed is what the columns of a result may be.
func guessed(t way.Table) (out []kit.QueriedColumn) {
	for i, name := range t.Columns {
		is := kit.Numbers
		for _, row := range t.Rows {
			if row[i].Kind == derive.Text {
				is = kit.Texts
			}
		}
		if i == 0 && is == kit.Texts && len(t.Columns) > 1 {
			is = kit.Instances
		}
		out = append(out, kit.QueriedColumn{Of: name, Is: is})
	}
	return out
}

func (s Screen) keep(w http.ResponseWriter, r *http.Request, v view) error {
	v.Kept.Title, v.Kept.Way, v.Kept.Statement = strings.TrimSpace(r.PostFormValue("title")), v.Way, v.Statement
	v.Kept.Every, _ = time.ParseDuration(strings.TrimSpace(r.PostFormValue("every"))) // 0 is refused
	for i := range r.PostForm["of"] {
		at := strconv.Itoa(i)
		v.Kept.Columns = append(v.Kept.Columns, kit.QueriedColumn{Of: r.PostForm["of"][i], Is: kit.ColumnUse(r.PostFormValue("is." + at)),
			Name: strings.TrimSpace(r.PostFormValue("name." + at)), Unit: strings.TrimSpace(r.PostFormValue("unit." + at))})
	}
	err := s.Query.Keep(r.Context(), middleware.Who(r.Context()), v.ID, v.Kept)
	if errors.As(err, &v.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "query", "query", v)
	}
	if err != nil {
		return err
	}
	w.Header().Set("HX-Redirect", fmt.Sprintf("/devices/%d", v.ID))
	return nil
}
