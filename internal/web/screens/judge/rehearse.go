package judge

import (
	"net/http"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/web/middleware"
)

// rehearsed is the time that rehearsals look back over.
const rehearsed = 14 * 24 * time.Hour

type rehearsalView struct {
	Then judge.Rehearsal
	Now  *judge.Rehearsal // with the rule in force; nil where there is none, or it is the same
	Rule rule.Rule
}

// Heading says whose alerts are counted.
func (v rehearsalView) Heading() string {
	if v.Now == nil {
		return "alerts"
	}
	return "alerts with this rule"
}

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	old, err := s.rule(r)
	if err != nil {
		return err
	}
	return s.tried(w, r, old)
}

func (s Screen) rehearseNew(w http.ResponseWriter, r *http.Request) error {
	blank, _, ok, err := s.newRule(r)
	if err != nil {
		return err
	}
	if !ok {
		return domain.FieldErrors{"reading": "Choose a reading first."}
	}
	return s.tried(w, r, blank)
}

// tried tells what the rule of a form would have raised, beside the one that it stands in the
// place of.
func (s Screen) tried(w http.ResponseWriter, r *http.Request, old rule.Rule) error {
	x, _, errs, err := s.read(r, old)
	if err != nil {
		return err
	}
	if len(errs) > 0 {
		return s.Render.Fragment(w, http.StatusOK, "judge", "rehearse-wrong", errs.Error())
	}
	v, who := rehearsalView{Rule: x}, middleware.Who(r.Context())
	if v.Then, err = s.Judge.Rehearse(r.Context(), who, x, rehearsed); err != nil {
		return err
	}
	if old.ID != 0 && x.Words() != old.Words() {
		now, err := s.Judge.Rehearse(r.Context(), who, old, rehearsed)
		if err != nil {
			return err
		}
		v.Now = &now
	}
	return s.Render.Fragment(w, http.StatusOK, "judge", "rehearsal", v)
}
