// Package gather lets forms of changes go among changes that are made together.
package gather

import (
	"net/http"
	"strconv"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/web/middleware"
)

// Path is where changes are seen that are gathered.
const Path = "/collect/changes"

// Asked tells whether a form is to be gathered with other changes, and not to hold at once.
func Asked(r *http.Request) bool { return r.PostFormValue("gather") != "" }

// Put puts what a form says into the changes that its sender gathers, and leads there. What is wrong with it
// is the same as if it were to hold at once.
func Put(w http.ResponseWriter, r *http.Request, all *changes.Service, e domain.Edit) error {
	c, err := all.Gather(r.Context(), middleware.Who(r.Context()), 0, e)
	if err != nil {
		return err
	}
	to := Path + "/" + strconv.FormatInt(c.ID, 10)
	if r.Header.Get("HX-Request") != "" {
		w.Header().Set("HX-Redirect", to)
	} else {
		http.Redirect(w, r, to, http.StatusSeeOther)
	}
	return nil
}

// May tells whether who asks sees what is gathered.
func May(r *http.Request) bool {
	return !middleware.Who(r.Context()).Scope(domain.AreaCollect, domain.AccessSee).None()
}
