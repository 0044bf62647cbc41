package fitting

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// trialView is what a rule would do over the whole estate.
type trialView struct {
	fitting.Trial
	Rows []answerView // of the answers that are asked for
	// Left is how many further ones there are.
	Left                int
	Which, Search       string
	WrongWhen, WrongKit string
	Blank               bool // nothing is typed yet
}

// answerView is what a rule says of a device, and what would change there.
type answerView struct {
	fitting.Answer
	Gains, Loses []string
}

// Said is yes, no, or that it could not be decided.
func (v answerView) Said() string {
	switch {
	case v.Wrong:
		return "undecided"
	case v.Holds:
		return "yes"
	}
	return "no"
}

// mostRows is how many answers are shown at once.
const mostRows = 100

// Sum says for how many it holds.
func (v trialView) Sum() string {
	out := fmt.Sprintf("It holds for %s of %s.", text.Thousands(int64(v.Holds)), text.Count(int64(len(v.Answers)), "device"))
	if v.Trial.Wrong > 0 {
		out += fmt.Sprintf(" For %s it cannot be decided: there it does not hold.", text.Count(int64(v.Trial.Wrong), "device"))
	}
	return out
}

// Cost says what would be gained and lost.
func (v trialView) Cost() string {
	if len(v.Effects) == 0 {
		return ""
	}
	return fmt.Sprintf("About %s would be gained, %s lost; %+.0f requests a minute.",
		text.Count(int64(v.Gained.Series), "series", "series"), text.Count(int64(v.Lost.Series), "series", "series"),
		v.Gained.RequestsPerMinute-v.Lost.RequestsPerMinute)
}

// Answers are those that may be shown alone.
func (ruleView) Answers() ui.FieldView {
	options := []ui.Option{
		{Title: "all answers"}, {Value: "yes", Title: "yes"}, {Value: "no", Title: "no"},
		{Value: "undecided", Title: "undecided"}, {Value: "changes", Title: "what changes"},
	}
	return ui.Chosen("trial-", "which", "Which answers", "", options, "", "")
}

func (s Screen) try(w http.ResponseWriter, r *http.Request) error {
	rule, err := typedRule(r)
	if err != nil {
		return err
	}
	v := trialView{Which: r.PostFormValue("which"), Search: strings.TrimSpace(r.PostFormValue("search"))}
	if strings.TrimSpace(rule.When) == "" {
		v.Blank = true
		return s.Render.Fragment(w, http.StatusOK, "fitting", "trial", v)
	}
	t, err := s.Fitting.Try(r.Context(), middleware.Who(r.Context()), rule)
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	v.Trial, v.WrongWhen, v.WrongKit = t, errs["when"], errs["kits"]
	v.fill()
	return s.Render.Fragment(w, http.StatusOK, "fitting", "trial", v)
}

// fill picks the answers that are shown.
func (v *trialView) fill() {
	effects := map[domain.ID]fit.Change{}
	for _, x := range v.Effects {
		effects[x.Device.ID] = x.Change
	}
	search, answers := strings.ToLower(v.Search), slices.Clone(v.Answers)
	slices.SortStableFunc(answers, func(a, b fitting.Answer) int { return telling(b) - telling(a) })
	for _, a := range answers {
		c := effects[a.Device.ID]
		row := answerView{a, names(c.Gains), names(c.Loses)}
		fits := v.Which == "" || v.Which == row.Said() || v.Which == "changes" && c.Any()
		if !fits || !strings.Contains(strings.ToLower(a.Device.Name+" "+a.Because), search) {
			continue
		}
		if len(v.Rows) == mostRows {
			v.Left++
			continue
		}
		v.Rows = append(v.Rows, row)
	}
}

// telling is how much an answer tells: what it holds for comes first, and then what cannot be decided.
func telling(a fitting.Answer) int {
	switch {
	case a.Holds:
		return 2
	case a.Wrong:
		return 1
	}
	return 0
}

func names(all []fit.Decision) (out []string) {
	for _, d := range all {
		out = append(out, d.Kit)
	}
	slices.Sort(out)
	return out
}
