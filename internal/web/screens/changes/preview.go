package changes

import (
	"fmt"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/core/change"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/web/gather"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

// previewView is what a set would do.
type previewView struct {
	changes.Preview
	Set  setView
	Told []toldView
}

// Said is the sum as a sentence.
func (v previewView) Said() string {
	if v.Wrong > 0 {
		return text.Count(int64(v.Wrong), "change") + " cannot be done as it is; this is told without it."
	}
	return text.UpperFirst(v.Why.Answer) + ": " + seriesSaid(v.Gained, v.Lost, v.Changed) + "."
}

// RequestsSaid and BytesSaid are what the devices cost before and after.
func (v previewView) RequestsSaid() string {
	return fmt.Sprintf("%.1f → %.1f", v.Before.RequestsPerMinute, v.After.RequestsPerMinute)
}

// BytesSaid is the storage before and after.
func (v previewView) BytesSaid() string {
	return units.Format(v.Before.BytesPerMonth, "B") + " → " + units.Format(v.After.BytesPerMonth, "B")
}

// mostShown is how many devices and readings a preview lists.
const mostShown = 200

// Shown are the devices of which something changes.
func (v previewView) Shown() (out []deviceView) {
	for _, d := range v.Devices[:min(len(v.Devices), mostShown)] {
		x := deviceView{ID: d.Device.ID, Name: d.Device.Name, Series: seriesSaid(d.Gained, d.Lost, d.Changed)}
		for _, k := range d.Gains {
			x.Gains = append(x.Gains, k.Kit)
		}
		for _, k := range d.Loses {
			x.Loses = append(x.Loses, k.Kit)
		}
		out = append(out, x)
	}
	return out
}

// More says how many devices are not listed; empty for none.
func (v previewView) More() string {
	if n := len(v.Devices) - mostShown; n > 0 {
		return "and " + text.Count(int64(n), "device") + " more"
	}
	return ""
}

type deviceView struct {
	ID           domain.ID
	Name         string
	Gains, Loses []string
	Series       string
}

// ReadingRows are the readings that change, those of one kit together that change alike; what comes and goes first.
func (v previewView) ReadingRows() (out []readingView) {
	for _, x := range v.Readings {
		if !x.Touched() {
			continue
		}
		says := strings.Join(x.Says, "; ")
		i := slices.IndexFunc(out, func(r readingView) bool {
			return r.Kit == x.Kit && r.says == says && r.devices == x.Devices && kind(r.Series) == kind(x.Series)
		})
		if i < 0 {
			out = append(out, readingView{Kit: x.Kit, Says: x.Says, says: says, devices: x.Devices})
			i = len(out) - 1
		}
		r := &out[i]
		r.names = append(r.names, x.Name)
		r.Gained, r.Lost, r.Changed = r.Gained+x.Gained, r.Lost+x.Lost, r.Changed+x.Changed
	}
	slices.SortStableFunc(out, func(a, b readingView) int { return kind(a.Series) - kind(b.Series) })
	return out[:min(len(out), mostShown)]
}

// kind tells apart what comes and goes from what only changes.
func kind(s change.Series) int {
	switch {
	case s.Lost > 0:
		return 0
	case s.Gained > 0:
		return 1
	}
	return 2
}

type readingView struct {
	Kit string
	change.Series
	Says    []string
	says    string
	devices int
	names   []string
}

// Names are the readings.
func (v readingView) Names() string { return text.Some(v.names, mostNames) }

// mostNames is how many readings are named in one row.
const mostNames = 5

// Devices counts the devices.
func (v readingView) Devices() string { return text.Count(int64(v.devices), "device") }

// Sum counts the series.
func (v readingView) Sum() string { return seriesSaid(v.Gained, v.Lost, v.Changed) }

// AlertRows are the rules that are otherwise, and the alerts that would end.
func (v previewView) AlertRows() []ui.AlertThen { return gather.Alerts(v.Preview) }

func (s Screen) preview(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	who := middleware.Who(r.Context())
	c, err := s.Changes.One(r.Context(), who, id)
	if err != nil {
		return err
	}
	p, err := s.Changes.Rehearse(r.Context(), who, id)
	if err != nil {
		return err
	}
	v := previewView{Preview: p, Set: s.view(r, c), Told: toldViews(c, p.Told, mine(c, who))}
	return s.Render.Fragment(w, http.StatusOK, "changes", "changes-preview", v)
}
