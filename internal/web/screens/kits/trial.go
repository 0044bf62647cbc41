package kits

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/draft"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/ui"
)

// trialView is what a draft would collect from a device.
type trialView struct {
	browse.TriedOn
	Wrong []string
	// Open is the reading that is open in the form.
	Open string
}

// Sources are the fetches.
func (v trialView) Sources() (out []triedSource) {
	for _, s := range v.TriedOn.Sources {
		out = append(out, triedSource{s})
	}
	return out
}

// CostSaid is what the kit would cost on the device, and what the one in force does.
func (v trialView) CostSaid() string {
	said := func(c kit.Cost) string {
		return fmt.Sprintf("%s, %.1f requests a minute and %s a month", text.Count(int64(c.Series), "series", "series"),
			c.RequestsPerMinute, units.Format(c.BytesPerMonth, "B"))
	}
	out := fmt.Sprintf("On %s it would be %s", v.Device, said(v.Cost))
	if v.Before.Series > 0 && v.Before != v.Cost {
		out += "; now it is " + said(v.Before)
	}
	return out + "."
}

// triedRule is what a rule would say.
type triedRule struct{ browse.TriedRule }

// Rules are what the rules would say, the worst first.
func (v trialView) Rules() (out []triedRule) {
	for _, r := range v.Judged {
		out = append(out, triedRule{r})
	}
	slices.SortStableFunc(out, func(a, b triedRule) int { return int(b.Level) - int(a.Level) })
	return out
}

// Health is as which it is shown.
func (r triedRule) Health() domain.Health { return domain.HealthOf(r.Level) }

type triedSource struct{ browse.TriedSource }

// Said is how asking went.
func (v triedSource) Said() string {
	return fmt.Sprintf("%s, %s in %s", v.Way, text.Count(int64(v.Rows), "row"), units.Format(v.Took.Seconds(), "s"))
}

// Seen are its readings.
func (v triedSource) Seen() (out []triedReading) {
	for _, r := range v.Readings {
		out = append(out, triedReading{r})
	}
	return out
}

type triedReading struct{ browse.TriedReading }

// Way is the way from the raw value through all steps.
func (v triedReading) Way() string {
	if len(v.Steps) == 0 {
		return ""
	}
	out := []string{v.Raw}
	for _, s := range v.Steps {
		if s.Problem != "" {
			return strings.Join(out, " → ")
		}
		out = append(out, s.Value)
	}
	return strings.Join(out, " → ")
}

// Count is of how many rows there is a value; empty for one alone.
func (v triedReading) Count() string {
	if v.Stored+v.Failed < 2 {
		return ""
	}
	return fmt.Sprintf("%d of %d", v.Stored, v.Stored+v.Failed)
}

func (s Screen) try(w http.ResponseWriter, r *http.Request) error {
	v := trialView{}
	in, _, err := s.typedIn(r) // what is wrong with a field is told where the draft is rehearsed
	if err != nil {
		return err
	}
	device, _ := strconv.ParseInt(in.Device, 10, 64) // 0 is not found
	if d, err := s.book().Read(in.Document); err == nil && strings.HasPrefix(in.Place, "readings.") {
		v.Open = d.Name(draft.PlaceOf(in.Place))
	}
	v.TriedOn, err = s.Browse.TryOn(r.Context(), middleware.Who(r.Context()), device, in.Document, in.Source)
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	for _, field := range sortedKeys(errs) {
		v.Wrong = append(v.Wrong, strings.Split(errs[field], "\n")...)
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "kit-trial", v)
}

// mostOffered is how many devices are offered to try a kit on.
const mostOffered = 500

// offered are the devices to try a kit on, those first that it is fitted to.
func (s Screen) offered(r *http.Request, name string) (out []ui.Option, err error) {
	who := middleware.Who(r.Context())
	if who.Scope(area, domain.AccessOperate).None() {
		return nil, nil
	}
	devices, err := s.Fitting.Devices(r.Context(), who)
	if err != nil {
		return nil, err
	}
	fitted := map[domain.ID]bool{}
	if seats, err := s.Fitting.Seats(r.Context(), who, name); err == nil { // a new kit is nowhere
		for _, x := range seats {
			fitted[x.Device.ID] = !x.Off
		}
	}
	slices.SortStableFunc(devices, func(a, b domain.Device) int { return first(fitted[b.ID]) - first(fitted[a.ID]) })
	for _, d := range devices {
		if len(out) < mostOffered && who.May(area, domain.AccessOperate, d.Spot()) {
			out = append(out, ui.Option{Value: strconv.FormatInt(d.ID, 10), Title: d.Name})
		}
	}
	return out, nil
}

func first(is bool) int {
	if is {
		return 1
	}
	return 0
}
