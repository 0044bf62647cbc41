package people

import (
	"context"
	"net/http"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
)

// ending is a use case that ends something with an id.
type ending func(ctx context.Context, who access.Actor, id domain.ID) error

// linkView is the link with which a person sets a password.
type linkView struct {
	ID    domain.ID
	Until time.Time // until when it holds; zero where there is none
	// URL is shown once, when it was made.
	URL     string
	Problem string
}

func (s Screen) makeLink(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	v := linkView{ID: id}
	key, until, err := s.People.MakeLink(r.Context(), middleware.Who(r.Context()), id)
	status := http.StatusOK
	if err != nil {
		if v.Problem, err = problemOf(err, new(domain.FieldErrors)); err != nil {
			return err
		}
		status = http.StatusUnprocessableEntity
	} else {
		v.Until, v.URL = until, s.URL+"/welcome/"+key.Reveal()
	}
	return s.Render.Fragment(w, status, "people", "person-link", v)
}

func (s Screen) takeLink(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.People.TakeLink(r.Context(), middleware.Who(r.Context()), id); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusOK, "people", "person-link", linkView{ID: id})
}
