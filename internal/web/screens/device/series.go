package device

import (
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// seriesView is the page of one series.
type seriesView struct {
	watch.SeriesPage
	Span    Span
	Spans   []Span
	Chart   ui.Chart
	Formats []exchange.Format
	// Standing is shown in the place of the chart for states and texts.
	Standing *standingView
	// Judgeable tells whether rules can be made on it here, SeesRules whether those on it are seen.
	Judgeable, SeesRules bool
}

// Text tells whether its values are texts.
func (v seriesView) Text() bool { return v.Series.Kind == domain.KindText }

// RuleURL is where a rule on it is made.
func (v seriesView) RuleURL() string {
	x := v.Series
	return "/judge/rules/new?" + url.Values{"kit": {x.Kit}, "reading": {x.Reading}, "device": {fmt.Sprint(x.DeviceID)}}.Encode()
}

func (s Screen) series(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	shown, err := s.Watch.SeriesPage(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	x, who := shown.Series, middleware.Who(r.Context())
	v := seriesView{SeriesPage: shown, Span: spanOf(r.URL.Query().Get("span")), Spans: Spans, Formats: exchange.Formats}
	v.SeesRules = who.May(domain.AreaJudge, domain.AccessSee, shown.Device.Spot())
	v.Judgeable = !v.Text() && who.May(domain.AreaJudge, domain.AccessConfigure, shown.Device.Spot())
	if x.Kind.Stands() {
		if v.Standing, err = s.standing(r, x, v.Span); err != nil {
			return err
		}
	}
	v.Chart = ui.Chart{
		Title: x.Name,
		Sub:   strings.TrimSpace(v.Part + " " + v.Device.Name),
		Tall:  true,
		Live:  v.Span.Length <= 24*time.Hour,
		URL:   fmt.Sprintf("/chart?span=%s&series=%d", v.Span.Name, id),
	}
	return s.Render.Page(w, r, "series", render.Frame{Title: x.Name + of(v.Part) + " of " + v.Device.Name, Area: domain.AreaWatch, Body: v})
}

// of joins the name of a part to what belongs to it.
func of(part string) string {
	if part == "" {
		return ""
	}
	return " of " + part
}

// samples sends every stored value of a series in the time shown.
func (s Screen) samples(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	f, err := exchange.ParseFormat(r.URL.Query().Get("format"))
	if err != nil {
		return domain.FieldErrors{"format": err.Error()}
	}
	x, err := s.Watch.Series(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	out, err := exchange.NewWriter(f, w)
	if err != nil {
		return err
	}
	now := time.Now().UTC()
	w.Header().Set("Content-Type", f.MediaType())
	w.Header().
		Set("Content-Disposition",
			fmt.Sprintf(`attachment; filename="%s-%d-%s%s"`, x.Reading, x.ID, now.Format("20060102T1504"), f.Extension()))
	_, err = s.Transfer.Export(
		r.Context(),
		middleware.Who(r.Context()),
		transfer.Selection{SeriesID: id, From: now.Add(-spanOf(r.URL.Query().Get("span")).Length), To: now},
		out,
	)
	return err
}
