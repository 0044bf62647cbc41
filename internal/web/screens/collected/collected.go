// Package collected is the page of what a device collects: its kits with who fitted each, what it is asked and
// how that goes, and what is switched off.
package collected

import (
	"embed"
	"fmt"
	"io/fs"
	"net/http"
	"slices"
	"time"

	"tirelessowl/internal/core/fit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is the page.
type Screen struct {
	Render   *render.Renderer
	Fitting  *fitting.Service
	Settings *settings.Service
	Devices  *devices.Service
	Places   *places.Service
	Watch    *watch.Service
	// Attributes knows the tags of devices.
	Attributes *attributes.Service
}

const (
	area = domain.AreaCollect
	path = "/devices/{id}/collected"
)

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const configure = domain.AccessConfigure
	return screen.Screen{
		Templates: map[string]fs.FS{"collected": files},
		Routes: []screen.Route{
			screen.Get(path, area, s.page),
			{Method: http.MethodGet, Path: path + "/asked", Area: area, Needs: configure, Handle: s.asked},
			screen.Post(path+"/word", area, configure, s.say),
			screen.Post(path+"/word/rehearsal", area, configure, s.rehearse),
			screen.Post(path+"/now", area, domain.AccessOperate, s.now),
			{Method: http.MethodGet, Path: path + "/setting", Area: area, Needs: configure, Handle: s.form},
			screen.Post(path+"/setting", area, configure, s.set),
			screen.Post(path+"/setting/rehearsal", area, configure, s.try),
		},
	}
}

// pageView is all that a device collects.
type pageView struct {
	ID   domain.ID
	Name string
	Kits []kitView
	Off  []kitView // that are kept off
	// Without are those that rules speak of, and do not fit here.
	Without []withoutView
	Free    []ui.Option
	May     domain.Access
}

// withoutView is a kit that no rule fits here, with why.
type withoutView struct {
	Title string
	Why   why.Trace
}

// Crumbs is the way to the page.
func (v pageView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Watch", URL: "/"}, {Title: v.Name, URL: fmt.Sprintf("/devices/%d", v.ID)}, {Title: "What it collects"}}
}

// URL is the page's address.
func (v pageView) URL() string { return fmt.Sprintf("/devices/%d/collected", v.ID) }

// Rehearsing is where it is told what another kit would do.
func (v pageView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "word-rehearsal", URL: v.URL() + "/word/rehearsal", Form: "word-form", On: "change"}
}

// kitView is a kit on the device.
type kitView struct {
	fitting.Collected
	Page    string // the address of the page
	Sources []sourceView
	May     domain.Access
}

// Title is what the kit is called.
func (v kitView) Title() string { return v.As.Whole.Title }

// Version is that of the kit.
func (v kitView) Version() int { return v.As.Whole.Version }

// KitURL is the kit's own page.
func (v kitView) KitURL() string { return "/collect/kits/" + v.As.Whole.Name }

// Name is the kit's name.
func (v kitView) Name() string { return v.As.Whole.Name }

// Key is the setting that switches the whole kit.
func (v kitView) Key() domain.SettingKey {
	return domain.KitSetting{Sort: domain.KitOn, Kit: v.Name()}.Key()
}

// Origin says what put the kit there, or keeps it off.
func (v kitView) Origin() string {
	out := "fitted"
	switch {
	case v.Decision.By == domain.ByHand && !v.On:
		out = "kept off"
	case v.Decision.By == domain.ByRule:
		out = "fitted by the rule “" + v.Ruled + "”"
	case v.Decision.By == domain.ByKit:
		out = "brought along by “" + v.Decision.Inside + "”"
	}
	if v.Decision.By == domain.ByHand && v.Said.Who != "" {
		out += " by " + v.Said.Who
	}
	if !v.Said.Since.IsZero() {
		out += " since " + v.Said.Since.Format("2006-01-02")
	}
	return out
}

// Trace explains both why it is there and how it is collected.
func (v kitView) Trace() why.Trace {
	t := v.Decision.Why
	if how := v.As.Why(); len(how.Facts) > 0 {
		t.Include(how.Question, how)
	}
	return t
}

// Own tells whether it belongs to the device alone.
func (v kitView) Own() bool {
	_, is := own.DeviceOf(v.Name())
	return is
}

// sourceView is a fetch, with the readings that it feeds.
type sourceView struct {
	kit.Source
	Kit      string
	Run      watch.Source
	Asked    bool
	Readings []readingView
	// Set is what is set of it; empty for nothing.
	Set []string
}

// Key is the setting that switches the source, IntervalKey the one of its interval.
func (v sourceView) Key() domain.SettingKey {
	return domain.KitSetting{Sort: domain.SourceOn, Kit: v.Kit, Name: v.Source.Key}.Key()
}

// IntervalKey is the setting of how often it is asked.
func (v sourceView) IntervalKey() domain.SettingKey {
	return domain.KitSetting{Sort: domain.Every, Kit: v.Kit, Name: v.Source.Key}.Key()
}

// Name is what is asked, as kit/source.
func (v sourceView) Name() string { return v.Kit + "/" + v.Source.Key }

// State is how asking goes, in words.
func (v sourceView) State() string {
	switch {
	case !v.Asked:
		return "not asked"
	case v.Run.State == "":
		return "waits for its first answer"
	case v.Run.State == domain.SourceOK:
		return "answered"
	case v.Run.State == domain.SourceAbsent:
		return "the device has none"
	}
	return "fails since " + ui.Ago(v.Run.Since)
}

// Bad tells whether it fails.
func (v sourceView) Bad() bool { return v.Asked && v.Run.State == domain.SourceFailing }

// Ran says when it was asked last.
func (v sourceView) Ran() string {
	if v.Run.Ran.At.IsZero() {
		return ""
	}
	out := fmt.Sprintf("%s ago, in %s", ui.Ago(v.Run.Ran.At), units.Format(v.Run.Ran.Took.Seconds(), "s"))
	if in := time.Until(v.Run.Ran.Next); in > 0 {
		out += "; again in " + units.Span(in)
	}
	return out
}

// Often is how often it is asked.
func (v sourceView) Often() string {
	if v.Every%time.Minute == 0 {
		return units.Span(v.Every)
	}
	return fmt.Sprintf("%.0f s", v.Every.Seconds()) // a span leaves out what is small
}

// readingView is a reading of a source.
type readingView struct {
	kit.Reading
	Kit string
	Off string // why it is not collected; empty where it is
	Set bool   // something is set of it
}

// SettingKey is the setting that switches the reading.
func (v readingView) SettingKey() domain.SettingKey {
	return domain.KitSetting{Sort: domain.ReadingOn, Kit: v.Kit, Name: v.Key}.Key()
}

func (s Screen) page(w http.ResponseWriter, r *http.Request) error {
	v, err := s.view(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "collected", render.Frame{Title: "What " + v.Name + " collects", Area: domain.AreaWatch, Body: v})
}

func (s Screen) view(r *http.Request) (v pageView, err error) {
	ctx, who := r.Context(), middleware.Who(r.Context())
	if v.ID, err = screen.ID(r); err != nil {
		return v, err
	}
	all, err := s.Fitting.Collected(ctx, who, v.ID)
	if err != nil {
		return v, err
	}
	d, _, err := s.Devices.Draft(ctx, who, v.ID)
	if err != nil {
		return v, err
	}
	v.Name, v.May = d.Name, who.Level(area, domain.Spot{Place: d.PlaceID, Device: v.ID})
	sources, err := s.Watch.Sources(ctx, who, v.ID)
	if err != nil {
		return v, err
	}
	there := map[string]bool{}
	for _, x := range all {
		if !x.On && x.Said.By != domain.ByHand {
			if k, err := s.Fitting.Kits.Kit(x.Kit); err == nil {
				v.Without = append(v.Without, withoutView{k.Title, x.Why})
			}
			continue
		}
		k := kitView{Collected: x, Page: v.URL(), May: v.May, Sources: feeds(x.As, sources)}
		there[k.Name()] = true
		if x.On {
			v.Kits = append(v.Kits, k)
		} else {
			v.Off = append(v.Off, k)
		}
	}
	v.Free = s.free(there)
	return v, nil
}

// free are the kits that may be fitted, with an empty choice.
func (s Screen) free(there map[string]bool) []ui.Option {
	out := []ui.Option{{Title: "Fit a kit …"}}
	for _, k := range s.Fitting.Kits.Kits() {
		if !there[k.Name] {
			out = append(out, ui.Option{Value: k.Name, Title: k.Title})
		}
	}
	return out
}

// feeds are the sources of a kit with their readings, those that are off, too.
func feeds(e fit.Effective, runs []watch.Source) (out []sourceView) {
	for _, src := range e.Whole.SourcesFor(e.Values) {
		v := sourceView{Source: src, Kit: e.Whole.Name}
		if asked, ok := e.Kit.Source(src.Key); ok {
			v.Source.Every, v.Asked = asked.Every, true
		}
		i := slices.IndexFunc(runs, func(x watch.Source) bool { return x.Kit == v.Kit && x.Source.Source == src.Key })
		if i >= 0 {
			v.Run = runs[i]
		}
		for _, set := range e.Set {
			if set.Name == src.Key && (set.Sort == domain.SourceOn || set.Sort == domain.Every) {
				v.Set = append(v.Set, set.Words()+", "+set.Where())
			}
		}
		for _, r := range e.Whole.Readings {
			if r.Source == src.Key {
				v.Readings = append(v.Readings, readingOf(e, r))
			}
		}
		out = append(out, v)
	}
	return out
}

func readingOf(e fit.Effective, r kit.Reading) readingView {
	v := readingView{Reading: r, Kit: e.Whole.Name}
	v.Set = slices.ContainsFunc(e.Set, func(s fit.Set) bool { return s.Sort == domain.ReadingOn && s.Name == r.Key })
	if set, off := e.Off(r.Key); off {
		what := map[domain.KitSort]string{domain.KitOn: "with the whole kit, ", domain.SourceOn: "with its source, "}[set.Sort]
		v.Off = "off: " + what + set.Where()
	} else if p, lacks := e.Lacks(r.Key); lacks {
		v.Off = "off: “" + p.Label + "” must be set first"
	}
	return v
}

func (s Screen) now(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	before := time.Now()
	source := r.PostFormValue("source")
	if _, err := s.Devices.CollectNow(r.Context(), middleware.Who(r.Context()), id, source); err != nil {
		return err
	}
	if err := s.await(r, id, source, before); err != nil {
		return err
	}
	http.Redirect(w, r, fmt.Sprintf("/devices/%d/collected", id), http.StatusSeeOther)
	return nil
}

// patience is how long it is waited for an answer that was asked for.
const patience = 3 * time.Second

// await returns when a source was asked since a time, or after a while.
func (s Screen) await(r *http.Request, id domain.ID, source string, since time.Time) error {
	for time.Since(since) < patience {
		all, err := s.Watch.Sources(r.Context(), middleware.Who(r.Context()), id)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(all, func(x watch.Source) bool { return x.Kit+"/"+x.Source.Source == source })
		if i < 0 || all[i].Ran.At.After(since) {
			return nil
		}
		select {
		case <-time.After(100 * time.Millisecond):
		case <-r.Context().Done():
			return r.Context().Err()
		}
	}
	return nil
}
