package act

import (
	"context"
	"sync"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Sheets know what everybody may do. They are put together when they are first asked
// for and forgotten when places, teams or tags change, and when devices move.
type Sheets struct {
	store *store.Store
	mu    sync.Mutex
	tree  *access.Tree
	known map[domain.ID]access.Sheet
	holds map[string]access.Holds // by tag
	at    time.Time
	// age counts how often all was forgotten: what was read before is not kept.
	age int
}

// sheetsAge is for how long they are kept at most: another process may change them.
const sheetsAge = 10 * time.Second

// NewSheets returns sheets that know nothing yet.
func NewSheets(s *store.Store) *Sheets { return &Sheets{store: s} }

// Forget lets all be read anew.
func (s *Sheets) Forget() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.forget()
}

func (s *Sheets) forget() {
	s.tree, s.known, s.holds, s.at = nil, nil, nil, time.Time{}
	s.age++
}

// Tree is the present places.
func (s *Sheets) Tree(ctx context.Context) (*access.Tree, error) {
	tree, _, err := s.present(ctx)
	return tree, err
}

// present returns the tree, and which age it is of.
func (s *Sheets) present(ctx context.Context) (*access.Tree, int, error) {
	s.mu.Lock()
	if time.Since(s.at) > sheetsAge {
		s.forget()
	}
	tree, age := s.tree, s.age
	s.mu.Unlock()
	if tree != nil {
		return tree, age, nil
	}
	places, err := s.store.Places.All(ctx)
	if err != nil {
		return nil, 0, err
	}
	tree = access.NewTree(places)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.age == age && s.tree == nil {
		s.tree, s.at = tree, time.Now()
		s.known, s.holds = map[domain.ID]access.Sheet{}, map[string]access.Holds{}
	}
	return tree, age, nil
}

// Of is what a person may do.
func (s *Sheets) Of(ctx context.Context, user domain.ID) (access.Sheet, error) {
	tree, age, err := s.present(ctx)
	if err != nil {
		return access.Sheet{}, err
	}
	s.mu.Lock()
	sheet, ok := s.known[user]
	s.mu.Unlock()
	if ok {
		return sheet, nil
	}
	teams, err := s.store.Teams.Of(ctx, user)
	if err != nil {
		return access.Sheet{}, err
	}
	given := Given(teams)
	for i := range given {
		if given[i].Holds, err = s.holding(ctx, age, given[i].Tag); err != nil {
			return access.Sheet{}, err
		}
	}
	sheet = access.NewSheet(tree, given)
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.age == age && s.known != nil {
		s.known[user] = sheet
	}
	return sheet, nil
}

// holding is where a tag holds, none for none.
func (s *Sheets) holding(ctx context.Context, age int, tag string) (out access.Holds, err error) {
	if tag == "" {
		return out, nil
	}
	s.mu.Lock()
	out, ok := s.holds[tag]
	s.mu.Unlock()
	if ok {
		return out, nil
	}
	places, devices, err := s.store.Carriers(ctx, tag)
	if err != nil {
		return out, err
	}
	out = access.Holds{Places: places, Devices: devices}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.age == age && s.holds != nil {
		s.holds[tag] = out
	}
	return out, nil
}

// Given are the grants of some teams.
func Given(teams []domain.Team) (out []access.Given) {
	for _, t := range teams {
		for _, g := range t.Grants {
			out = append(out, access.Given{Grant: g, TeamID: t.ID, From: "The team “" + t.Name + "”"})
		}
	}
	return out
}
