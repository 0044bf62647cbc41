package kits

import (
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

// seatsView is on which devices a kit is, and may be.
type seatsView struct {
	Show string
	*kit.Kit
	Fill []field.Field // the parameters, as they are filled in
	Bar  ui.FilterBar
	May  bool
	ui.Filled[seatView]
}

// Crumbs is the way to the page.
func (v seatsView) Crumbs() []ui.Crumb {
	return []ui.Crumb{{Title: "Collect", URL: listPath}, {Title: v.Title, URL: SavePath + "/" + v.Name}, {Title: "Devices"}}
}

// URL is the page's address.
func (v seatsView) URL() string { return SavePath + "/" + v.Name + "/devices" }

// Rehearsing is where it is told what saying something would do.
func (v seatsView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "saying", URL: v.URL() + "/rehearsal", Form: "seat-form", On: "change from:#seat-form, owl:selected"}
}

// Words are what may be said of the kit.
func (seatsView) Words() ui.FieldView {
	options := []ui.Option{
		{Value: string(fitting.Fit), Title: "Fit it"},
		{Value: string(fitting.KeepOff), Title: "Keep it off"},
		{Value: string(fitting.AsRules), Title: "Leave it to the rules"},
	}
	return ui.Chosen("seat-", "word", "What to do", string(fitting.Fit), options, "", "")
}

// Fields are the parameters of the kit, to be filled in where it is fitted.
func (v seatsView) Fields() []ui.FieldView { return ui.Fields("parameter-", v.Fill, nil, nil) }

// seatView is a device in the list.
type seatView struct {
	fitting.Chair
}

// URL is where it is told what the device collects.
func (v seatView) URL() string { return fmt.Sprintf("/devices/%d/collected", v.Device.ID) }

// Origin is who or what decided.
func (v seatView) Origin() string {
	switch {
	case !v.There:
		return ""
	case v.By == domain.ByRule:
		return "the rule " + v.Rule
	case v.By == domain.ByKit:
		return "inside " + v.Inside
	case v.Who != "":
		return v.Who
	}
	return "by hand"
}

// State is whether the kit is there.
func (v seatView) State() string {
	switch {
	case v.There && v.Off && v.By == domain.ByHand:
		return "kept off"
	case v.There && !v.Off:
		return "fitted"
	case v.Fits:
		return "would fit"
	}
	return "not fitted"
}

// rank puts devices first where something is said of the kit.
func (v seatView) rank() int {
	return slices.Index([]string{"fitted", "kept off", "would fit", "not fitted"}, v.State())
}

// Day is since when.
func (v seatView) Day() string {
	if v.Since.IsZero() || !v.There {
		return ""
	}
	return v.Since.Format("2006-01-02")
}

// Overrides are what is set otherwise there.
func (v seatView) Overrides() (out []string) {
	for _, s := range v.Set {
		out = append(out, s.Words()+", "+s.Where())
	}
	for _, name := range sortedKeys(v.Parameters) {
		if v.There && v.Parameters[name] != "" {
			out = append(out, name+" is "+domain.Told(v.Parameters[name]))
		}
	}
	return out
}

func sortedKeys(m map[string]string) (out []string) {
	for name := range m {
		out = append(out, name)
	}
	slices.Sort(out)
	return out
}

// is tells whether the device is one of those.
func (v seatView) is(which string) bool {
	return which == "" || which == "otherwise" && len(v.Overrides()) > 0 || which == v.State()
}

// which are the devices that the list may be narrowed to.
var which = []ui.Option{
	{Value: "fitted", Title: "fitted"},
	{Value: "would fit", Title: "would fit"},
	{Value: "kept off", Title: "kept off"},
	{Value: "otherwise", Title: "set otherwise"},
}

var seatColumns = ui.Columns[seatView]{
	"":      ui.ByText(func(v seatView) string { return strconv.Itoa(v.rank()) + v.Device.Name }),
	"name":  ui.ByText(func(v seatView) string { return v.Device.Name }),
	"state": ui.ByNumber(seatView.rank),
	"by":    ui.ByText(seatView.Origin),
	"since": ui.ByText(seatView.Day),
}

// seats shows where a kit is.
func (s Screen) seats(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	k, _, err := s.named(r)
	if err != nil {
		return err
	}
	all, err := s.Fitting.Chairs(r.Context(), who, k.Name)
	if err != nil {
		return err
	}
	asked, err := s.Kits.Fillable(r.Context(), who, k.Asked(), nil)
	if err != nil {
		return err
	}
	v := seatsView{Show: "seats", Kit: k, Fill: asked, May: !who.Scope(area, domain.AccessConfigure).None()}
	v.Bar = ui.FilterBar{
		Path:        v.URL(),
		Target:      "seats",
		Search:      q.Get("q"),
		Sort:        q.Get("sort"),
		Placeholder: "Device, kind, rule or person",
		Label:       "Filter devices",
		Choices:     []ui.FilterChoice{{Name: "which", Label: "Which devices", Any: "all devices", Value: q.Get("which"), Options: which}},
	}
	var rows []seatView
	for _, x := range all {
		if row := (seatView{x}); row.is(q.Get("which")) {
			rows = append(rows, row)
		}
	}
	says := func(v seatView) string {
		return strings.Join([]string{v.Device.Name, v.Device.Kind, v.Origin(), v.State()}, " ")
	}
	v.Filled = ui.Fill(v.URL(), q, pageSize, rows, says, seatColumns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "kits", "seats-table", v)
	}
	return s.Render.Page(w, r, "kits", render.Frame{Title: "Devices of " + k.Title, Area: area, Tab: listPath, Body: v})
}

// saying is what somebody says of a kit on the devices that are ticked.
func (s Screen) saying(r *http.Request) (x fitting.Saying, err error) {
	k, _, err := s.named(r)
	if err != nil {
		return x, err
	}
	if err := r.ParseForm(); err != nil {
		return x, err
	}
	x = fitting.Saying{Kit: k.Name, Word: fitting.Word(r.PostFormValue("word"))}
	for _, id := range r.PostForm["device"] {
		if n, err := strconv.ParseInt(id, 10, 64); err == nil {
			x.Devices = append(x.Devices, n)
		}
	}
	x.Parameters = fitting.Filled(k, r.PostFormValue)
	return x, nil
}

func (s Screen) say(w http.ResponseWriter, r *http.Request) error {
	x, err := s.saying(r)
	if err != nil {
		return err
	}
	err = s.Fitting.Say(r.Context(), middleware.Who(r.Context()), x)
	errs := domain.FieldErrors{}
	if errors.As(err, &errs) {
		v := ui.NewRehearsed(why.Trace{}, s.labelled(x.Kit, errs), tick)
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "kits", "saying", v)
	}
	if err != nil {
		return err
	}
	w.Header().Set("HX-Redirect", SavePath+"/"+x.Kit+"/devices?which=fitted")
	return nil
}

// labelled are problems, those of parameters with what these are called.
func (s Screen) labelled(name string, errs domain.FieldErrors) domain.FieldErrors {
	k, err := s.Kits.Kit(name)
	if err != nil {
		return errs
	}
	out := maps.Clone(errs)
	for _, p := range k.Parameters {
		if problem := out[p.Name]; problem != "" {
			out[p.Name] = p.Label + ": " + problem
		}
	}
	return out
}

// tick stands where no device is ticked yet.
const tick = "Tick devices: what it would do is told here."

func (s Screen) rehearseSaying(w http.ResponseWriter, r *http.Request) error {
	x, err := s.saying(r)
	if err != nil {
		return err
	}
	if len(x.Devices) == 0 {
		return s.Render.Fragment(w, http.StatusOK, "kits", "saying", ui.Rehearsed{Hint: tick})
	}
	would, err := s.Fitting.Rehearse(r.Context(), middleware.Who(r.Context()), x)
	errs := domain.FieldErrors{}
	if err != nil && !errors.As(err, &errs) {
		return err
	}
	v := ui.NewRehearsed(would.Why, s.labelled(x.Kit, errs), tick)
	if len(would.Effects) > 0 {
		v.Cost = fmt.Sprintf("About %s gained and %d lost; %+.1f requests a minute and %s a month.",
			text.Count(int64(would.Gained.Series), "series", "series"), would.Lost.Series,
			would.Gained.RequestsPerMinute-would.Lost.RequestsPerMinute,
			units.Format(would.Gained.BytesPerMonth-would.Lost.BytesPerMonth, "B"))
	}
	return s.Render.Fragment(w, http.StatusOK, "kits", "saying", v)
}
