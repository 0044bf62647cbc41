package audit

import (
	"errors"
	"net/http"
	"strconv"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
)

const keepPath = listPath + "/keep"

// keepView is the form of how long entries are kept.
type keepView struct {
	audit.Kept
	Value   string // as typed
	Problem string
	Saved   bool
	May     bool
}

// keep shows the form; with a value typed, only what that value would do.
func (s Screen) keep(w http.ResponseWriter, r *http.Request) error {
	typed := r.URL.Query().Get("days")
	v, err := s.kept(r, typed)
	if err != nil {
		return err
	}
	part := "audit-keep"
	if r.URL.Query().Has("days") {
		part = "audit-keep-effect"
	}
	return s.Render.Fragment(w, http.StatusOK, "audit", part, v)
}

// kept rehearses what was typed; nothing typed is the time that is set.
func (s Screen) kept(r *http.Request, typed string) (v keepView, err error) {
	who := middleware.Who(r.Context())
	v.Value, v.May = typed, who.May(domain.AreaRun, domain.AccessAdminister, domain.At(0))
	days := 0
	if typed != "" {
		if days, err = strconv.Atoi(typed); err != nil || days == 0 {
			days = -1 // is told like any other number that cannot be
		}
	}
	v.Kept, err = s.Audit.Rehearse(r.Context(), who, days)
	var wrong domain.FieldErrors
	if errors.As(err, &wrong) {
		v.Problem, err = wrong["days"], nil
	}
	if typed == "" {
		v.Value = strconv.Itoa(v.Days)
	}
	return v, err
}

func (s Screen) saveKeep(w http.ResponseWriter, r *http.Request) error {
	typed := r.PostFormValue("days")
	days, _ := strconv.Atoi(typed) // what is no number is refused like 0
	err := s.Audit.SetKeep(r.Context(), middleware.Who(r.Context()), days)
	var wrong domain.FieldErrors
	if err != nil && !errors.As(err, &wrong) {
		return err
	}
	v, err := s.kept(r, typed)
	if err != nil {
		return err
	}
	status := http.StatusOK
	if v.Saved = wrong == nil; !v.Saved {
		v.Problem, status = wrong["days"], http.StatusUnprocessableEntity
	}
	if !render.IsFragment(r) {
		http.Redirect(w, r, listPath, http.StatusSeeOther)
		return nil
	}
	return s.Render.Fragment(w, status, "audit", "audit-keep", v)
}
