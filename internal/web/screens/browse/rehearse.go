package browse

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"strings"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/web/middleware"
)

// rehearsedView is what was seen of a draft.
type rehearsedView struct {
	browse.Rehearsal
	ID   domain.ID
	Rows bool // it is a column of a table
	// Of are the steps that are told, Chosen is the row that was chosen for that.
	Of     []derive.Written
	Chosen string
	// Misstep is the step that cannot be taken; nil where all can.
	Misstep *derive.Misstep
}

// Sum says how many rows are kept, and what the draft takes.
func (v rehearsedView) Sum() string {
	c := v.Cost
	out := fmt.Sprintf("%s, %s samples a day, %s a month, %s requests a minute.",
		text.Count(int64(c.Series), "series", "series"), text.Thousands(int64(c.SamplesPerDay)),
		units.Format(c.BytesPerMonth, "B"), units.Number(c.RequestsPerMinute))
	if v.Rows {
		out = fmt.Sprintf("%s kept, %d left out: %s", text.Count(int64(v.Kept), "row"), v.Left, out)
	}
	return out
}

// Stored are the values of a row as they would be stored, look by look.
func (rehearsedView) Stored(r browse.RowSeen) string { return strings.Join(r.Values, " → ") }

// Mends is what a caution sets in the form, as htmx reads it.
func (v rehearsedView) Mends(c own.Caution) string {
	set := maps.Clone(c.Mend)
	set["show"] = "form"
	out, _ := json.Marshal(set) // texts alone
	return string(out)
}

// Seen are the rows that are told one by one.
func (v rehearsedView) Seen() []browse.RowSeen { return v.Rehearsal.Rows }

// stepsChanged is told when the steps of the form are others.
const stepsChanged = "owl:steps"

func (s Screen) rehearse(w http.ResponseWriter, r *http.Request) error {
	v, d, err := s.drafted(r)
	if err != nil {
		return err
	}
	if v.Typed.Show == "steps" { // as one of them was moved, made or taken away: the rest may be typed on meanwhile
		w.Header().Set("HX-Trigger-After-Settle", stepsChanged)
		return s.Render.Fragment(w, http.StatusOK, "pick", "steps", v)
	}
	if v.Typed.Show == "form" { // as a caution mended it
		return s.Render.Fragment(w, http.StatusOK, "pick", "pick-form", v)
	}
	errs := maps.Clone(v.Errors)
	out := rehearsedView{ID: v.ID, Rows: v.Table != ""}
	out.Of, out.Chosen = v.Typed.steps, v.Typed.Sample
	if len(errs) == 0 {
		out.Rehearsal, err = s.Browse.Rehearse(r.Context(), middleware.Who(r.Context()), v.ID, d, v.Typed.Sample, v.Typed.Afresh != "")
	}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	if m, ok := d.Misstep(); ok {
		out.Misstep = &m
	}
	if len(errs) > 0 {
		out.Problem = "Nothing was asked: " + firstOf(errs)
	}
	return s.Render.Fragment(w, http.StatusOK, "pick", "rehearsed", out)
}

// firstOf is one of several problems, always the same.
func firstOf(errs domain.FieldErrors) string {
	for _, name := range []string{"name", "treat", "steps", "unit", "every", "heartbeat", "row", "same", "tags", "attributes", "where"} {
		if errs[name] != "" {
			return errs[name]
		}
	}
	for _, problem := range errs {
		return problem
	}
	return ""
}
