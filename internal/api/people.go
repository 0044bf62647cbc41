package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/people"
)

// PersonDraft is what people may change of a person.
type PersonDraft struct {
	Name    string      `json:"name" minLength:"1" maxLength:"100" doc:"To sign in with; it stays" example:"runa"`
	Display string      `json:"display,omitempty" maxLength:"100" example:"Runa"`
	PlaceID Ref         `json:"place_id,omitempty" doc:"The part of the tree that the person belongs to"`
	Locked  bool        `json:"locked,omitempty" doc:"Cannot sign in" example:"false"`
	TeamIDs []domain.ID `json:"team_ids,omitempty" maxItems:"1000" nullable:"false"`
}

// Person is somebody who may sign in.
type Person struct {
	ID        int64       `json:"id" example:"4"`
	Name      string      `json:"name" example:"runa"`
	Display   string      `json:"display" example:"Runa"`
	PlaceID   Ref         `json:"place_id"`
	Locked    bool        `json:"locked" example:"false"`
	TeamIDs   []domain.ID `json:"team_ids" nullable:"false" doc:"Of the teams that you may see"`
	CreatedAt Moment      `json:"created_at"`
	SeenAt    Moment      `json:"seen_at" doc:"Last sign-in"`
	Version   int         `json:"version" example:"3"`
}

func (p Person) mark() string { return markOf(p.Version) }

func (p Person) at(order string) (string, domain.ID) {
	if order == "name" {
		return p.Name, p.ID
	}
	return "", p.ID
}

// Permission is what a person may do of one work area, and why.
type Permission struct {
	Area  string    `json:"area" example:"watch"`
	Level string    `json:"level" enum:",see,operate,configure,administer" doc:"Empty for nothing" example:"operate"`
	Why   why.Trace `json:"why"`
}

// Link is a link with which a person sets a password once.
type Link struct {
	URL    string `json:"url" doc:"Told now, and never again" example:"https://owl.harbour.example/welcome/secret"`
	EndsAt Moment `json:"ends_at"`
}

func (a *api) people() {
	list(a, operation{http.MethodGet, "/people", "List the people who may sign in", domain.AreaRun, domain.AccessSee}, orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Person, error) {
			all, err := a.People.People(ctx, caller(ctx))
			if err != nil {
				return nil, err
			}
			teams, err := a.People.Teams(ctx, caller(ctx))
			belongs := teamsOf(teams)
			return some(all, func(u domain.User) bool { return holds(u.Name+" "+u.Display, in.Search) },
				func(u domain.User) Person { return personOf(u, belongs[u.ID]) }), err
		})
	kept[Person, PersonDraft]{
		path:  "/people",
		one:   "a person",
		area:  domain.AreaRun,
		see:   domain.AccessSee,
		level: domain.AccessAdminister,
		get:   a.person,
		draft: func(_ context.Context, p Person) (PersonDraft, error) {
			return PersonDraft{p.Name, p.Display, p.PlaceID, p.Locked, p.TeamIDs}, nil
		},
		make:   a.addPerson,
		change: a.changePerson,
		remove: a.People.Remove,
	}.register(a)
	a.passwords()
	type where struct {
		ByID
		PlaceID int64  `query:"place_id" minimum:"0" doc:"A place; left out, the whole tree"`
		Device  string `query:"device" maxLength:"200" doc:"Name of a device in the organisation of the place"`
	}
	add(a, operation{http.MethodGet, "/people/{id}/permissions", "What a person may do somewhere, and why", domain.AreaRun,
		domain.AccessSee},
		func(ctx context.Context, in *where) (*Body[Permissions], error) {
			all, err := a.People.Allowed(ctx, caller(ctx), in.ID, in.PlaceID, in.Device)
			return one(Permissions{every(all, func(x people.Allowed) Permission {
				return Permission{string(x.Area), string(x.Level), x.Why}
			})}, err)
		})
}

// Permissions are what a person may do of every work area.
type Permissions struct {
	Areas []Permission `json:"areas" nullable:"false"`
}

func teamsOf(teams []domain.Team) map[domain.ID][]domain.ID {
	out := map[domain.ID][]domain.ID{}
	for _, t := range teams {
		for _, id := range t.Members {
			out[id] = append(out[id], t.ID)
		}
	}
	return out
}

func personOf(u domain.User, teams []domain.ID) Person {
	return Person{
		ID:        u.ID,
		Name:      u.Name,
		Display:   u.Display,
		PlaceID:   Ref(u.PlaceID),
		Locked:    u.Locked,
		TeamIDs:   append([]domain.ID{}, teams...),
		CreatedAt: Moment{u.CreatedAt},
		SeenAt:    Moment{u.SeenAt},
		Version:   u.Version,
	}
}

func (a *api) person(ctx context.Context, who access.Actor, id domain.ID) (Person, error) {
	u, err := a.People.Person(ctx, who, id)
	if err != nil {
		return Person{}, err
	}
	teams, err := a.People.TeamsOf(ctx, who, id)
	return personOf(u, every(teams, func(t domain.Team) domain.ID { return t.ID })), err
}

func draftOf(d PersonDraft, version int) people.Draft {
	return people.Draft{
		Name:    d.Name,
		Display: d.Display,
		PlaceID: domain.ID(d.PlaceID),
		Teams:   d.TeamIDs,
		Locked:  d.Locked,
		Version: version,
	}
}

func (a *api) addPerson(ctx context.Context, who access.Actor, d PersonDraft) (domain.ID, error) {
	if d.Locked {
		return 0, domain.FieldErrors{"locked": "A person is locked once it is there."}
	}
	u, err := a.People.Add(ctx, who, draftOf(d, 0))
	return u.ID, err
}

func (a *api) changePerson(ctx context.Context, who access.Actor, id domain.ID, d PersonDraft, version int) error {
	u, err := a.People.Person(ctx, who, id)
	if err != nil {
		return err
	}
	if d.Name != u.Name {
		return domain.FieldErrors{"name": "It is signed in with, and stays."}
	}
	return a.People.Change(ctx, who, id, draftOf(d, version))
}

// passwords is how people get theirs.
func (a *api) passwords() {
	type password struct {
		ByID
		Body struct {
			Password string `json:"password" minLength:"1" maxLength:"1000" writeOnly:"true" example:"seven grey herons"`
		}
	}
	add(a, operation{http.MethodPut, "/people/{id}/password", "Set the password of a person; all sign-ins end", domain.AreaRun,
		domain.AccessAdminister},
		func(ctx context.Context, in *password) (*none, error) {
			return nil, a.People.SetPassword(ctx, caller(ctx), in.ID, domain.Secret(in.Body.Password))
		})
	add(a, operation{http.MethodPost, "/people/{id}/link", "Make a link with which a person sets a password once", domain.AreaRun,
		domain.AccessAdminister},
		func(ctx context.Context, in *ByID) (*Body[Link], error) {
			key, ends, err := a.People.MakeLink(ctx, caller(ctx), in.ID)
			return one(Link{a.URL + "/welcome/" + key.Reveal(), Moment{ends}}, err)
		})
	add(a, operation{http.MethodDelete, "/people/{id}/link", "Take that link back", domain.AreaRun, domain.AccessAdminister},
		func(ctx context.Context, in *ByID) (*none, error) {
			return nil, a.People.TakeLink(ctx, caller(ctx), in.ID)
		})
	add(a, operation{http.MethodDelete, "/people/{id}/sign-ins", "End all sign-ins of a person", domain.AreaRun, domain.AccessAdminister},
		func(ctx context.Context, in *ByID) (*none, error) {
			return nil, a.People.EndSignIns(ctx, caller(ctx), in.ID)
		})
}
