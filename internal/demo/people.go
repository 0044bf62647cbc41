package demo

import (
	"context"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
)

// Sign-in of the demo.
const (
	UserName = "ines"
	Password = "night-watch"
)

// team is a team of the demo: a level at some places, for some work areas.
type team struct {
	name   string
	level  domain.Access
	places []string // none for the whole tree
	areas  []domain.Area
	people []people.Draft
}

// teams are those of the demo world.
var teams = []team{
	{"Shore desk", domain.AccessAdminister, nil, nil, []people.Draft{{Name: UserName, Display: "Ines"}}},
	{
		"Terminal helpers",
		domain.AccessOperate,
		[]string{"North Pier", "Sandhaven", "Gull Rock"},
		[]domain.Area{domain.AreaWatch, domain.AreaRespond},
		[]people.Draft{{Name: "marek", Display: "Marek"}},
	},
	{"Ship crews", domain.AccessOperate, []string{"MV Petrel"}, []domain.Area{domain.AreaWatch, domain.AreaRespond},
		[]people.Draft{{Name: "runa", Display: "Runa"}}},
	{"Auditors", domain.AccessSee, nil, nil, []people.Draft{{Name: "auditor", Display: "Auditor"}}},
}

// people makes the people of the demo with their teams; a team without any of its
// places is left out, with its people.
func (w *World) people(ctx context.Context) error {
	who := access.Itself("the demo")
	places, err := w.Store.Places.All(ctx)
	if err != nil {
		return err
	}
	for _, t := range teams {
		made := domain.Team{Name: t.name}
		if len(t.places) == 0 {
			made.Grants = []domain.Grant{{Level: t.level, Areas: t.areas}}
		}
		for _, p := range places {
			if slices.Contains(t.places, p.Name) {
				made.Grants = append(made.Grants, domain.Grant{PlaceID: p.ID, Level: t.level, Areas: t.areas})
			}
		}
		if len(made.Grants) == 0 {
			continue
		}
		if err := w.team(ctx, who, made, t.people); err != nil {
			return err
		}
	}
	return nil
}

// team makes a team with its people.
func (w *World) team(ctx context.Context, who access.Actor, t domain.Team, members []people.Draft) error {
	for _, m := range members {
		m.Secret = Password
		u, err := w.People.Add(ctx, who, m)
		if err != nil {
			return err
		}
		t.Members = append(t.Members, u.ID)
	}
	_, err := w.People.SaveTeam(ctx, who, t)
	return err
}

// ClientID is what the provider of accounts knows us by.
const ClientID = "tireless-owl"

// accounts lets people sign in at the provider of the demo world, too.
func (w *World) accounts(ctx context.Context) error {
	if w.Accounts == "" {
		return nil
	}
	who := access.Itself("the demo")
	teams, err := w.People.Teams(ctx, who)
	if err != nil {
		return err
	}
	groups := map[domain.ID][]string{}
	for _, t := range teams {
		switch t.Name {
		case "Shore desk":
			groups[t.ID] = []string{"shore-desk"}
		case "Terminal helpers":
			groups[t.ID] = []string{"terminal-helpers"}
		}
	}
	p := domain.Provider{
		Title:       "Harbour accounts",
		Issuer:      w.Accounts,
		ClientID:    ClientID,
		GroupsClaim: "groups",
		Groups:      groups,
		Enabled:     true,
	}
	return w.People.SaveProvider(ctx, who, p, w.Secret)
}
