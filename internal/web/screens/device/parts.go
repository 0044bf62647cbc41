package device

import (
	"fmt"
	"net/url"
	"strings"

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
	t.Paging = ui.NewPaging(path, q, page, watch.PartsPage, len(k.Rows), k.Matching)
	return t
}

// All is how many parts of the kind there are.
func (t partsView) All() int64 { return t.Kind.Total }

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
