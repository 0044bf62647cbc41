// Package places is the tree that everything belongs to, and what is set on it.
package places

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/bounds"
	"tirelessowl/internal/store"
)

// Service is the use cases.
type Service struct {
	store  *store.Store
	desk   *act.Desk
	sheets *act.Sheets
	// changed takes up what was changed of many devices.
	changed func(context.Context) error
}

// New returns the service.
func New(s *store.Store, desk *act.Desk, sheets *act.Sheets, changed func(context.Context) error) *Service {
	return &Service{s, desk, sheets, changed}
}

var (
	addPlace    = act.Deed{Name: "add a place", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	changePlace = act.Deed{Name: "change a place", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	removePlace = act.Deed{Name: "remove a place", Area: domain.AreaRun, Needs: domain.AccessConfigure}
	moveDevices = act.Deed{Name: Moved, Area: domain.AreaCollect, Needs: domain.AccessConfigure}
)

func thing(p domain.Place) act.Thing {
	return act.Thing{Kind: "place", ID: p.ID, Name: p.Name, PlaceID: p.ID}
}

// All returns the places at which an actor may see anything, by name.
func (s *Service) All(ctx context.Context, who access.Actor) ([]domain.Place, error) {
	return s.Where(ctx, who, "", domain.AccessSee)
}

// Where returns the places at which an actor has a level for a work area, by name;
// for any of them with the empty area.
func (s *Service) Where(ctx context.Context, who access.Actor, area domain.Area, level domain.Access) ([]domain.Place, error) {
	scope := who.Anywhere(level)
	if area != "" {
		scope = who.Scope(area, level)
	}
	if scope.None() {
		return nil, domain.ErrForbidden
	}
	all, err := s.store.Seen(scope).Places.All(ctx)
	if level == domain.AccessSee {
		return all, err
	}
	// At the place of a device that is allowed by itself nothing else is.
	return slices.DeleteFunc(all, func(p domain.Place) bool { return !scope.HasPlace(p.ID) }), err
}

// Tree is the places that an actor sees in the order of the tree, each with how deep
// it lies and how many devices it has.
type Node struct {
	domain.Place
	Depth   int
	Devices int // in the place itself
	Below   int // devices in and below
}

// Tree returns the places that an actor sees, each after the one above it.
func (s *Service) Tree(ctx context.Context, who access.Actor) ([]Node, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return nil, err
	}
	places, err := seen.Places.All(ctx)
	if err != nil {
		return nil, err
	}
	counts, err := seen.Devices.Count(ctx)
	if err != nil {
		return nil, err
	}
	own := map[domain.ID]int{}
	for _, c := range counts {
		own[c.PlaceID] += c.N
	}
	return ordered(places, own), nil
}

// ordered lays out places so that each comes after the one above it.
func ordered(places []domain.Place, own map[domain.ID]int) (out []Node) {
	known, children := map[domain.ID]bool{}, map[domain.ID][]domain.Place{}
	for _, p := range places {
		known[p.ID] = true
	}
	for _, p := range places {
		parent := p.ParentID
		if !known[parent] {
			parent = 0 // what lies above is not seen
		}
		children[parent] = append(children[parent], p)
	}
	var lay func(parent domain.ID, depth int) int
	lay = func(parent domain.ID, depth int) (sum int) {
		for _, p := range children[parent] {
			at := len(out)
			out = append(out, Node{Place: p, Depth: depth, Devices: own[p.ID]})
			out[at].Below = own[p.ID] + lay(p.ID, depth+1)
			sum += out[at].Below
		}
		return sum
	}
	lay(0, 0)
	return out
}

// One returns a place, or ErrNotFound.
func (s *Service) One(ctx context.Context, who access.Actor, id domain.ID) (domain.Place, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaRun)
	if err != nil {
		return domain.Place{}, err
	}
	return seen.Places.One(ctx, id)
}

const maxName = 200

// check says what is wrong with a place, by field: name, kind, parent.
func check(p domain.Place, tree *access.Tree) error {
	errs := domain.FieldErrors{}
	if p.Name == "" || len(p.Name) > maxName {
		errs["name"] = fmt.Sprintf("Give the place a name of at most %d characters.", maxName)
	}
	switch {
	case !slices.Contains([]domain.PlaceKind{domain.Organisation, domain.Site, domain.Group}, p.Kind):
		errs["kind"] = "Must be organisation, site or group."
	case p.Kind == domain.Organisation && p.ParentID != 0:
		errs["kind"] = "An organisation lies below no other place."
	case p.Kind != domain.Organisation && p.ParentID == 0:
		errs["parent"] = "Choose the place that it lies below; only organisations lie below none."
	case p.ParentID != 0 && tree.Name(p.ParentID) == "":
		errs["parent"] = "There is no such place."
	case p.ID != 0 && p.ParentID != 0 && tree.Within(p.ParentID, p.ID):
		errs["parent"] = "A place cannot lie below itself."
	}
	return errs.OrNil()
}

// Save makes a place, or changes one that has an id and must have its version: its
// name, its kind, and where it lies. Errors are by field.
func (s *Service) Save(ctx context.Context, who access.Actor, p domain.Place) (saved domain.Place, err error) {
	p.Name = strings.TrimSpace(p.Name)
	deed := changePlace
	if p.ID == 0 {
		deed = addPlace
	}
	err = s.desk.Do(ctx, who, deed, func(w *act.Work) error {
		old, err := s.before(ctx, w, p)
		if err != nil {
			return err
		}
		places, err := w.Places.All(ctx)
		if err != nil {
			return err
		}
		if err := check(p, access.NewTree(places)); err != nil {
			return err
		}
		saved, err = w.Places.Save(ctx, p)
		if errors.Is(err, domain.ErrConflict) {
			return domain.FieldErrors{"name": "There is a place, or a device below it, of the same name there already."}
		}
		if err != nil {
			return err
		}
		s.takenUp(w, old.ID != 0)
		if old.ID == 0 {
			w.Note(thing(saved), nil, saved)
			return nil
		}
		w.Note(thing(saved), old, saved)
		return bounds.KeepBelow(ctx, w.Areas, who, "parent", saved.ID)
	})
	return saved, err
}

// before returns a place as it is before it is changed, having asked whether the actor
// may change it, and may let it lie where it shall.
func (s *Service) before(ctx context.Context, w *act.Work, p domain.Place) (old domain.Place, err error) {
	if p.ID == 0 {
		return old, w.At(p.ParentID)
	}
	if old, err = w.Places.Lock(ctx, p.ID); err != nil {
		return old, w.Missing(err)
	}
	if err := w.At(p.ID); err != nil {
		return old, err
	}
	if old.ParentID == p.ParentID {
		return old, nil
	}
	if err := w.At(old.ParentID); err != nil {
		return old, err
	}
	return old, w.At(p.ParentID)
}

// takenUp lets all learn that the tree changed; devices inherit from it.
func (s *Service) takenUp(w *act.Work, devices bool) {
	w.Then(func(ctx context.Context) error {
		s.sheets.Forget()
		if !devices {
			return nil
		}
		return s.changed(ctx)
	})
}

// Remove removes a place that nothing belongs to any more. It is ErrChanged where the place
// has another version, but zero.
func (s *Service) Remove(ctx context.Context, who access.Actor, id domain.ID, version int) error {
	return s.desk.Do(ctx, who, removePlace, func(w *act.Work) error {
		p, err := w.Places.Lock(ctx, id)
		if err != nil {
			return w.Missing(err)
		}
		if err := w.At(id); err != nil {
			return err
		}
		if version != 0 && version != p.Version {
			return domain.ErrChanged
		}
		if err := w.At(p.ParentID); err != nil {
			return err
		}
		held, err := w.Places.Holds(ctx, id)
		if err != nil {
			return err
		}
		if len(held) > 0 {
			return fmt.Errorf("%w: %s still holds %s", domain.ErrConflict, p.Name, strings.Join(held, ", "))
		}
		w.Note(thing(p), p, nil)
		s.takenUp(w, false)
		return w.Places.Delete(ctx, id)
	})
}

// MoveDevices lets devices belong to another place, all or none.
func (s *Service) MoveDevices(ctx context.Context, who access.Actor, ids []domain.ID, to domain.ID) error {
	return s.desk.Do(ctx, who, moveDevices, func(w *act.Work) error {
		if err := w.At(to); err != nil {
			return domain.FieldErrors{"place": "Choose a place."}
		}
		if to == 0 || len(ids) == 0 {
			return domain.FieldErrors{"place": "Choose a place, and at least one device."}
		}
		var moved []domain.Device
		for _, id := range ids {
			d, err := w.Device(id)
			if err != nil {
				return err
			}
			before := map[string]domain.ID{"place_id": d.PlaceID}
			d.PlaceID = to
			err = w.Devices.Update(ctx, d)
			if errors.Is(err, domain.ErrConflict) {
				return domain.FieldErrors{"place": "A device of that organisation is called " + d.Name + " already."}
			}
			if err != nil {
				return err
			}
			w.Note(act.Device(d), before, map[string]domain.ID{"place_id": to})
			moved = append(moved, d)
		}
		s.takenUp(w, true)
		return bounds.Keep(ctx, w.Areas, who, "place", moved...)
	})
}

// Overrides returns what is set at the places and devices that an actor sees.
func (s *Service) Overrides(ctx context.Context, who access.Actor) ([]domain.Override, error) {
	seen, err := s.desk.See(ctx, who, domain.AreaCollect)
	if err != nil {
		return nil, err
	}
	return seen.Overrides.All(ctx)
}
