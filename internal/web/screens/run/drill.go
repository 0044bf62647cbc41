package run

import (
	"errors"
	"net/http"
	"slices"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

type drillView struct {
	Show string
	run.Simulated
	Places  []string
	Volumes []volumeView
	Problem string
	Drill   bool
	May     domain.Access
}

type volumeView struct{ Device, Volume string }

// drillForm is one way to break something.
type drillForm struct {
	Heading, About string
	// Kind is that of the fault; empty where it is what is chosen.
	Kind        string
	Name, Label string // of the choice
	Options     []ui.Option
	Verb        string
}

// Forms are the ways to break something.
func (v drillView) Forms() []drillForm {
	return []drillForm{
		{"Stop a device", "It answers nothing until it is mended, and then starts anew.",
			"stop", "target", "Device to stop", v.DeviceOptions(), "Stop it"},
		{"Cut a line", "Nothing at the place answers: its router is down, all behind it is unreachable.",
			"cut", "target", "Place to cut off", v.PlaceOptions(), "Cut it"},
		{"Fill a volume", "It fills within a minute and a half.",
			"fill", "target", "Volume to fill", v.VolumeOptions(), "Fill it"},
		{"Spoil what a device serves", "The device goes on to answer; its portal, page, directory or database fails as you choose.",
			"service", "target", "What is to fail", v.ServedOptions(), "Spoil it"},
		{"Spoil the desk or the mail", "Deliveries are tried again until it is mended; nothing is lost or doubled.",
			"", "kind", "Service to spoil", v.ServiceOptions(), "Spoil it"},
	}
}

// DeviceOptions are the devices that can be stopped.
func (v drillView) DeviceOptions() (out []ui.Option) {
	for _, d := range v.Devices {
		out = append(out, ui.Option{Value: d.Name, Title: d.Name})
	}
	return out
}

// PlaceOptions are the places that can be cut off.
func (v drillView) PlaceOptions() []ui.Option { return ui.Options(v.Places) }

// VolumeOptions are the volumes that can be filled.
func (v drillView) VolumeOptions() (out []ui.Option) {
	for _, x := range v.Volumes {
		out = append(out, ui.Option{Value: x.Device + " " + x.Volume, Title: x.Volume + " of " + x.Device})
	}
	return out
}

// ServedOptions are the ways in which what devices serve can fail.
func (v drillView) ServedOptions() (out []ui.Option) {
	for _, s := range v.Services {
		for _, m := range s.Modes {
			out = append(out, ui.Option{Value: s.Name + between + m.Name, Title: s.Title + ": " + m.Title})
		}
	}
	return out
}

// between parts the names of a service and of its mode in a choice.
const between = " / "

// brokenView is something that is broken, with what is the matter in words.
type brokenView struct {
	domain.Fault
	Says string
}

// Broken are the things that are broken.
func (v drillView) Broken() (out []brokenView) {
	for _, f := range v.Faults {
		out = append(out, brokenView{f, v.says(f)})
	}
	return out
}

func (v drillView) says(f domain.Fault) string {
	switch f.Kind {
	case "stop":
		return f.Target + " is stopped"
	case "cut":
		return f.Target + " is cut off"
	case "fill":
		return f.Volume + " of " + f.Target + " fills"
	}
	for _, o := range append(v.ServedOptions(), v.ServiceOptions()...) {
		if o.Value == f.Target+between+f.Mode || o.Value == f.Kind {
			return o.Title
		}
	}
	return f.Kind
}

// ServiceOptions are how services can be spoilt.
func (drillView) ServiceOptions() []ui.Option {
	return []ui.Option{
		{Value: "desk-refuses", Title: "the desk answers 500"},
		{Value: "desk-hangs", Title: "the desk hangs"},
		{Value: "desk-nonsense", Title: "the desk answers nonsense"},
		{Value: "desk-lies", Title: "the desk does it and says that it failed"},
		{Value: "mail-refuses", Title: "the mail server refuses"},
		{Value: "mail-thinks", Title: "the mail server thinks for 25 s"},
		{Value: "mail-hangs-up", Title: "the mail server takes it and hangs up"},
	}
}

func (s Screen) drill(w http.ResponseWriter, r *http.Request) error {
	v, err := s.drillView(r)
	if err != nil {
		return err
	}
	return s.Render.Page(w, r, "run", render.Frame{Title: "Drill", Area: domain.AreaRun, Tab: drillPath, Body: v})
}

func (s Screen) drillView(r *http.Request) (v drillView, err error) {
	v = drillView{Show: "drill", Drill: s.Run.Simulates(), May: may(r)}
	if !v.Drill {
		return v, nil
	}
	if v.Simulated, err = s.Run.Simulated(r.Context(), middleware.Who(r.Context())); err != nil {
		if errors.Is(err, domain.ErrForbidden) {
			return v, err
		}
		v.Problem = err.Error()
		return v, nil
	}
	for _, d := range v.Devices {
		if !slices.Contains(v.Places, d.Place) {
			v.Places = append(v.Places, d.Place)
		}
		for _, x := range d.Volumes {
			if x != "/" {
				v.Volumes = append(v.Volumes, volumeView{d.Name, x})
			}
		}
	}
	return v, nil
}

func (s Screen) breakThing(w http.ResponseWriter, r *http.Request) error {
	f := domain.Fault{Kind: r.PostFormValue("kind"), Target: r.PostFormValue("target")}
	switch f.Kind {
	case "fill":
		f.Target, f.Volume, _ = strings.Cut(f.Target, " ")
	case "service":
		f.Target, f.Mode, _ = strings.Cut(f.Target, between)
	}
	failed := s.Run.Break(r.Context(), middleware.Who(r.Context()), f)
	return s.again(w, r, failed)
}

func (s Screen) mend(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	failed := s.Run.Mend(r.Context(), middleware.Who(r.Context()), int(id))
	return s.again(w, r, failed)
}

func (s Screen) again(w http.ResponseWriter, r *http.Request, failed error) error {
	if errors.Is(failed, domain.ErrForbidden) || errors.Is(failed, domain.ErrNotFound) {
		return failed
	}
	v, err := s.drillView(r)
	if err != nil {
		return err
	}
	if failed != nil {
		v.Problem = failed.Error()
	}
	return s.Render.Fragment(w, http.StatusOK, "run", "drill", v)
}
