package device

import (
	"fmt"
	"net/http"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// removedView lists devices that are no longer watched.
type removedView struct {
	Rows []domain.RemovedDevice
	Q    string
	May  domain.Access
	ui.Paging
}

const removedPage = 100

func (s Screen) removed(w http.ResponseWriter, r *http.Request) error {
	all, err := s.Devices.Removed(r.Context())
	if err != nil {
		return err
	}
	q := r.URL.Query()
	v := removedView{Q: q.Get("q"), May: middleware.Who(r.Context()).Level}
	var rows []domain.RemovedDevice
	for _, x := range all {
		if strings.Contains(strings.ToLower(x.Name+" "+x.Address+" "+x.Place), strings.ToLower(v.Q)) {
			rows = append(rows, x)
		}
	}
	v.Rows, v.Paging = ui.SlicePage("/devices/removed", q, removedPage, rows)
	return s.Render.Page(w, r, "removed", render.Frame{Title: "Removed devices", Area: "watch", Body: v})
}

func (s Screen) restore(w http.ResponseWriter, r *http.Request) error {
	id, err := ID(r)
	if err != nil {
		return err
	}
	d, err := s.Devices.Restore(r.Context(), id)
	if err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("/devices/%d", d.ID), http.StatusSeeOther)
	return nil
}

func (s Screen) forget(w http.ResponseWriter, r *http.Request) error {
	id, err := ID(r)
	if err != nil {
		return err
	}
	if err := s.Devices.Forget(r.Context(), id); err != nil {
		return err
	}
	http.Redirect(w, r, "/devices/removed", http.StatusSeeOther)
	return nil
}
