// Package people is who may sign in, their teams and tokens.
package people

import (
	"embed"
	"errors"
	"io/fs"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/web/middleware"
	"tirelessowl/internal/web/render"
	"tirelessowl/internal/web/screen"
	"tirelessowl/internal/web/ui"
)

//go:embed tmpl/*.html
var files embed.FS

// Screen is people.
type Screen struct {
	Render *render.Renderer
	People *people.Service
	Places *places.Service
	// Sessions keep what a passkey was asked until it answers.
	Sessions *scs.SessionManager
	// Keep lets a browser keep the key of a person who trusts it.
	Keep func(w http.ResponseWriter, user domain.ID, key domain.Secret)
	// URL is how people reach the application, for links.
	URL string
}

// Manifest is what the screen hands over.
func (s Screen) Manifest() screen.Screen {
	const area, administer = domain.AreaRun, domain.AccessAdminister
	return screen.Screen{
		Templates: map[string]fs.FS{"people": files},
		Menu: []render.Entry{
			{Title: "People", Path: peoplePath, Area: area},
			{Title: "Teams", Path: teamsPath, Area: area},
			{Title: "Accounts elsewhere", Path: providerPath, Area: area, Needs: administer, Whole: true},
		},
		Found: []render.Entry{
			{Title: "New person", Path: newPersonPath, Area: area, Needs: administer},
			{Title: "New team", Path: newTeamPath, Area: area, Needs: administer},
			{Title: "My account and tokens", Path: mePath},
		},
		Routes: []screen.Route{
			screen.Get(peoplePath, area, s.list),
			{Method: http.MethodGet, Path: newPersonPath, Area: area, Needs: administer, Handle: s.blank},
			screen.Post(newPersonPath, area, administer, s.save),
			screen.Open("/run/people/{id}", s.page),
			screen.Open("/run/people/{id}/allowed", s.allowed),
			screen.Post("/run/people/{id}", area, administer, s.save),
			screen.Post("/run/people/{id}/password", area, administer, s.password),
			screen.Post("/run/people/{id}/factors/delete", area, administer, s.takeFactors),
			screen.Post("/run/people/{id}/link", area, administer, s.makeLink),
			screen.Post("/run/people/{id}/link/delete", area, administer, s.takeLink),
			screen.Post("/run/people/{id}/delete", area, administer, s.remove),
			screen.Get(teamsPath, area, s.teams),
			{Method: http.MethodGet, Path: newTeamPath, Area: area, Needs: administer, Handle: s.blankTeam},
			screen.Post(newTeamPath, area, administer, s.saveTeam),
			screen.Get("/run/teams/{id}", area, s.team),
			{Method: http.MethodGet, Path: providerPath, Area: area, Needs: administer, Handle: s.provider},
			screen.Post(providerPath, area, administer, s.saveProvider),
			screen.Post(providerPath+"/try", area, administer, s.tryProvider),
			screen.Post("/run/teams/{id}", area, administer, s.saveTeam),
			screen.Post("/run/teams/{id}/delete", area, administer, s.removeTeam),
			screen.Open(mePath, s.me),
			screen.Own("/me/password", s.ownPassword),
			screen.Open(trustPath, s.trustForm),
			screen.Anywhere(trustPath, s.trust),
			screen.Anywhere(trustPath+"/passkey/begin", s.beginPasskeyTrust),
			screen.Anywhere(trustPath+"/passkey", s.passkeyTrust),
			screen.Own("/me/codes/begin", s.beginCodes),
			screen.Own("/me/codes", s.useCodes),
			screen.Own("/me/codes/delete", s.stopCodes),
			screen.Own("/me/passkeys/begin", s.beginPasskey),
			screen.Own("/me/passkeys", s.addPasskey),
			screen.Own("/me/passkeys/{id}/delete", s.takePasskey),
			screen.Own("/me/signins/delete", s.endSignIns),
			screen.Own("/me/signins/{id}/delete", s.endSignIn),
			screen.Own("/me/browsers/{id}/delete", s.distrust),
			screen.Own("/me/tokens", s.makeToken),
			screen.Own("/me/tokens/{id}/delete", s.takeToken),
		},
	}
}

const (
	peoplePath    = "/run/people"
	newPersonPath = "/run/people/new"
	teamsPath     = "/run/teams"
	newTeamPath   = "/run/teams/new"
	mePath        = "/me"
	trustPath     = "/me/trust"
)

// names are what places are called, for those who see them.
func (s Screen) names(r *http.Request) (map[domain.ID]string, error) {
	all, err := s.Places.All(r.Context(), middleware.Who(r.Context()))
	if errors.Is(err, domain.ErrForbidden) {
		err = nil
	}
	out := map[domain.ID]string{0: wholeTree}
	for _, p := range all {
		out[p.ID] = p.Name
	}
	return out, err
}

const wholeTree = "the whole tree"

type listView struct {
	May bool
	Bar ui.FilterBar
	ui.Filled[personView]
}

// Show tells the template which of the pages it shows.
func (listView) Show() string { return "people" }

type personView struct {
	domain.User
	Place string
	Teams []string
}

// State says in a word how it stands with a person.
func (p personView) State() string {
	switch {
	case p.Locked:
		return "locked"
	case p.Hash == "":
		return "has no password yet"
	}
	return ""
}

const pageSize = 100

func (s Screen) list(w http.ResponseWriter, r *http.Request) error {
	who, q := middleware.Who(r.Context()), r.URL.Query()
	all, err := s.People.People(r.Context(), who)
	if err != nil {
		return err
	}
	teams, err := s.People.Teams(r.Context(), who)
	if err != nil {
		return err
	}
	names, err := s.names(r)
	if err != nil {
		return err
	}
	v := listView{
		May: !who.Scope(domain.AreaRun, domain.AccessAdminister).None(),
		Bar: ui.FilterBar{
			Path:        peoplePath,
			Target:      "people-table",
			Search:      q.Get("q"),
			Placeholder: "Name or team",
			Label:       "Filter people",
		},
	}
	rows := make([]personView, len(all))
	for i, u := range all {
		rows[i] = personView{User: u, Place: names[u.PlaceID]}
		for _, t := range teams {
			if slices.Contains(t.Members, u.ID) {
				rows[i].Teams = append(rows[i].Teams, t.Name)
			}
		}
	}
	v.Filled = ui.Fill(peoplePath, q, pageSize, rows, personView.says, columns)
	if render.IsFragment(r) {
		return s.Render.Fragment(w, http.StatusOK, "people", "people-table", v)
	}
	return s.Render.Page(w, r, "people", render.Frame{Title: "People", Area: domain.AreaRun, Tab: peoplePath, Body: v})
}

// says is what is searched in.
func (v personView) says() string { return v.Name + " " + v.Display + " " + strings.Join(v.Teams, " ") }

var columns = ui.Columns[personView]{
	"":      ui.ByText(func(v personView) string { return v.Called() }),
	"name":  ui.ByText(func(v personView) string { return v.Name }),
	"seen":  ui.Latest(func(v personView) time.Time { return v.SeenAt }),
	"place": ui.ByText(func(v personView) string { return v.Place }),
}
