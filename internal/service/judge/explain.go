package judge

import (
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// maxWorst is how many noisy series a rehearsal lists.
const maxWorst = 10

// finish orders the noisy series and writes the explanation.
func (out *Rehearsal) finish(r rule.Rule) {
	slices.SortStableFunc(out.Worst, func(a, b Noisy) int { return b.Alerts - a.Alerts })
	out.Worst = out.Worst[:min(len(out.Worst), maxWorst)]
	out.Why = why.Trace{
		Question: "What would this rule have raised?",
		Answer:   fmt.Sprintf("%s in %s", text.Count(int64(out.Alerts), "alert"), units.Span(out.To.Sub(out.From))),
	}
	out.Why.Because(r.Words(), "tried on every stored value", why.To("rule", r.ID))
	for l := domain.LevelCritical; l > domain.LevelNone; l-- {
		if n := out.ByLevel[l]; n > 0 {
			out.Why.Because(fmt.Sprintf("%d reached %s", n, l), "", nil)
		}
	}
	for _, n := range out.Worst {
		out.Why.Because(
			fmt.Sprintf("%s: %d, up to %s", strings.TrimSpace(n.Device+" "+n.Part), n.Alerts, r.Write(n.Peak)),
			"",
			why.To("series", n.Series.ID),
		)
	}
}
