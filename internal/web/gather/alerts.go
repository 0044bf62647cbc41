package gather

import (
	"fmt"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/web/ui"
)

// Alerts are what becomes of alerts by changes: of each rule that is otherwise, and those that would end.
func Alerts(p changes.Preview) (out []ui.AlertThen) {
	for _, a := range p.Alerts {
		out = append(out, ui.AlertThen{Name: a.Rule.Name, On: on(a), How: a.How, Now: a.Now, Then: a.Then})
	}
	for _, title := range p.Ends {
		out = append(out, ui.AlertThen{Name: title, On: "what it is about would not be collected any more", How: "ends", Now: 1})
	}
	return out
}

// on says what a rule would be on, or why nothing can be told.
func on(a changes.Alerting) string {
	switch {
	case a.How == "gone" || !a.Rule.Enabled:
		return "it judges nothing any more"
	case a.Series == 0:
		return "nothing that it judges has values yet"
	case a.Then == 0:
		return "tried on " + text.Count(int64(a.Series), "series", "series")
	}
	says := text.Some(a.Names, len(a.Names))
	if rest := a.Then - len(a.Names); rest > 0 && len(a.Names) > 0 {
		says += fmt.Sprintf(" and %d more", rest)
	}
	return says
}
