package device

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// removedView lists devices that are no longer watched.
type removedView struct {
	Rows []domain.RemovedDevice
	Q    string
	May  domain.Access
	ui.Paging
	ui.Sorting
}

const (
	removedPath = "/devices/removed"
	removedPage = 100
)

func (s Screen) removed(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := removedView{
		Q:       q.Get("q"),
		May:     highest(middleware.Who(r.Context())),
		Sorting: ui.Sorting{Path: removedPath, Query: q, Sort: q.Get("sort")},
	}
	page := ui.PageNumber(q)
	rows, total, err := s.Devices.Removed(
		r.Context(),
		middleware.Who(r.Context()),
		domain.RemovedFilter{Search: v.Q, Sort: v.Sort, Limit: removedPage, Offset: page * removedPage},
	)
	if err != nil {
		return err
	}
	v.Rows, v.Paging = rows, ui.NewPaging(removedPath, q, page, removedPage, len(rows), total)
	return s.Render.Page(w, r, "removed", render.Frame{Title: "Removed devices", Area: domain.AreaWatch, Body: v})
}

// highest is the highest level that an actor has anywhere, for what is decided row by row.
func highest(who access.Actor) (best domain.Access) {
	for _, level := range domain.AllAccess() {
		if !who.Scope(domain.AreaCollect, level).None() {
			best = level
		}
	}
	return best
}

// removedOne leads from the page of a removed device to what became of it.
func (s Screen) removedOne(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	x, err := s.Devices.RemovedOne(r.Context(), middleware.Who(r.Context()), id)
	if errors.Is(err, domain.ErrForbidden) {
		return domain.ErrNotFound // who may not see what was removed learns nothing of it
	}
	if err != nil {
		return err
	}
	http.Redirect(w, r, removedPath+"?q="+url.QueryEscape(x.Name), http.StatusSeeOther)
	return nil
}

func (s Screen) restore(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	d, err := s.Devices.Restore(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("/devices/%d", d.ID), http.StatusSeeOther)
	return nil
}

func (s Screen) forget(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.Devices.Forget(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	http.Redirect(w, r, removedPath, http.StatusSeeOther)
	return nil
}
