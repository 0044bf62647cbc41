// Package fitting is the pages of the rules that fit kits to devices by what is known of them.
package fitting

import (
	"embed"
	"fmt"
	"io/fs"
	"net/http"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the pages.
type Screen struct {
	Render  *render.Renderer
	Fitting *fitting.Service
	// Changes gathers rules with other changes.
	Changes *changes.Service
}

const (
	area     = domain.AreaCollect
	listPath = "/collect/fitting"
	pageSize = 100
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const see, configure = domain.AccessSee, domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"fitting": files},
		Menu:      []render.Entry{{Title: "Fitting rules", Path: listPath, Area: area, Whole: true}},
		Found:     []render.Entry{{Title: "New fitting rule", Path: listPath + "/new", Area: area, Needs: configure, Whole: true}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get(listPath+"/new", area, s.blank),
			screen.Get(listPath+"/{id}", area, s.one),
			screen.Post(listPath, area, configure, s.save),
			screen.Post(listPath+"/trial", area, see, s.try),
			screen.Post(listPath+"/{id}/move", area, configure, s.move),
			screen.Post(listPath+"/{id}/remove", area, configure, s.remove),
		},
	}
}

type listView struct {
	Show string
	Any  bool
	May  bool
	Bar  ui.FilterBar
	// Ordered is true where the list is in the order in which rules are asked, and whole.
	Ordered bool
	ui.Filled[rowView]
}

// None is told where there is no rule.
func (listView) None() ui.Empty {
	return ui.NewEmpty("No fitting rule yet",
		"Kits are on devices where people fitted them. A rule fits them by what is known of a device, also to those that come later.")
}

// rowView is a rule in the list.
type rowView struct {
	fitting.Ruled
	First, Last bool
}

// URL is its page.
func (v rowView) URL() string { return fmt.Sprintf("%s/%d", listPath, v.ID) }

// says is what is searched in.
func (v rowView) says() string {
	return strings.Join([]string{v.Name, v.When, strings.Join(v.Fits, " "), strings.Join(v.KeepsOff, " ")}, " ")
}

var columns = ui.Columns[rowView]{
	"":        ui.ByNumber(func(v rowView) int { return v.Rank }),
	"name":    ui.ByText(func(v rowView) string { return v.Name }),
	"devices": ui.ByNumber(func(v rowView) int { return v.Devices }),
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	all, err := s.Fitting.Rules(r.Context(), who)
	if err != nil {
		return err
	}
	rows := make([]rowView, len(all))
	for i, x := range all {
		rows[i] = rowView{x, i == 0, i == len(all)-1}
	}
	v := listView{
		Show:    "list",
		Any:     len(all) > 0,
		May:     who.May(area, domain.AccessConfigure, domain.At(0)),
		Ordered: q.Get("q") == "" && q.Get("sort") == "",
		Bar: ui.FilterBar{Path: listPath, Target: "fitting-table", Search: q.Get("q"), Sort: q.Get("sort"),
			Placeholder: "Rule, kit or condition", Label: "Filter fitting rules"},
	}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, rowView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "fitting", "fitting-table", v)
	}
	return s.Render.Page(w, r, "fitting", render.Frame{Title: "Fitting rules", Area: area, Tab: listPath, Body: v})
}

func (s Screen) move(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	by := 1
	if r.PostFormValue("to") == "earlier" {
		by = -1
	}
	if err := s.Fitting.Move(r.Context(), middleware.Who(r.Context()), id, by); err != nil {
		return err
	}
	http.Redirect(w, r, listPath, http.StatusSeeOther)
	return nil
}
