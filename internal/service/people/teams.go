package people

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/tag"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
)

var (
	addTeam    = act.Deed{Name: "add a team", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	changeTeam = act.Deed{Name: "change a team", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	removeTeam = act.Deed{Name: "remove a team", Area: domain.AreaRun, Needs: domain.AccessAdminister}
	enrol      = act.Deed{Name: "enrol a person", Area: domain.AreaRun, Needs: domain.AccessAdminister}
)

func teamThing(t domain.Team) act.Thing {
	return act.Thing{Kind: "team", ID: t.ID, Name: t.Name, PlaceID: t.PlaceID}
}

// Teams returns the teams that an actor may see, by name.
func (s *Service) Teams(ctx context.Context, who access.Actor) ([]domain.Team, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	return seen.Teams.All(ctx)
}

// TeamsOf returns the teams of a person, to those who see the person.
func (s *Service) TeamsOf(ctx context.Context, who access.Actor, user domain.ID) ([]domain.Team, error) {
	if _, err := s.Person(ctx, who, user); err != nil {
		return nil, err
	}
	if who.Kind == access.Person && who.ID == user {
		return s.store.Teams.Of(ctx, user)
	}
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	return seen.Teams.Of(ctx, user)
}

// Team returns one team, or ErrNotFound.
func (s *Service) Team(ctx context.Context, who access.Actor, id domain.ID) (domain.Team, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return domain.Team{}, err
	}
	return seen.Teams.One(ctx, id)
}

// SaveTeam makes a team, or changes one that has an id and must have its version.
// Nobody can grant what he may not do himself. Errors are by field: name, place,
// grants, members.
func (s *Service) SaveTeam(ctx context.Context, who access.Actor, t domain.Team) (saved domain.Team, err error) {
	t.Name = strings.TrimSpace(t.Name)
	deed := changeTeam
	if t.ID == 0 {
		deed = addTeam
	}
	err = s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		var old domain.Team
		if t.ID != 0 {
			if old, err = w.Teams.One(ctx, t.ID); err != nil {
				return w.Missing(err)
			}
			if err := w.At(old.PlaceID); err != nil {
				return err
			}
		}
		if err := w.At(t.PlaceID); err != nil {
			return err
		}
		if err := s.saveTeam(ctx, w, who, old, t); err != nil {
			return err
		}
		saved, err = s.named(ctx, w, t)
		if err != nil {
			return err
		}
		w.Then(s.forget)
		return remains(ctx, w)
	})
	return saved, err
}

// named finds a team again that was saved.
func (s *Service) named(ctx context.Context, w *act.Work, t domain.Team) (domain.Team, error) {
	all, err := w.Teams.All(ctx)
	if err != nil {
		return t, err
	}
	i := slices.IndexFunc(all, func(x domain.Team) bool { return x.Name == t.Name && x.PlaceID == t.PlaceID })
	if i < 0 {
		return t, domain.ErrNotFound
	}
	return all[i], nil
}

// saveTeam stores a team that was as old says, and notes it.
func (s *Service) saveTeam(ctx context.Context, w *act.Work, who access.Actor, old, t domain.Team) error {
	if err := s.checkTeam(ctx, w, who, old, t); err != nil {
		return err
	}
	saved, err := w.Teams.Save(ctx, t)
	if errors.Is(err, domain.ErrConflict) {
		return domain.FieldErrors{"name": "Another team is called so already."}
	}
	if err != nil {
		return err
	}
	if old.ID == 0 {
		w.Note(teamThing(saved), nil, saved)
	} else {
		w.Note(teamThing(saved), old, saved)
	}
	return nil
}

const mostGrants = 100

func (s *Service) checkTeam(ctx context.Context, w *act.Work, who access.Actor, old, t domain.Team) error {
	errs := domain.FieldErrors{}
	if t.Name == "" || len(t.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give the team a name of at most %d characters.", maxName)
	}
	if len(t.Grants) > mostGrants {
		errs["grants"] = fmt.Sprintf("At most %d grants.", mostGrants)
	}
	tree, err := s.sheets.Tree(ctx)
	if err != nil {
		return err
	}
	for _, g := range t.Grants {
		switch {
		case !g.Level.Valid():
			errs["grants"] = "A level must be see, operate, configure or administer."
		case slices.ContainsFunc(g.Areas, func(a domain.Area) bool { return !a.Valid() }):
			errs["grants"] = "There is no such work area."
		case g.Tag != "" && !tag.Valid(g.Tag):
			errs["grants"] = fmt.Sprintf("A tag has 1 to %d characters, without = # and commas.", domain.MostAttributeName)
		case !tree.Within(g.PlaceID, t.PlaceID) || g.PlaceID != 0 && tree.Name(g.PlaceID) == "":
			errs["grants"] = "Choose places within the part of the tree that the team belongs to."
		}
	}
	if err := errs.OrNil(); err != nil {
		return err
	}
	// Also what it had: else a team could be emptied by one who may less than it.
	for _, g := range slices.Concat(old.Grants, t.Grants) {
		if !who.Includes(g) {
			return fmt.Errorf("%w: the team may do what you may not", domain.ErrForbidden)
		}
	}
	return s.checkMembers(ctx, w, who, old, t)
}

// checkMembers lets only people in whom the actor may see, and those who were in.
func (s *Service) checkMembers(ctx context.Context, w *act.Work, who access.Actor, old, t domain.Team) error {
	users, err := w.Users.All(ctx)
	if err != nil {
		return err
	}
	for _, id := range t.Members {
		known := slices.ContainsFunc(users, func(u domain.User) bool {
			return u.ID == id && (who.May(domain.AreaRun, domain.AccessSee, domain.At(u.PlaceID)) || slices.Contains(old.Members, id))
		})
		if !known {
			return domain.FieldErrors{"members": "There is no such person."}
		}
	}
	return nil
}

// RemoveTeam removes a team; its members lose what it granted. It is ErrChanged where the
// team has another version, but zero.
func (s *Service) RemoveTeam(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.desk.Do(ctx, who, removeTeam, func(w *act.Work) error {
		t, err := w.Teams.One(ctx, id)
		if err != nil {
			return w.Missing(err)
		}
		if err := w.At(t.PlaceID); err != nil {
			return err
		}
		if version != 0 && version != t.Version {
			return domain.ErrChanged
		}
		for _, g := range t.Grants {
			if !who.Includes(g) {
				return fmt.Errorf("%w: the team may do what you may not", domain.ErrForbidden)
			}
		}
		if err := w.Teams.Delete(ctx, id); err != nil {
			return err
		}
		w.Note(teamThing(t), t, nil)
		w.Then(s.forget)
		return remains(ctx, w)
	})
}

// Allowed is what a person may do of one area at a place, and why.
type Allowed struct {
	Area  domain.Area   `json:"area"`
	Level domain.Access `json:"level"`
	Why   why.Trace     `json:"why"`
}

// Allowed tells what a person may do at a place, zero for the whole tree, or with the
// device of a name in the organisation of the place, of every area. Errors are by the
// field “device”.
func (s *Service) Allowed(ctx context.Context, who access.Actor, user, place domain.ID, device string) (out []Allowed, err error) {
	if _, err := s.Person(ctx, who, user); err != nil {
		return nil, err
	}
	self := who.Kind == access.Person && who.ID == user
	sees := func(at domain.Spot) bool {
		return who.May(domain.AreaRun, domain.AccessSee, at) || self && who.Anywhere(domain.AccessSee).Has(at)
	}
	named := sees(domain.At(place)) || self && who.Anywhere(domain.AccessSee).Names(place)
	if place != 0 && !named {
		return nil, domain.ErrNotFound
	}
	at := access.Asked{Spot: domain.At(place), Device: strings.TrimSpace(device)}
	if at.Device != "" {
		d, err := s.store.Devices.Named(ctx, place, at.Device)
		if errors.Is(err, domain.ErrNotFound) || err == nil && !sees(d.Spot()) {
			return nil, domain.FieldErrors{"device": "There is no device of this name."}
		}
		if err != nil {
			return nil, err
		}
		at.Spot = d.Spot()
	}
	sheet, err := s.sheets.Of(ctx, user)
	if err != nil {
		return nil, err
	}
	for _, area := range domain.AllAreas() {
		level, trace := sheet.ExplainTo(area, at, func(place domain.ID) bool { return self || sees(domain.At(place)) })
		out = append(out, Allowed{area, level, trace})
	}
	return out, nil
}

// teamOf are the names of teams that have a level on the whole tree.
var teamOf = map[domain.Access]string{
	domain.AccessSee:        "Onlookers",
	domain.AccessOperate:    "Operators",
	domain.AccessConfigure:  "Engineers",
	domain.AccessAdminister: "Administrators",
}

// Enrol lets a person sign in who has a level on the whole tree, by the team for it:
// so the first people come in. Of one who is there already the password is set.
func (s *Service) Enrol(ctx context.Context, who access.Actor, d Draft, level domain.Access) (u domain.User, err error) {
	d.Name = account(d.Name)
	errs := d.check()
	checkPassword(errs, d.Secret, domain.User{Name: d.Name, Display: d.Display})
	if !level.Valid() {
		errs["level"] = "Must be see, operate, configure or administer."
	}
	if err := errs.OrNil(); err != nil {
		return u, err
	}
	err = s.desk.Do(ctx, who, enrol, func(w *act.Work) error {
		if err := w.Whole(); err != nil {
			return err
		}
		if u, err = s.enrolled(ctx, w, d); err != nil {
			return err
		}
		if err := s.leave(ctx, w, u.ID); err != nil {
			return err
		}
		team, err := s.standing(ctx, w, who, level)
		if err != nil {
			return err
		}
		old := team
		team.Members = append(slices.Clone(team.Members), u.ID)
		if err := s.saveTeam(ctx, w, who, old, team); err != nil {
			return err
		}
		w.Then(s.forget)
		return remains(ctx, w)
	})
	return u, err
}

// enrolled makes a user, or sets the password of the one who has the name.
func (s *Service) enrolled(ctx context.Context, w *act.Work, d Draft) (domain.User, error) {
	u, err := w.Users.ByName(ctx, d.Name)
	if err == nil {
		u.Display = d.Display
		return u, s.password(ctx, w, u, d.Secret, 0)
	}
	if !errors.Is(err, domain.ErrNotFound) {
		return u, err
	}
	u = domain.User{Name: d.Name, Display: d.Display, CreatedAt: s.now().UTC()}
	if u.Hash, err = hashOf(d.Secret); err != nil {
		return u, err
	}
	if u, err = w.Users.Add(ctx, u); err != nil {
		return u, err
	}
	w.Note(thing(u), nil, u)
	return u, nil
}

// standing is the team of a level on the whole tree; it is made where there is none.
func (s *Service) standing(ctx context.Context, w *act.Work, who access.Actor, level domain.Access) (domain.Team, error) {
	t := domain.Team{Name: teamOf[level], Grants: []domain.Grant{{Level: level}}}
	found, err := s.named(ctx, w, t)
	if !errors.Is(err, domain.ErrNotFound) {
		return found, err
	}
	if err := s.saveTeam(ctx, w, who, domain.Team{}, t); err != nil {
		return t, err
	}
	return s.named(ctx, w, t)
}
