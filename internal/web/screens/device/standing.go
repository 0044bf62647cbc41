package device

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"time"

	"tirelessowl/internal/core/runs"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// standingView is which values of states or texts stood when.
type standingView struct {
	watch.Standing
	Bands  []ui.Band
	Label  string
	Axis   []time.Time
	Shares []shareView
	Only   string // the word of the share that is shown alone
	AllURL string
	Rows   []standView
	ui.Paging
}

// shareView is how long one value stood in all.
type shareView struct {
	runs.Share
	Word    string
	Shade   int
	Percent string
	Time    string
	URL     string
	Chosen  bool
}

// standView is one time in which a value stood.
type standView struct {
	runs.Span
	Word  string
	Shade int
	Long  string
	Now   bool // it stands still
}

const (
	standsPage = 100
	axisMarks  = 5
)

func (s Screen) standing(r *http.Request, x domain.Series, span Span) (*standingView, error) {
	now := time.Now().UTC()
	past, err := s.Watch.Standing(r.Context(), middleware.Who(r.Context()), x.ID, span.Length, now)
	if err != nil {
		return nil, err
	}
	path, q := fmt.Sprintf("/series/%d", x.ID), r.URL.Query()
	v := &standingView{Standing: past, Only: q.Get("only"), AllURL: onlyURL(path, span, "", true)}
	for i := range axisMarks {
		v.Axis = append(v.Axis, past.From.Add(span.Length*time.Duration(i)/(axisMarks-1)))
	}
	shades := map[string]int{}
	for i, share := range past.View.Shares {
		word := ui.Word(share.Text, share.Value, x.Kind)
		shades[word] = i
		v.Shares = append(
			v.Shares,
			shareView{
				Share:   share,
				Word:    word,
				Shade:   min(i, ui.Shades-1),
				Percent: units.Format(share.Part*100, "%"),
				Time:    units.Span(share.Time),
				Chosen:  word == v.Only,
				URL:     onlyURL(path, span, word, word == v.Only),
			},
		)
	}
	var rows []standView
	for i, sp := range past.Spans {
		word := ui.Word(sp.Run.Text, sp.Run.Value, x.Kind)
		row := standView{
			Span:  sp,
			Word:  word,
			Shade: min(shades[word], ui.Shades-1),
			Long:  units.Span(sp.Length()),
			Now:   i == len(past.Spans)-1 && sp.To.Equal(past.To),
		}
		v.Bands = append(v.Bands, ui.Band{From: v.place(sp.From), To: v.place(sp.To), Shade: row.Shade, Title: word + ", " + row.Long})
		if v.Only == "" || v.Only == word {
			rows = append(rows, row)
		}
	}
	slices.Reverse(rows)
	v.Label = v.spoken()
	v.Rows, v.Paging = ui.SlicePage(path, q, standsPage, rows)
	return v, nil
}

// onlyURL shows one value alone, or all again.
func onlyURL(path string, span Span, word string, chosen bool) string {
	q := url.Values{"span": {span.Name}}
	if !chosen {
		q.Set("only", word)
	}
	return path + "?" + q.Encode()
}

// place is where in the view a time lies, from 0 to 1.
func (v *standingView) place(t time.Time) float64 {
	return float64(t.Sub(v.Standing.From)) / float64(v.Standing.To.Sub(v.Standing.From))
}

// spoken reads the strip in words.
func (v *standingView) spoken() string {
	if len(v.Shares) == 0 {
		return "no value in this time"
	}
	return strconv.Itoa(len(v.Spans)) + " times in which a value stood; mostly " + cmp.Or(v.Shares[0].Word, "(empty)")
}
