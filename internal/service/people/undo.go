package people

import (
	"context"
	"encoding/json"
	"slices"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

// Undoing is how what was done to people and teams is undone, by deed. In which teams a
// person is belongs to the teams.
func (s *Service) Undoing() map[string]act.Undoing {
	team := act.Whole(s.Team, s.SaveTeam, func(t *domain.Team) { t.ID, t.Version = 0, 0 }, act.Whatever(s.RemoveTeam))
	person := act.Undoing{
		Present: func(ctx context.Context, who access.Actor, id domain.ID) (any, error) { return s.Person(ctx, who, id) },
		Put:     s.putPerson,
		Remove:  act.Whatever(s.Remove),
	}
	return map[string]act.Undoing{
		addTeam.Name:      team,
		changeTeam.Name:   team,
		removeTeam.Name:   team,
		addPerson.Name:    person,
		changePerson.Name: person,
	}
}

// putPerson makes a person what a document says; the teams stay as they are.
func (s *Service) putPerson(ctx context.Context, who access.Actor, id domain.ID, document json.RawMessage) error {
	u, err := act.Read[domain.User](document)
	if err != nil {
		return err
	}
	d := Draft{Display: u.Display, PlaceID: u.PlaceID, Locked: u.Locked, Version: u.Version}
	teams, err := s.Teams(ctx, who)
	if err != nil {
		return err
	}
	for _, t := range teams {
		if slices.Contains(t.Members, id) && who.May(changePerson.Area, changePerson.Needs, domain.At(t.PlaceID)) {
			d.Teams = append(d.Teams, t.ID)
		}
	}
	return s.Change(ctx, who, id, d)
}
