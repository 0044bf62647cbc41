package people

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

type teamsView struct {
	Rows []teamView
	May  bool
}

// Show tells the template which of the pages it shows.
func (teamsView) Show() string { return "teams" }

type teamView struct {
	domain.Team
	Place string
	Says  []string // what its grants are, in words
}

func (s Screen) teams(w http.ResponseWriter, r *http.Request) error {
	who := middleware.Who(r.Context())
	all, err := s.People.Teams(r.Context(), who)
	if err != nil {
		return err
	}
	names, err := s.names(r)
	if err != nil {
		return err
	}
	v := teamsView{May: !who.Scope(domain.AreaRun, domain.AccessAdminister).None()}
	for _, t := range all {
		row := teamView{Team: t, Place: names[t.PlaceID]}
		for _, g := range t.Grants {
			row.Says = append(row.Says, grantWords(g, names))
		}
		v.Rows = append(v.Rows, row)
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "Teams", Area: domain.AreaRun, Tab: teamsPath, Body: v})
}

func grantWords(g domain.Grant, names map[domain.ID]string) string {
	out := string(g.Level) + " at " + names[g.PlaceID]
	if g.Tag != "" {
		out += ", of what carries #" + g.Tag
	}
	if len(g.Areas) == 0 {
		return out
	}
	words := make([]string, len(g.Areas))
	for i, a := range g.Areas {
		words[i] = string(a)
	}
	return out + ", for " + strings.Join(words, ", ")
}

// teamForm is a team as it was typed.
type teamForm struct {
	domain.Team
	Places  []domain.Place
	Whole   bool
	People  []domain.User
	Errors  domain.FieldErrors
	Problem string
	May     bool
}

// Show tells the template which of the pages it shows.
func (teamForm) Show() string { return "team" }

// URL is where the form is sent.
func (f teamForm) URL() string {
	if f.ID == 0 {
		return newTeamPath
	}
	return fmt.Sprintf("%s/%d", teamsPath, f.ID)
}

// Crumbs is the way to the page.
func (f teamForm) Crumbs() []ui.Crumb {
	title := "New team"
	if f.ID != 0 {
		title = f.Name
	}
	return []ui.Crumb{{Title: "Teams", URL: teamsPath}, {Title: title}}
}

// NameField is the field of the name.
func (f teamForm) NameField() ui.FieldView {
	return ui.Typed("team-", "name", "Name", f.Name, "", f.Errors["name"])
}

// PlaceField is where it is chosen where the team belongs.
func (f teamForm) PlaceField() ui.FieldView {
	const help = "Whoever administers that part of the tree may change the team; what it grants lies within."
	return ui.Chosen("team-", "place", "Belongs to", fmt.Sprint(f.PlaceID), ui.PlacesOrAll(f.Places, f.Whole), help, f.Errors["place"])
}

// In tells whether a person is in the team.
func (f teamForm) In(user domain.ID) bool { return slices.Contains(f.Members, user) }

// grantRow is a grant in the form.
type grantRow struct {
	domain.Grant
	N      int // its number in the form
	Places []domain.Place
	Whole  bool
}

// LevelOptions are the levels that can be granted.
func (grantRow) LevelOptions() []ui.Option {
	return append([]ui.Option{{Title: "nothing"}}, ui.Options(domain.AllAccess())...)
}

// PlaceOptions are the places at which they can be granted.
func (g grantRow) PlaceOptions() []ui.Option { return ui.PlacesOrAll(g.Places, g.Whole) }

// WorkAreas are those that can be chosen.
func (grantRow) WorkAreas() []domain.Area {
	return []domain.Area{domain.AreaWatch, domain.AreaFind, domain.AreaCollect, domain.AreaJudge, domain.AreaRespond, domain.AreaRun}
}

// TagField is the field of the tag that the grant is narrowed by.
func (g grantRow) TagField() ui.FieldView {
	key := fmt.Sprintf("grant-%d-tag", g.N)
	f := ui.Typed("", key, fmt.Sprintf("Tag of grant %d", g.N+1), g.Tag, "", "")
	f.Default = "none: everything"
	return f
}

// Chose tells whether an area was chosen.
func (g grantRow) Chose(a domain.Area) bool { return slices.Contains(g.Areas, a) }

// Rows are the grants, and one more to be filled in.
func (f teamForm) Rows() (out []grantRow) {
	for i, g := range append(slices.Clone(f.Grants), domain.Grant{}) {
		out = append(out, grantRow{g, i, f.Places, f.Whole})
	}
	return out
}

func (s Screen) fillTeam(r *http.Request, f *teamForm) (err error) {
	who := middleware.Who(r.Context())
	f.Whole = who.May(domain.AreaRun, domain.AccessAdminister, domain.At(0))
	f.May = f.ID == 0 || who.May(domain.AreaRun, domain.AccessAdminister, domain.At(f.PlaceID))
	if f.Places, err = s.Places.Where(r.Context(), who, domain.AreaRun, domain.AccessAdminister); err != nil &&
		!errors.Is(err, domain.ErrForbidden) {
		return err
	}
	f.People, err = s.People.People(r.Context(), who)
	return err
}

func (s Screen) blankTeam(w http.ResponseWriter, r *http.Request) error {
	f := teamForm{}
	if err := s.fillTeam(r, &f); err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "New team", Area: domain.AreaRun, Body: f})
}

func (s Screen) team(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	t, err := s.People.Team(r.Context(), middleware.Who(r.Context()), id)
	if err != nil {
		return err
	}
	f := teamForm{Team: t}
	if err := s.fillTeam(r, &f); err != nil {
		return err
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: t.Name, Area: domain.AreaRun, Body: f})
}

type typedTeam struct {
	Name    string      `form:"name"`
	PlaceID domain.ID   `form:"place"`
	Members []domain.ID `form:"member"`
	Version int         `form:"version"`
}

// mostGrantRows bounds how many grants are read from a form.
const mostGrantRows = 200

// readGrants reads the rows of grants; one without a level is none.
func readGrants(r *http.Request) (out []domain.Grant) {
	for n := range mostGrantRows {
		key := "grant-" + strconv.Itoa(n)
		if !r.PostForm.Has(key + "-level") {
			return out
		}
		level := r.PostForm.Get(key + "-level")
		if level == "" {
			continue
		}
		place, _ := strconv.ParseInt(r.PostForm.Get(key+"-place"), 10, 64)
		g := domain.Grant{PlaceID: place, Level: domain.Access(level), Tag: tagTyped(r.PostForm.Get(key + "-tag"))}
		for _, a := range r.PostForm[key+"-area"] {
			g.Areas = append(g.Areas, domain.Area(a))
		}
		out = append(out, g)
	}
	return out
}

// tagTyped is a tag as people type it, with a # or without.
func tagTyped(s string) string {
	return strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(s), "#"))
}

func (s Screen) saveTeam(w http.ResponseWriter, r *http.Request) error {
	var in typedTeam
	if _, err := ui.Form(r, &in); err != nil {
		return err
	}
	f := teamForm{Team: domain.Team{Name: in.Name, PlaceID: in.PlaceID, Members: in.Members, Version: in.Version, Grants: readGrants(r)}}
	if r.URL.Path != newTeamPath {
		id, err := screen.ID(r)
		if err != nil {
			return err
		}
		f.ID = id
	}
	saved, err := s.People.SaveTeam(r.Context(), middleware.Who(r.Context()), f.Team)
	if err == nil {
		w.Header().Set("HX-Redirect", fmt.Sprintf("%s/%d", teamsPath, saved.ID))
		return nil
	}
	if f.Problem, err = problemOf(err, &f.Errors); err != nil {
		return err
	}
	if err := s.fillTeam(r, &f); err != nil {
		return err
	}
	return s.Render.Fragment(w, http.StatusUnprocessableEntity, "people", "team-form", f)
}

func (s Screen) removeTeam(w http.ResponseWriter, r *http.Request) error {
	id, err := screen.ID(r)
	if err != nil {
		return err
	}
	if err := s.People.RemoveTeam(r.Context(), middleware.Who(r.Context()), id, 0); err != nil {
		return err
	}
	http.Redirect(w, r, teamsPath, http.StatusSeeOther)
	return nil
}
