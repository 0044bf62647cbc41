package kits

import (
	"fmt"
	"net/http"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
)

// TakingUpPath tells how far a change is taken up.
const TakingUpPath = "/collect/taking-up"

// takingUpView is a change that is not in force yet.
type takingUpView struct{ domain.TakingUp }

// Said tells how far it is.
func (v takingUpView) Said() string {
	return fmt.Sprintf("%d of %s made ready. Until all are, each is collected from as it was; then they change over at one moment.",
		v.Ready, text.Count(int64(v.Of), "device"))
}

func (s Screen) takingUp(w http.ResponseWriter, r *http.Request) error {
	far, err := s.Kits.TakenUp(r.Context(), middleware.Who(r.Context()))
	if err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "taking-up", takingUpView{far})
}
