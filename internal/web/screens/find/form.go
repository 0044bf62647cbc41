package find

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/ui"
)

type formView struct {
	page
	Draft       find.Draft
	Port, Pace  string
	Credentials []domain.Credential
	Chosen      map[domain.ID]bool
	Places      []domain.Place
	Whole       bool // the whole tree may be chosen, too
	Errors      domain.FieldErrors
	Size        string
	Taken       string // what was taken out of a table
}

func (v formView) field(name, label, value, help string) ui.FieldView {
	return ui.Typed("sweep-", name, label, value, help, v.Errors[name])
}

// NameField is the field of its name.
func (v formView) NameField() ui.FieldView { return v.field("name", "Name", v.Draft.Name, "") }

// PlaceField is where it is chosen for which part of the tree it is.
func (v formView) PlaceField() ui.FieldView {
	const help = "Its finds are shown to those who may see that part of the tree, and are adopted there."
	options := ui.PlacesOrAll(v.Places, v.Whole)
	return ui.Chosen("sweep-", "place", "For", fmt.Sprint(v.Draft.PlaceID), options, help, v.Errors["place"])
}

// RangesField is where the addresses are typed.
func (v formView) RangesField() ui.FieldView {
	const help = "Networks, ranges and single addresses, IPv4 or IPv6, separated by commas or lines."
	f := ui.TypedLines("sweep-", "ranges", "Addresses to try", v.Draft.Ranges, 3, help, v.Errors["ranges"])
	f.Mono, f.Default = true, "192.0.2.0/24, 198.51.100.1-198.51.100.40"
	return f
}

// ExcludeField is where those are typed that are left out.
func (v formView) ExcludeField() ui.FieldView {
	return ui.TypedLines("sweep-", "exclude", "Leave out", v.Draft.Exclude, 1, "", v.Errors["exclude"])
}

// PortField is where the port is typed at which agents are asked.
func (v formView) PortField() ui.FieldView {
	f := v.field("port", "SNMP port", v.Port, "")
	f.Kind = field.Whole
	return f
}

// PaceField is where it is typed how fast it asks.
func (v formView) PaceField() ui.FieldView {
	f := v.field("pace", "Pace, requests a second", v.Pace, "")
	f.Kind, f.Default = field.Whole, "500; on this machine itself 5000"
	return f
}

// Several tells whether there is an order to choose.
func (v formView) Several() bool { return len(v.Credentials) > 1 }

// inOrder puts what was chosen first, in the order in which it was.
func inOrder(all []domain.Credential, chosen []domain.ID) []domain.Credential {
	slices.SortStableFunc(all, func(a, b domain.Credential) int { return placeOf(a.ID, chosen) - placeOf(b.ID, chosen) })
	return all
}

func placeOf(id domain.ID, chosen []domain.ID) int {
	if i := slices.Index(chosen, id); i >= 0 {
		return i
	}
	return len(chosen)
}

// PortsField is where TCP ports are typed that are looked at, too.
func (v formView) PortsField() ui.FieldView {
	const help = "Told of addresses that answer no credential, with what greets there."
	f := v.field("ports", "Look at the TCP ports, too", v.Draft.Ports, help)
	f.Default = "none, or such as 22, 80, 443, 8000-8003"
	return f
}

// EveryField is where it is chosen when it begins again.
func (v formView) EveryField() ui.FieldView {
	options := []ui.Option{{Value: "0", Title: "only when somebody asks for it"}}
	for _, every := range find.Repeats {
		options = append(options, ui.Option{Value: fmt.Sprint(int64(every / time.Hour)), Title: "every " + units.Span(every)})
	}
	value := fmt.Sprint(int64(v.Draft.Every / time.Hour))
	return ui.Chosen("sweep-", "every", "Begins again", value, options, "", v.Errors["every"])
}

// CommunityField is where a credential is typed that is not stored yet.
func (v formView) CommunityField() ui.FieldView {
	f := ui.TypedSecret("sweep-", "community", "Another community", v.Errors["community"])
	f.Help, f.HelpID = "Stored encrypted, and never shown again.", "sweep-community-help"
	return f
}

// CommunityNameField is where it is typed what it is stored as.
func (v formView) CommunityNameField() ui.FieldView {
	f := v.field("community_name", "Store it as", v.Draft.NewName, "")
	f.Default = "SNMP community"
	return f
}

func (s Screen) form(w http.ResponseWriter, r *http.Request) error {
	v := formView{page: page{"form"}, Chosen: map[domain.ID]bool{}, Errors: domain.FieldErrors{}, Port: strconv.Itoa(s.Port)}
	var err error
	if v.Credentials, err = s.Find.Credentials(r.Context(), middleware.Who(r.Context())); err != nil {
		return err
	}
	if err := s.offerPlaces(r, &v); err != nil {
		return err
	}
	if len(v.Credentials) == 1 {
		v.Chosen[v.Credentials[0].ID] = true
	}
	return s.Render.Page(w, r, "find", render.Frame{Title: "New sweep", Area: domain.AreaFind, Body: v})
}

// typed is the form of a sweep. Numbers stay as they were typed, to be shown again.
type typed struct {
	PlaceID     domain.ID   `form:"place"`
	Name        string      `form:"name"`
	Ranges      string      `form:"ranges"`
	Exclude     string      `form:"exclude"`
	Port        string      `form:"port"`
	Pace        string      `form:"pace"`
	Credentials []domain.ID `form:"credential"`
	Community   string      `form:"community"`
	NewName     string      `form:"community_name"`
	Ports       string      `form:"ports"`
	Echo        bool        `form:"echo"`
	Hours       int64       `form:"every"`
}

// read takes the form as it was typed; numbers that are none become field errors.
func (s Screen) read(r *http.Request) (formView, error) {
	v := formView{page: page{"form"}, Chosen: map[domain.ID]bool{}, Errors: domain.FieldErrors{}}
	var in typed
	if _, err := ui.Form(r, &in); err != nil {
		return v, err
	}
	v.Port, v.Pace = in.Port, in.Pace
	v.Draft = find.Draft{
		PlaceID:       in.PlaceID,
		Name:          in.Name,
		Ranges:        in.Ranges,
		Exclude:       in.Exclude,
		CredentialIDs: in.Credentials,
		Community:     domain.Secret(in.Community),
		NewName:       in.NewName,
		Ports:         in.Ports,
		Echo:          in.Echo,
		Every:         time.Duration(in.Hours) * time.Hour,
	}
	v.Draft.Port, _ = strconv.Atoi(v.Port) // 0 is refused by the check
	if v.Pace != "" {
		n, err := strconv.Atoi(v.Pace)
		if err != nil || n <= 0 {
			n = -1 // refused by the check, with the range that is allowed
		}
		v.Draft.Pace = n
	}
	for _, id := range in.Credentials {
		v.Chosen[id] = true
	}
	var err error
	if v.Credentials, err = s.Find.Credentials(r.Context(), middleware.Who(r.Context())); err != nil {
		return v, err
	}
	v.Credentials = inOrder(v.Credentials, in.Credentials)
	return v, s.offerPlaces(r, &v)
}

// offerPlaces offers the parts of the tree that a sweep may be for.
func (s Screen) offerPlaces(r *http.Request, v *formView) (err error) {
	who := middleware.Who(r.Context())
	v.Whole = who.May(domain.AreaFind, domain.AccessConfigure, domain.At(0))
	v.Places, err = s.Places.Where(r.Context(), who, domain.AreaFind, domain.AccessConfigure)
	return err
}

// size tells, while the form is filled, how many addresses that would be.
func (s Screen) size(w http.ResponseWriter, r *http.Request) error {
	v, err := s.read(r)
	if err != nil {
		return err
	}
	total, errs, err := s.Find.Checked(r.Context(), middleware.Who(r.Context()), &v.Draft)
	if err != nil {
		return err
	}
	if errs["ranges"] != "" || errs["exclude"] != "" {
		if strings.TrimSpace(v.Draft.Ranges) != "" {
			v.Size = errs["ranges"] + errs["exclude"]
		}
	} else {
		pace := max(1, v.Draft.Pace)
		v.Size = fmt.Sprintf("Tries %s, at most %d requests a second: about %s.", text.Count(total, "address", "addresses"), pace,
			units.Span(time.Duration(total*2)*time.Second/time.Duration(pace)+3*time.Second))
	}
	return s.Render.Fragment(w, http.StatusOK, "find", "size", v.Size)
}

func (s Screen) create(w http.ResponseWriter, r *http.Request) error {
	v, err := s.read(r)
	if err != nil {
		return err
	}
	made, err := s.Find.Create(r.Context(), middleware.Who(r.Context()), v.Draft)
	if errors.As(err, &v.Errors) {
		return s.Render.Fragment(w, http.StatusUnprocessableEntity, "find", "form", v)
	}
	if err != nil {
		return err
	}
	if err := s.Find.Start(r.Context(), middleware.Who(r.Context()), made.ID); err != nil {
		return err
	}
	w.Header().Set("HX-Redirect", "/find/sweeps/"+strconv.FormatInt(made.ID, 10))
	return nil
}
