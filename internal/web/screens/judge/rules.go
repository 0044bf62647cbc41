package judge

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/rule"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

const pageSize = 100

// noisy is the time over which it is counted how much a rule was heard of.
const noisy = 7

type rulesView struct {
	Show string
	Any  bool
	May  bool
	Bar  ui.FilterBar
	ui.Filled[rowView]
}

// rowView is a rule in the list.
type rowView struct {
	rule.Rule
	judge.About
	Noise judge.Noise
}

// For says which devices it is for.
func (v rowView) For() string { return cmp.Or(v.Device, "all devices") }

// Alerts is how many it raised.
func (v rowView) Alerts() int { return v.Noise.Alerts }

func (s Screen) rules(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	rows, err := s.rows(r)
	if err != nil {
		return err
	}
	v := rulesView{
		Show: "rules",
		Any:  len(rows) > 0,
		May:  !who.Scope(area, domain.AccessConfigure).None(),
		Bar: ui.FilterBar{Path: rulesPath, Target: "rule-table", Search: q.Get("q"), Sort: q.Get("sort"),
			Placeholder: "Rule, reading, device or tag", Label: "Filter rules",
			Choices: []ui.FilterChoice{{Name: "which", Label: "Which rules", Any: "all rules", Value: q.Get("which"), Options: which}}},
	}
	rows = slices.DeleteFunc(rows, func(x rowView) bool { return !x.is(q.Get("which")) })
	v.Filled = ui.Fill(rulesPath, q, pageSize, rows, rowView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "judge", "rule-table", v)
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: "Judge", Area: area, Tab: rulesPath, Body: v})
}

func (s Screen) rows(r *http.Request) ([]rowView, error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	rules, err := s.Judge.Rules(ctx, who)
	if err != nil {
		return nil, err
	}
	noise, err := s.Judge.Noise(ctx, who, time.Now().UTC().AddDate(0, 0, -noisy))
	if err != nil {
		return nil, err
	}
	about, err := s.Judge.About(ctx, who, rules...)
	if err != nil {
		return nil, err
	}
	rows := make([]rowView, len(rules))
	for i, x := range rules {
		rows[i] = rowView{x, about[i], noise[x.ID]}
	}
	return rows, nil
}

// which are the rules that the list may be narrowed to.
var which = []ui.Option{
	{Value: "made", Title: "made here"},
	{Value: "kit", Title: "brought by kits"},
	{Value: "heard", Title: "heard of in 7 d"},
	{Value: "off", Title: "switched off"},
}

// says is what is searched in.
func (v rowView) says() string {
	return strings.Join(append([]string{v.Name, v.Reading(), v.For(), v.Kit}, v.Tags...), " ")
}

// is tells whether the rule is one of those.
func (v rowView) is(which string) bool {
	switch which {
	case "made":
		return v.Key == ""
	case "kit":
		return v.Key != ""
	case "heard":
		return v.Noise.Alerts > 0
	case "off":
		return !v.Enabled
	}
	return true
}

// Reading is what it judges, in words.
func (v rowView) Reading() string { return v.About.Reading }

var columns = ui.Columns[rowView]{
	"":        ui.ByText(rowView.Reading),
	"name":    ui.ByText(func(v rowView) string { return v.Name }),
	"for":     ui.ByText(rowView.For),
	"alerts":  ui.ByNumber(rowView.Alerts),
	"longest": ui.ByNumber(func(v rowView) time.Duration { return v.Noise.Longest() }),
}

// choosingView is all readings of which one is to be judged by a new rule.
type choosingView struct {
	Show string
	Rows []judge.Judgeable
	Bar  ui.FilterBar
	ui.Paging
}

// URL is where a rule on a reading is made.
func (choosingView) URL(x judge.Judgeable) string { return newURL(x.Kit, x.Key, 0, "") }

func newURL(kit, key string, device domain.ID, kind string) string {
	q := url.Values{"kit": {kit}, "reading": {key}}
	if device != 0 {
		q.Set("device", fmt.Sprint(device))
	}
	if kind != "" {
		q.Set("kind", kind)
	}
	return newPath + "?" + q.Encode()
}

// choose shows what a rule may be made on.
func (s Screen) choose(w http.ResponseWriter, r *http.Request) error {
	q := r.URL.Query()
	all, err := s.Judge.Judgeable(r.Context(), middleware.Who(r.Context()), q.Get("q"))
	if err != nil {
		return err
	}
	v := choosingView{Show: "choose", Bar: ui.FilterBar{Path: newPath, Target: "choices", Search: q.Get("q"),
		Placeholder: "Reading, kit or unit", Label: "Filter readings"}}
	v.Rows, v.Paging = ui.SlicePage(newPath, q, pageSize, all)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "judge", "choices", v)
	}
	return s.Render.Page(w, r, "judge", render.Frame{Title: "New rule", Area: area, Body: v})
}
