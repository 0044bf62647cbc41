package incident

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// stripView is which state or text stood when, around an incident: what is no number is not drawn as one.
type stripView struct {
	Title    string
	From, To time.Time
	Bands    []ui.Band
	Legend   []legendView
}

type legendView struct {
	Word  string
	Shade int
	Time  string
}

// Label reads the strip in words.
func (v stripView) Label() string {
	var out []string
	for _, x := range v.Legend {
		out = append(out, x.Word+" for "+x.Time)
	}
	return strings.Join(out, ", ")
}

// strip is the past of a series of states or texts, from a time until now.
func (s Screen) strip(r *http.Request, x domain.Series, from time.Time) (v stripView, err error) {
	now := time.Now().UTC()
	past, err := s.Watch.Standing(r.Context(), middleware.Who(r.Context()), x.ID, now.Sub(from), now)
	if err != nil {
		return v, err
	}
	v = stripView{Title: x.Name, From: past.From, To: past.To}
	shades := map[string]int{}
	for i, share := range past.Shares {
		word := ui.Word(share.Text, share.Value, x.Kind)
		shades[word] = min(i, ui.Shades-1)
		v.Legend = append(v.Legend, legendView{word, shades[word], units.Span(share.Time)})
	}
	place := func(t time.Time) float64 { return float64(t.Sub(past.From)) / float64(past.To.Sub(past.From)) }
	for _, sp := range past.Spans {
		word := ui.Word(sp.Run.Text, sp.Run.Value, x.Kind)
		title := fmt.Sprintf("%s, %s", word, units.Span(sp.Length()))
		v.Bands = append(v.Bands, ui.Band{From: place(sp.From), To: place(sp.To), Shade: shades[word], Title: title})
	}
	return v, nil
}
