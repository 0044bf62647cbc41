package device

import (
	"fmt"
	"net/url"
	"strings"
	"time"

	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/ui"
)

// partsView is the parts of one kind as a table, a page at a time.
type partsView struct {
	watch.Kind
	View   view
	Search string
	ui.Paging
}

// Table makes the table of a kind of parts.
func (v view) Table(k watch.Kind) partsView {
	t := partsView{Kind: k, View: v}
	path, page := fmt.Sprintf("/devices/%d", v.Device.ID), 0
	q := url.Values{"kind": {k.Parts.Kind}, "span": {v.Span.Name}}
	if v.Look.Kind == k.Parts.Kind {
		t.Search, page = v.Look.Search, v.Look.Page
	}
	if t.Search != "" {
		q.Set("q", t.Search)
	}
	if t.Past() {
		q.Set("gone", "yes")
	}
	t.Paging = ui.NewPaging(path, q, page, watch.PartsPage, len(k.Rows), k.Matching)
	return t
}

// AllSaid says how many parts of the kind there are, or are gone.
func (t partsView) AllSaid() string {
	all := text.Thousands(t.Kind.Total)
	if t.Past() {
		return all + " gone"
	}
	return all
}

// Past tells whether it shows the parts of which the device no longer tells.
func (t partsView) Past() bool { return t.View.Look.Gone && t.View.Look.Kind == t.Parts.Kind }

// Other leads to those that are gone, or back to those that are there.
func (t partsView) Other() string {
	q := url.Values{"kind": {t.Parts.Kind}, "span": {t.View.Span.Name}}
	if !t.Past() {
		q.Set("gone", "yes")
	}
	return fmt.Sprintf("/devices/%d?%s#parts-%s", t.View.Device.ID, q.Encode(), t.Parts.Kind)
}

// OtherSaid says where that leads.
func (t partsView) OtherSaid() string {
	if t.Past() {
		return "Back to those that are there"
	}
	return text.Count(t.Kind.Gone, "more is gone", "more are gone")
}

// Left says since when a part is gone, and until when it is kept.
func (t partsView) Left(p domain.Part) string {
	now := time.Now()
	out := "gone for " + units.Span(now.Sub(p.GoneAt))
	if until := p.GoneAt.Add(t.Kind.Keep); until.After(now) {
		return out + ", kept for " + units.Span(until.Sub(now)) + " more"
	}
	return out + ", kept with its alerts"
}

// Many tells whether there are more parts than a page holds, so that they can
// be searched.
func (t partsView) Many() bool { return t.Kind.Total > watch.PartsPage || t.Search != "" }

// Cell makes a value ready to be shown.
func (t partsView) Cell(x watch.Value) ui.Cell { return t.View.Cell(x) }

// URL is where the table is by itself.
func (t partsView) URL() string {
	q := url.Values{"show": {"kind"}, "kind": {t.Parts.Kind}, "span": {t.View.Span.Name}}
	return fmt.Sprintf("/devices/%d/values?%s", t.View.Device.ID, q.Encode())
}

// partCell is one value of a part.
type partCell struct {
	watch.Value
	Cell  ui.Cell
	Fails bool
	Title string
}

// At is the value of a reading in a row.
func (t partsView) At(row watch.PartValues, key string) partCell {
	x := row.Values[key]
	c := partCell{Value: x, Cell: t.View.Cell(x), Fails: x.Series.State == domain.SeriesFailing}
	if c.Fails {
		c.Title = "fails: " + x.Series.Error
		return c
	}
	parts := []string{c.Cell.Age + " old"}
	if c.Cell.Change != "" {
		parts = append(parts, c.Cell.Change)
	}
	if c.Cell.Stood != "" {
		parts = append(parts, "for "+c.Cell.Stood)
	}
	c.Title = strings.Join(parts, ", ")
	return c
}
