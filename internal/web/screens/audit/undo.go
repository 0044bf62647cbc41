package audit

import (
	"errors"
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
)

// undoView is what undoing something would do, or has done.
type undoView struct {
	audit.Undone
	Problem string
	Done    bool
}

func (s Screen) rehearseUndo(w http.ResponseWriter, r *http.Request) error {
	return s.undoDrawer(w, r, http.StatusOK, undoView{})
}

func (s Screen) undoDrawer(w http.ResponseWriter, r *http.Request, status int, v undoView) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if v.Undone, err = s.Audit.RehearseUndo(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	return s.Render.Fragment(w, status, "audit", "undo", v)
}

// undo undoes something; it needs the level that doing it needs.
func (s Screen) undo(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	err = s.Audit.Undo(r.Context(), middleware.Who(r.Context()), id)
	if err == nil {
		return s.undoDrawer(w, r, http.StatusOK, undoView{Done: true})
	}
	var fields domain.FieldErrors
	if !errors.As(err, &fields) && !errors.Is(err, domain.ErrConflict) && !errors.Is(err, domain.ErrForbidden) &&
		!errors.Is(err, domain.ErrChanged) {
		return err
	}
	_, text := render.Status(err)
	return s.undoDrawer(w, r, http.StatusUnprocessableEntity, undoView{Problem: text})
}
