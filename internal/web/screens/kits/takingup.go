package kits

import (
	"net/http"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/web/middleware"
)

// TakingUpPath tells how far a change is taken up.
const TakingUpPath = "/collect/taking-up"

// takingUpView is a change that not all devices are collected with yet.
type takingUpView struct{ Left int }

// Said tells how far it is.
func (v takingUpView) Said() string {
	return text.Count(int64(v.Left), "device") + " left to be taken up; until then each is collected as it was."
}

func (s Screen) takingUp(w http.ResponseWriter, r *http.Request) error {
	left, err := s.Kits.TakenUp(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "taking-up", takingUpView{left})
}
