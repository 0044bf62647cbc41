package judge

import (
	"net/http"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

type timelineView struct {
	Show    string
	Rows    []ui.Change
	Q, To   string
	States  []domain.Health
	Devices bool
	ui.Paging
}

// Bar narrows the list.
func (v timelineView) Bar() ui.FilterBar {
	return ui.FilterBar{
		Path: changesPath, Target: "changes", Search: v.Q,
		Placeholder: "Device or reason", Label: "Filter changes",
		Choices: []ui.FilterChoice{
			{Name: "to", Label: "Changed to", Any: "to any state", Value: v.To, Options: ui.Options(v.States)},
		},
		Flags: []ui.FilterFlag{{Name: "devices", Label: "devices only", Set: v.Devices}},
	}
}

func (s Screen) transitions(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	v := timelineView{Show: "timeline", Q: q.Get("q"), To: q.Get("to"), States: domain.AllHealth(), Devices: q.Get("devices") != ""}
	found, err := s.Watch.Transitions(
		r.Context(),
		middleware.Who(r.Context()),
		domain.TransitionFilter{
			Search:  v.Q,
			To:      domain.Health(v.To),
			Devices: v.Devices,
			Limit:   pageSize + 1,
			Offset:  ui.PageNumber(q) * pageSize,
		},
	)
	if err != nil {
		return err
	}
	rows, paging := ui.CutPage(changesPath, q, pageSize, found.Rows)
	v.Rows, v.Paging = ui.Changes(rows, found.Names), paging
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "judge", "changes", v)
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: "Changes of health", Area: domain.AreaJudge, Tab: changesPath, Body: v})
}
