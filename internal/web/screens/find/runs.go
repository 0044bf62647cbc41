package find

import (
	"fmt"
	"net/http"
	"strings"

	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// runsView is what the runs of a sweep came to.
type runsView struct{ Runs []runView }

type runView struct{ find.Run }

// Ended is how long ago it ended.
func (v runView) Ended() string { return ui.Ago(v.EndedAt) + " ago" }

// Took is how long it ran.
func (v runView) Took() string { return units.Format(v.EndedAt.Sub(v.StartedAt).Seconds(), "s") }

// Sum counts what changed since the run before.
func (v runView) Sum() string {
	if v.First {
		return "the first: all of it is new"
	}
	var parts []string
	for _, kind := range []identity.ChangeKind{identity.Vanished, identity.Appeared, identity.Returned, identity.Altered} {
		if n := v.Count(kind); n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", text.Thousands(int64(n)), kind))
		}
	}
	if len(parts) == 0 {
		return "nothing"
	}
	return strings.Join(parts, ", ")
}

// mostLines is how many changes are told one by one.
const mostLines = 200

// Lines tell the changes one by one; none of the first run.
func (v runView) Lines() (out []string) {
	if v.First {
		return nil
	}
	for _, c := range v.Changes {
		if len(out) == mostLines {
			return append(out, fmt.Sprintf("and %s more", text.Thousands(int64(len(v.Changes)-mostLines))))
		}
		out = append(out, lineOf(c))
	}
	return out
}

func lineOf(c identity.Change) string {
	line := fmt.Sprintf("%s: %s", c.Kind, c.Address)
	if c.Name != "" {
		line += " (" + c.Name + ")"
	}
	var what []string
	for _, d := range c.What {
		what = append(what, fmt.Sprintf("%s “%s” → “%s”", d.Property, text.Brief(d.From, 80), text.Brief(d.To, 80)))
	}
	if len(what) > 0 {
		line += ": " + strings.Join(what, ", ")
	}
	return line
}

func (s Screen) runs(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	all, err := s.Find.Runs(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	var v runsView
	for _, x := range all {
		v.Runs = append(v.Runs, runView{x})
	}
	return s.Render.Fragment(w, http.StatusOK, "find", "runs", v)
}
