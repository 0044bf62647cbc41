package changes

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/go-chi/chi/v5"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// setView is the page of one set.
type setView struct {
	Show string
	rowView
	Told   []toldView
	Mine   bool // it is gathered by the one who looks
	May    bool // who looks may configure something
	Notice string
	Errors domain.FieldErrors
	// Before is the set that it takes back, After the one that took it back; zero for none.
	Before, After domain.ID
}

// Crumbs is the way to the page.
func (v setView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Collect", URL: "/collect"}, {Title: "Changes", URL: listPath}, {Title: v.Name}}
}

// NameField and ReasonField are where it is described.
func (v setView) NameField() ui.FieldView {
	return ui.Typed("set-", "name", "Name", v.Name, "", v.Errors["name"])
}

// ReasonField is where it is said why.
func (v setView) ReasonField() ui.FieldView {
	return ui.TypedLines("set-", "reason", "Reason", v.Reason, 3, "It is noted with each of the changes.", v.Errors["reason"])
}

// MayRollBack tells whether it is there to be taken back.
func (v setView) MayRollBack() bool { return v.State == domain.Applied && v.RolledBack == 0 && v.May }

// Heading is what the list of changes is called.
func (v setView) Heading() string {
	if v.State == domain.Gathering {
		return "What is gathered"
	}
	return "What was changed"
}

// Throwing asks whether to throw it away.
func (v setView) Throwing() string {
	return fmt.Sprintf("Throw away “%s” with %s? Nothing of it is in force.", v.Name, text.Count(int64(len(v.Edits)), "change"))
}

// Tried is where it is told what it would do.
func (v setView) Tried() string { return v.URL() + "/preview" }

// toldView is one change of a set.
type toldView struct {
	changes.Told
	At   int
	Set  domain.ID
	Mine bool
}

// Sign is a short mark of what becomes of the thing.
func (v toldView) Sign() string {
	return map[string]string{kit.Added: "+", kit.Gone: "−", kit.Changed: "±"}[v.How]
}

// Action is where something is done with it.
func (v toldView) Action(what string) string {
	return fmt.Sprintf("%s/edits/%d/%s", Path(v.Set), v.At, what)
}

// Form is where it is changed further; empty where that is at its own page.
func (v toldView) Form() string {
	q := url.Values{"set": {strconv.FormatInt(v.Set, 10)}}
	if k := v.Edit.Kit; k != nil && k.Document != "" {
		return "/collect/kits/" + k.Kit + "/edit?" + q.Encode()
	}
	return ""
}

// Stale tells whether somebody else was faster: it may be done all the same, knowingly.
func (v toldView) Stale() bool { return v.Problem == changes.Overtaken }

func toldViews(c domain.ChangeSet, all []changes.Told, mine bool) []toldView {
	out := make([]toldView, len(all))
	for i, t := range all {
		out[i] = toldView{t, i, c.ID, mine}
	}
	return out
}

func (s Screen) one(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	c, err := s.Changes.One(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	v := s.view(r, c)
	return s.Render.Page(w, r, "changes", render.Frame{Title: v.Name, Area: area, Tab: listPath, Body: v})
}

func (s Screen) view(r *http.Request, c domain.ChangeSet) setView {
	who := middleware.Who(r.Context())
	v := setView{Show: "set", rowView: rowView{c}, Mine: mine(c, who), May: s.Changes.May(who), Before: c.RollsBack, After: c.RolledBack}
	v.Told = toldViews(c, s.Changes.Words(r.Context(), who, c), v.Mine)
	return v
}

// back leads to the page of a set.
func back(w http.ResponseWriter, r *http.Request, id domain.ID) error {
	if render.IsFragment(r) {
		w.Header().Set("HX-Redirect", Path(id))
		return nil
	}
	http.Redirect(w, r, Path(id), http.StatusSeeOther)
	return nil
}

// refused shows a set with what is wrong.
func (s Screen) refused(w http.ResponseWriter, r *http.Request, id domain.ID, err error, typed func(*setView)) error {
	c, failed := s.Changes.One(r.Context(), middleware.Who(r.Context()), id)
	if failed != nil {
		return failed
	}
	v := s.view(r, c)
	if typed != nil {
		typed(&v)
	}
	if errors.Is(err, domain.ErrConflict) {
		v.Notice = text.UpperFirst(err.Error()) + "."
	} else if v.Notice, err = ui.Refused(err, &v.Errors); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "changes", "changes-set", v)
}

func (s Screen) describe(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	name, reason := r.PostFormValue("name"), r.PostFormValue("reason")
	if _, err := s.Changes.Describe(r.Context(), middleware.Who(r.Context()), id, name, reason, version(r)); err != nil {
		return s.refused(w, r, id, err, func(v *setView) { v.Name, v.Reason = name, reason })
	}
	return back(w, r, id)
}

func version(r *http.Request) int {
	n, _ := strconv.Atoi(r.PostFormValue("version")) // 0 is any
	return n
}

// apply describes the set as it is typed, and applies it.
func (s Screen) apply(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	who, name, reason := middleware.Who(r.Context()), r.PostFormValue("name"), r.PostFormValue("reason")
	typed := func(v *setView) { v.Name, v.Reason = name, reason }
	c, err := s.Changes.Describe(r.Context(), who, id, name, reason, version(r))
	if err == nil {
		_, err = s.Changes.Apply(r.Context(), who, id, c.Version)
	}
	if err != nil {
		return s.refused(w, r, id, err, typed)
	}
	return back(w, r, id)
}

func (s Screen) discard(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.Changes.Discard(r.Context(), middleware.Who(r.Context()), id, 0); err != nil {
		return err
	}
	http.Redirect(w, r, listPath, http.StatusSeeOther)
	return nil
}

// editOf is the change of a path.
func editOf(r *http.Request) (id domain.ID, at int, err error) {
	if id, err = screen.ID(r); err != nil {
		return 0, 0, err
	}
	if at, err = strconv.Atoi(chi.URLParam(r, "at")); err != nil {
		return 0, 0, domain.ErrNotFound
	}
	return id, at, nil
}

func (s Screen) leave(w http.ResponseWriter, r *http.Request) error {
	id, at, err := editOf(r)
	if err != nil {
		return err
	}
	if _, err := s.Changes.Leave(r.Context(), middleware.Who(r.Context()), id, at, version(r)); err != nil {
		return s.refused(w, r, id, err, nil)
	}
	return back(w, r, id)
}

func (s Screen) renew(w http.ResponseWriter, r *http.Request) error {
	id, at, err := editOf(r)
	if err != nil {
		return err
	}
	if _, err := s.Changes.Renew(r.Context(), middleware.Who(r.Context()), id, at, version(r)); err != nil {
		return s.refused(w, r, id, err, nil)
	}
	return back(w, r, id)
}

// rollbackView is what taking back a set would do.
type rollbackView struct {
	changes.Rollback
	Preview previewView
	Problem string // why it cannot be taken back
}

// Action is where it is done.
func (v rollbackView) Action() string { return Path(v.Set.ID) + "/rollback" }

// Nothing tells that nothing is left to take back.
func (v rollbackView) Nothing() bool { return len(v.Preview.Told) == 0 }

func (s Screen) rollback(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	x, err := s.Changes.RehearseRollback(r.Context(), middleware.Who(r.Context()), id)
	v := rollbackView{Rollback: x, Preview: previewView{Preview: x.Preview, Told: toldViews(x.Set, x.Told, false)}}
	if errors.Is(err, domain.ErrConflict) {
		v.Problem = text.UpperFirst(err.Error()) + "."
	} else if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "changes", "changes-rollback", v)
}

func (s Screen) rollBack(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	leave := r.PostFormValue("leave") == "true"
	c, err := s.Changes.RollBack(r.Context(), middleware.Who(r.Context()), id, leave, r.PostFormValue("reason"))
	if err != nil {
		return s.refused(w, r, id, err, nil)
	}
	return back(w, r, c.ID)
}
