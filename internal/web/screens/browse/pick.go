package browse

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/condition"
	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/own"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

func pickURL(device domain.ID, oid string) string {
	return fmt.Sprintf("/devices/%d/pick?at=%s", device, oid)
}

// pickView is a reading that is picked or changed, as it was typed.
type pickView struct {
	ID     domain.ID
	Device string
	own.Draft
	At     string // what was picked
	About  string // of its object
	Mark   string
	Typed  typed
	Errors domain.FieldErrors
	Notice string
	Others int // readings of the same table, which its settings hold for, too
}

// typed are the fields of the form.
type typed struct {
	At    string `form:"at"`
	Key   string `form:"key"`
	Mark  string `form:"mark"`
	Name  string `form:"name"`
	Unit  string `form:"unit"`
	Treat string `form:"treat"`
	Every string `form:"every"`
	Beat  string `form:"heartbeat"`
	Where string `form:"where"`
	Row   string `form:"row"`
	Same  string `form:"same"`
	Tags  string `form:"tags"`
	Attrs string `form:"attributes"`
	Kept  int    `form:"kept"`
	// Show is steps where these come back, as Act changed them, and form where all of it does; Sample is the row of which each
	// step is told, Afresh asks the device again.
	Show   string `form:"show"`
	Act    string `form:"act"`
	Add    string `form:"add"`
	Sample string `form:"sample"`
	Afresh string `form:"afresh"`
	steps  []derive.Written
	focus  focus
}

func typedOf(d own.Draft) typed {
	every := d.Every
	t := typed{Key: d.Key, Name: d.Name, Unit: d.Unit, Treat: string(d.Treat), steps: d.Steps}
	if d.Heartbeat > 0 {
		t.Beat = shortSpan(d.Heartbeat)
	}
	if d.Table != "" {
		every = d.Rows.Every
		t.Where, t.Row, t.Same = d.Rows.Where, d.Rows.Name[0], d.Rows.Same[0]
		t.Tags, t.Attrs = strings.Join(d.Rows.Tags, ", "), strings.Join(d.Rows.Attributes, ", ")
	}
	t.Every = shortSpan(every)
	return t
}

// shortSpan writes an interval as it is typed: 1m, not 1m0s.
func shortSpan(d time.Duration) string {
	out := strings.TrimSuffix(d.String(), "m0s")
	if out != d.String() {
		out += "m"
	}
	if short := strings.TrimSuffix(out, "h0m"); short != out {
		out = short + "h"
	}
	return out
}

// over puts what was typed over a draft; what cannot be read is told by field.
func (t typed) over(d own.Draft) (own.Draft, domain.FieldErrors) {
	errs := domain.FieldErrors{}
	d.Name, d.Unit, d.Treat, d.Steps = t.Name, t.Unit, own.Treatment(t.Treat), t.steps
	d.Heartbeat = 0
	if t.Beat != "" {
		var err error
		if d.Heartbeat, err = time.ParseDuration(strings.ReplaceAll(t.Beat, " ", "")); err != nil {
			errs["heartbeat"] = "A time such as 15m or 1h, or nothing."
		}
	}
	every, err := time.ParseDuration(strings.ReplaceAll(t.Every, " ", ""))
	if err != nil {
		errs["every"] = "A time such as 30s, 5m or 1h."
	}
	if d.Treat == own.State || d.Treat == own.Words {
		d.Unit = ""
	}
	if d.Treat == own.Words {
		d.Heartbeat = 0
	}
	if d.Table == "" {
		d.Every = every
		return d, errs
	}
	d.Rows.Every, d.Rows.Where = every, t.Where
	d.Rows.Name, d.Rows.Same = firstThenIndex(t.Row), firstThenIndex(t.Same)
	d.Rows.Tags, d.Rows.Attributes = listed(t.Tags), listed(t.Attrs)
	return d, errs
}

// listed are names with commas between.
func listed(typed string) (out []string) {
	for name := range strings.SplitSeq(typed, ",") {
		if name = strings.TrimSpace(name); name != "" && !slices.Contains(out, name) {
			out = append(out, name)
		}
	}
	return out
}

func firstThenIndex(column string) []string {
	if column == "index" || column == "" {
		return []string{"index"}
	}
	return []string{column, "index"}
}

// Rehearsing is where it is told what would be stored.
func (v pickView) Rehearsing() ui.Rehearsing {
	return ui.Rehearsing{ID: "rehearsed", URL: fmt.Sprintf("/devices/%d/pick/rehearse", v.ID), Form: "pick",
		On:        stepsChanged + " from:body, change delay:200ms",
		Indicator: "#looking"}
}

// Title says what the page does.
func (v pickView) Title() string {
	if v.Key != "" {
		return "Change “" + v.Name + "”"
	}
	return "Collect " + v.Object
}

// Crumbs is the way to the page.
func (v pickView) Crumbs() []ui.Crumb {
	return []ui.Crumb{
		{Title: "Watch", URL: "/"},
		{Title: v.Device, URL: fmt.Sprintf("/devices/%d", v.ID)},
		{Title: "Browse", URL: objectURL(v.ID, v.OID)},
		{Title: "Collect"},
	}
}

// Fields are those of the reading itself.
func (v pickView) Fields() []ui.FieldView {
	const prefix = "pick-"
	t := v.Typed
	out := []ui.FieldView{
		ui.Typed(prefix, "name", "Name", t.Name, "", v.Errors["name"]),
		ui.Chosen(prefix, "treat", "What is stored", t.Treat, treatments, "", v.Errors["treat"]),
		ui.Typed(prefix, "unit", "Unit", t.Unit, "Of what comes out: bit/s, B, s, %, Cel, V, 1/s …", v.Errors["unit"]),
		ui.Typed(prefix, "every", "How often it is read", t.Every, v.everyHelp(), v.Errors["every"]),
	}
	if v.Typed.Treat != string(own.Words) {
		out = append(out, ui.Typed(prefix, "heartbeat", "Store what does not change once in", t.Beat,
			"Such as 1h; empty to store each value. Rules see each anyway.", v.Errors["heartbeat"]))
	}
	return out
}

func (v pickView) everyHelp() string {
	if v.Others > 0 {
		return "Holds for all of the table: " + text.Count(int64(v.Others), "further reading") + "."
	}
	return "Such as 30s, 5m or 1h."
}

var treatments = []ui.Option{
	{Value: string(own.Number), Title: "A number"},
	{Value: string(own.State), Title: "The number of a state"},
	{Value: string(own.Words), Title: "A text"},
}

// RowFields are those of its table.
func (v pickView) RowFields() []ui.FieldView {
	const prefix = "pick-"
	var options []ui.Option
	for _, c := range v.Rows.Columns {
		options = append(options, ui.Option{Value: c.As, Title: c.As})
	}
	return []ui.FieldView{
		ui.Chosen(prefix, "row", "A row is called by", v.Typed.Row, options, "", v.Errors["row"]),
		ui.Chosen(prefix, "same", "The same row has the same", v.Typed.Same, options,
			"So its history stays when rows are numbered anew.", v.Errors["same"]),
		ui.Typed(prefix, "tags", "Tags from columns", v.Typed.Tags,
			"What these say becomes tags of the part; columns with commas between.",
			v.Errors["tags"]),
		ui.Typed(prefix, "attributes", "Attributes from columns", v.Typed.Attrs,
			"Each gives an attribute of its own name, such as ifAlias.",
			v.Errors["attributes"]),
	}
}

// WhereField is the field of the condition that picks rows.
func (v pickView) WhereField() ui.FieldView {
	help := "A condition in CEL over the columns below, such as " + v.example() + ". Empty for all rows."
	f := ui.TypedLines("pick-", "where", "Only rows for which", v.Typed.Where, 2, help, v.Errors["where"])
	f.Mono = true
	return f
}

// Where says where the object is.
func (v pickView) Where() string {
	if v.Table == "" {
		return v.OID
	}
	return v.OID + ", a column of " + v.Table
}

func (v pickView) example() string {
	for _, c := range v.Rows.Columns {
		if c.Is == condition.Whole && !strings.HasSuffix(c.As, "Index") {
			return c.As + " == 1"
		}
	}
	return v.Rows.Columns[0].As + ` != ""`
}

// Asked are the columns that its condition may ask for, with what they are.
func (v pickView) Asked() (out []fact) {
	kinds := map[condition.Kind]string{condition.Whole: "whole number", condition.Real: "number", condition.Text: "text"}
	for _, c := range v.Rows.Columns {
		out = append(out, fact{c.As, kinds[c.Is]})
	}
	return out
}

// filled is the form of what is asked for: a new reading at an object, or one that is there.
func (s Screen) filled(r *http.Request, at, key string) (v pickView, err error) {
	if v.ID, err = screen.ID(r); err != nil {
		return v, err
	}
	who := middleware.Who(r.Context())
	d, _, err := s.Devices.Draft(r.Context(), who, v.ID)
	if err != nil {
		return v, err
	}
	picked, err := s.Kits.Own(r.Context(), who, v.ID)
	if err != nil {
		return v, err
	}
	v.Device, v.At, v.Mark = d.Name, at, picked.Mark
	if key != "" {
		var ok bool
		if v.Draft, ok = picked.Reading(key); !ok {
			return v, fmt.Errorf("reading %q: %w", key, domain.ErrNotFound)
		}
		v.At = v.OID
	} else {
		oid, err := mib.ParseOID(at)
		if err != nil {
			return v, domain.FieldErrors{"at": err.Error()}
		}
		if v.Draft, err = s.Browse.Propose(r.Context(), who, v.ID, oid); err != nil {
			return v, err
		}
	}
	for _, x := range picked.Readings {
		if v.Table != "" && x.Table == v.Table && x.Key != v.Key {
			v.Others++
		}
	}
	v.Typed = typedOf(v.Draft)
	oid, _ := mib.ParseOID(v.OID)
	node, err := s.Browse.Node(r.Context(), who, oid)
	v.About = node.About
	return v, err
}

func (s Screen) blank(w http.ResponseWriter, r *http.Request) error {
	at, key := r.URL.Query().Get("at"), r.URL.Query().Get("key")
	if _, err := mib.ParseOID(at); err != nil && key == "" {
		return s.page(w, r) // first choose what is to be picked
	}
	v, err := s.filled(r, at, key)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "pick", render.Frame{Title: v.Title(), Area: domain.AreaWatch, Body: v})
}

// drafted is the form as it was sent, over what it was filled with.
func (s Screen) drafted(r *http.Request) (v pickView, d own.Draft, err error) {
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return v, d, err
	}
	if v, err = s.filled(r, in.At, in.Key); err != nil {
		return v, d, err
	}
	in.steps, in.focus = stepsTyped(r.PostForm, in)
	d, v.Errors = in.over(v.Draft)
	v.Typed, v.Mark = in, in.Mark
	return v, d, nil
}

func (s Screen) pick(w http.ResponseWriter, r *http.Request) error {
	v, d, err := s.drafted(r)
	if err != nil {
		return err
	}
	if len(v.Errors) == 0 {
		_, err = s.Kits.Pick(r.Context(), middleware.Who(r.Context()), v.ID, d, v.Mark)
	}
	if err == nil && len(v.Errors) == 0 {
		w.Header().Set("HX-Redirect", objectURL(v.ID, d.OID)+"#picked")
		return nil
	}
	if v.Notice, err = ui.Refused(err, &v.Errors); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "pick", "pick-form", v)
}

func (s Screen) drop(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	key := r.PostFormValue("key")
	wrong := s.Kits.Drop(r.Context(), middleware.Who(r.Context()), id, key, r.PostFormValue("mark"))
	if errs := (domain.FieldErrors{}); errors.As(wrong, &errs) { // others need it: the form says which
		v, err := s.filled(r, "", key)
		if err != nil {
			return err
		}
		v.Notice = errs["key"]
		return s.Render.Page(w, r, "pick", render.Frame{Title: v.Title(), Area: domain.AreaWatch, Body: v})
	}
	if wrong != nil {
		return wrong
	}
	http.Redirect(w, r, fmt.Sprintf("/devices/%d/browse", id), http.StatusSeeOther)
	return nil
}
