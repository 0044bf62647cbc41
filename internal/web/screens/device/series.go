package device

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/store"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// seriesView is the page of one series.
type seriesView struct {
	Series  domain.Series
	Device  domain.Device
	Part    string
	Span    Span
	Spans   []Span
	Chart   ui.Chart
	Changes []domain.Transition
	Formats []exchange.Format
	// Standing is shown in the place of the chart for states and texts.
	Standing *standingView
	// Implausible are values that cannot be; nil where there are none.
	Implausible *domain.Implausible
}

func (s Screen) series(w http.ResponseWriter, r *http.Request) error {
	id, err := ID(r)
	if err != nil {
		return err
	}
	x, err := s.Store.Series.One(r.Context(), id)
	if err != nil {
		return err
	}
	v := seriesView{Series: x, Span: spanOf(r.URL.Query().Get("span")), Spans: Spans, Formats: exchange.Formats}
	if v.Device, err = s.Store.Devices.One(r.Context(), x.DeviceID); err != nil {
		return err
	}
	if v.Changes, err = s.Store.Transitions.Find(r.Context(), store.TransitionFilter{SeriesID: id, Limit: 30}); err != nil {
		return err
	}
	if v.Part, err = s.Store.Parts.Name(r.Context(), x.PartID); err != nil {
		return err
	}
	apart, err := s.Watch.Implausible(r.Context(), []domain.ID{id})
	if err != nil {
		return err
	}
	if a, ok := apart[id]; ok {
		v.Implausible = &a
	}
	if x.Kind.Stands() {
		if v.Standing, err = s.standing(r, x, v.Span); err != nil {
			return err
		}
	}
	v.Chart = ui.Chart{Title: x.Name, Sub: strings.TrimSpace(v.Part + " " + v.Device.Name), Tall: true, Live: v.Span.Length <= 24*time.Hour, URL: fmt.Sprintf("/chart?span=%s&series=%d", v.Span.Name, id)}
	return s.Render.Page(w, r, "series", render.Frame{Title: x.Name + of(v.Part) + " of " + v.Device.Name, Area: "watch", Body: v})
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
	id, err := ID(r)
	if err != nil {
		return err
	}
	f, err := exchange.ParseFormat(r.URL.Query().Get("format"))
	if err != nil {
		return fmt.Errorf("%w: %w", domain.ErrNotFound, err)
	}
	x, err := s.Store.Series.One(r.Context(), id)
	if err != nil {
		return err
	}
	out, err := exchange.NewWriter(f, w)
	if err != nil {
		return err
	}
	now := time.Now().UTC()
	w.Header().Set("Content-Type", f.MediaType())
	w.Header().Set("Content-Disposition", fmt.Sprintf(`attachment; filename="%s-%d-%s%s"`, x.Reading, x.ID, now.Format("20060102T1504"), f.Extension()))
	_, err = s.Transfer.Export(r.Context(), transfer.Selection{SeriesID: id, From: now.Add(-spanOf(r.URL.Query().Get("span")).Length), To: now}, out)
	return err
}
