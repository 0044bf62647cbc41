package api

import (
	"context"
	"net/http"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
)

// Grant is a level on a part of the tree for some work areas.
type Grant struct {
	PlaceID Ref      `json:"place_id,omitempty" doc:"null for the whole tree"`
	Level   string   `json:"level" enum:"see,operate,configure,administer" example:"operate"`
	Areas   []string `json:"areas" required:"false" nullable:"false" doc:"Work areas; empty for all" maxItems:"20"`
	Tag     string   `json:"tag,omitempty" maxLength:"100" doc:"Only devices there that carry this tag" example:"night"`
}

func grantOf(g domain.Grant) Grant {
	return Grant{Ref(g.PlaceID), string(g.Level), every(g.Areas, func(a domain.Area) string { return string(a) }), g.Tag}
}

func (g Grant) domain() domain.Grant {
	areas := every(g.Areas, func(a string) domain.Area { return domain.Area(a) })
	return domain.Grant{PlaceID: domain.ID(g.PlaceID), Level: domain.Access(g.Level), Areas: areas, Tag: g.Tag}
}

// TeamDraft is what people may change of a team.
type TeamDraft struct {
	Name      string      `json:"name" minLength:"1" maxLength:"100" example:"Gravel night"`
	PlaceID   Ref         `json:"place_id,omitempty" doc:"The part of the tree that it belongs to; null for all of it"`
	MemberIDs []domain.ID `json:"member_ids" maxItems:"10000" nullable:"false"`
	Grants    []Grant     `json:"grants" maxItems:"100" nullable:"false"`
}

// Team is people together, with what they may do.
type Team struct {
	ID int64 `json:"id" example:"6"`
	TeamDraft
	Version int `json:"version" example:"3"`
}

func teamOf(t domain.Team) Team {
	return Team{t.ID, TeamDraft{t.Name, Ref(t.PlaceID), append([]domain.ID{}, t.Members...), every(t.Grants, grantOf)}, t.Version}
}

func (t Team) mark() string { return markOf(t.Version) }

func (t Team) at(order string) (string, domain.ID) {
	if order == "name" {
		return t.Name, t.ID
	}
	return "", t.ID
}

func (a *api) teams() {
	list(a, operation{http.MethodGet, "/teams", "List teams", domain.AreaRun, domain.AccessSee}, orders{"name", "id"},
		func(ctx context.Context, in SearchFilter) ([]Team, error) {
			all, err := a.People.Teams(ctx, caller(ctx))
			return some(all, func(t domain.Team) bool { return holds(t.Name, in.Search) }, teamOf), err
		})
	kept[Team, TeamDraft]{
		path:  "/teams",
		one:   "a team",
		area:  domain.AreaRun,
		see:   domain.AccessSee,
		level: domain.AccessAdminister,
		get: func(ctx context.Context, who access.Actor, id domain.ID) (Team, error) {
			t, err := a.People.Team(ctx, who, id)
			return teamOf(t), err
		},
		draft: func(_ context.Context, t Team) (TeamDraft, error) { return t.TeamDraft, nil },
		make: func(ctx context.Context, who access.Actor, d TeamDraft) (domain.ID, error) {
			return a.saveTeam(ctx, who, 0, d, 0)
		},
		change: func(ctx context.Context, who access.Actor, id domain.ID, d TeamDraft, version int) error {
			_, err := a.saveTeam(ctx, who, id, d, version)
			return err
		},
		remove: a.People.RemoveTeam,
	}.register(a)
}

func (a *api) saveTeam(ctx context.Context, who access.Actor, id domain.ID, d TeamDraft, version int) (domain.ID, error) {
	t, err := a.People.SaveTeam(ctx, who, domain.Team{
		ID:      id,
		Name:    d.Name,
		PlaceID: domain.ID(d.PlaceID),
		Members: d.MemberIDs,
		Grants:  every(d.Grants, Grant.domain),
		Version: version,
	})
	return t.ID, err
}
