// Package changes is the pages of changes that are gathered, told, applied and rolled back together.
package changes

import (
	"embed"
	"fmt"
	"io/fs"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/web/gather"
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
	Changes *changes.Service
}

// Path is the page of one set of changes.
func Path(id domain.ID) string { return fmt.Sprintf("%s/%d", listPath, id) }

const (
	area     = domain.AreaCollect
	listPath = gather.Path
	pageSize = 100
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	// What is gathered may belong to any area: each change asks for its own right when it is applied.
	const see = domain.AccessSee
	return screen.Screen{
		Templates: map[string]fs.FS{"changes": files},
		Menu:      []render.Entry{{Title: "Changes", Path: listPath, Area: area}},
		Routes: []screen.Route{
			screen.Get(listPath, area, s.list),
			screen.Get(listPath+"/{id}", area, s.one),
			screen.Get(listPath+"/{id}/preview", area, s.preview),
			screen.Get(listPath+"/{id}/rollback", area, s.rollback),
			screen.Post(listPath+"/{id}", area, see, s.describe),
			screen.Post(listPath+"/{id}/apply", area, see, s.apply),
			screen.Post(listPath+"/{id}/discard", area, see, s.discard),
			screen.Post(listPath+"/{id}/rollback", area, see, s.rollBack),
			screen.Post(listPath+"/{id}/edits/{at}/leave", area, see, s.leave),
			screen.Post(listPath+"/{id}/edits/{at}/renew", area, see, s.renew),
		},
	}
}

type listView struct {
	Show string
	Any  bool
	Bar  ui.FilterBar
	ui.Filled[rowView]
}

// None is told where nothing was changed together yet.
func (listView) None() ui.Empty {
	return ui.NewEmpty("No changes gathered yet",
		"Kits, fitting rules, rules and settings can be changed together: each of their forms has “Add to changes” beside “Save”. "+
			"What they would do is told as a whole, they come into force in one go, and can be rolled back.")
}

// rowView is a set of changes in the list.
type rowView struct{ domain.ChangeSet }

// URL is its page.
func (v rowView) URL() string { return Path(v.ID) }

// Standing is how far it has come, in words.
func (v rowView) Standing() string { return standing(v.ChangeSet) }

func standing(c domain.ChangeSet) string {
	switch {
	case c.RolledBack != 0:
		return "rolled back"
	case c.State == domain.Applied:
		return "in force"
	}
	return "being gathered"
}

// At is when it was applied, or begun.
func (v rowView) At() time.Time {
	if v.AppliedAt.IsZero() {
		return v.CreatedAt
	}
	return v.AppliedAt
}

// Summed is what was told before it was applied; empty where nothing was.
func (v rowView) Summed() string {
	s, ok := changes.Summary(v.ChangeSet)
	if !ok {
		return ""
	}
	return fmt.Sprintf("%s, %s", text.Count(int64(s.Devices), "device"), seriesSaid(s.Gained, s.Lost, s.Changed))
}

// seriesSaid counts series that come, go and change.
func seriesSaid(gained, lost, changed int) string {
	var out []string
	for _, x := range []struct {
		n    int
		says string
	}{{gained, "+%s"}, {lost, "−%s"}, {changed, "±%s"}} {
		if x.n > 0 {
			out = append(out, fmt.Sprintf(x.says, text.Thousands(int64(x.n))))
		}
	}
	if len(out) == 0 {
		return "no series"
	}
	return strings.Join(out, " ") + " series"
}

func (v rowView) says() string {
	return strings.Join([]string{v.Name, v.Reason, v.Author, v.AppliedBy, v.Standing()}, " ")
}

var columns = ui.Columns[rowView]{
	"":      ui.ByNumber(func(v rowView) int64 { return -v.ID }),
	"name":  ui.ByText(func(v rowView) string { return v.Name }),
	"by":    ui.ByText(func(v rowView) string { return v.Author }),
	"edits": ui.ByNumber(func(v rowView) int { return v.Count }),
	"state": ui.ByText(rowView.Standing),
}

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	all, err := s.Changes.All(r.Context(), who)
	if err != nil {
		return err
	}
	rows := make([]rowView, len(all))
	for i, c := range all {
		rows[i] = rowView{c}
	}
	v := listView{Show: "list", Any: len(all) > 0,
		Bar: ui.FilterBar{Path: listPath, Target: "changes-table", Search: q.Get("q"), Sort: q.Get("sort"),
			Placeholder: "Name, reason or person", Label: "Filter changes"}}
	v.Filled = ui.Fill(listPath, q, pageSize, rows, rowView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "changes", "changes-table", v)
	}
	return s.Render.Page(w, r, "changes", render.Frame{Title: "Changes", Area: area, Tab: listPath, Body: v})
}

// mine tells whether an actor gathers a set.
func mine(c domain.ChangeSet, who access.Actor) bool {
	return c.AuthorKind == string(who.Kind) && c.AuthorID == who.ID && c.State == domain.Gathering
}
