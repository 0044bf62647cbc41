package domain

import (
	"slices"
	"time"
)

// User is a person who may sign in.
type User struct {
	ID      ID     `json:"id"`
	Name    string `json:"name"`
	Display string `json:"display"`
	// PlaceID is the part of the tree that the person belongs to, and whose
	// administrators may change the person; zero for the whole tree.
	PlaceID ID `json:"place_id"`
	// Locked people cannot sign in; RemovedAt is when a person was removed, whose
	// name history keeps.
	Locked    bool      `json:"locked"`
	RemovedAt time.Time `json:"removed_at,omitzero"`
	CreatedAt time.Time `json:"created_at"`
	SeenAt    time.Time `json:"seen_at,omitzero"` // last sign-in
	Version   int       `json:"version"`
	Hash      string    `json:"-"`
}

// Called is the name that a person is shown by.
func (u User) Called() string {
	if u.Display != "" {
		return u.Display
	}
	return u.Name
}

// Access is what a person or token may do; each level includes those before it.
type Access string

// The levels of access.
const (
	AccessSee        Access = "see"
	AccessOperate    Access = "operate"
	AccessConfigure  Access = "configure"
	AccessAdminister Access = "administer"
)

// AllAccess lists the levels, the lowest first.
func AllAccess() []Access {
	return []Access{AccessSee, AccessOperate, AccessConfigure, AccessAdminister}
}

var accessOrder = map[Access]int{AccessSee: 1, AccessOperate: 2, AccessConfigure: 3, AccessAdminister: 4}

// Valid tells whether the level exists.
func (a Access) Valid() bool { return accessOrder[a] > 0 }

// Allows tells whether level a includes what level needed permits.
func (a Access) Allows(needed Access) bool { return a.Valid() && accessOrder[a] >= accessOrder[needed] }

// AtMost returns the lower of two levels.
func (a Access) AtMost(b Access) Access {
	if accessOrder[b] < accessOrder[a] {
		return b
	}
	return a
}

// Area is one of the work areas, in the order of the job.
type Area string

// The work areas.
const (
	AreaWatch       Area = "watch"
	AreaFind        Area = "find"
	AreaCollect     Area = "collect"
	AreaJudge       Area = "judge"
	AreaRespond     Area = "respond"
	AreaInvestigate Area = "investigate"
	AreaPlan        Area = "plan"
	AreaRun         Area = "run"
)

// AllAreas lists the work areas in the order of the job.
func AllAreas() []Area {
	return []Area{AreaWatch, AreaFind, AreaCollect, AreaJudge, AreaRespond, AreaInvestigate, AreaPlan, AreaRun}
}

// Valid tells whether the area exists.
func (a Area) Valid() bool { return slices.Contains(AllAreas(), a) }

// Grant is a level on a part of the tree for some work areas.
type Grant struct {
	ID ID `json:"id"`
	// PlaceID is the place whose part of the tree is meant; zero for the whole tree.
	PlaceID ID     `json:"place_id"`
	Level   Access `json:"level"`
	Areas   []Area `json:"areas"` // empty for all
	// Tag narrows it to the devices there that carry this tag, by themselves or by where
	// they stand; empty for everything there.
	Tag string `json:"tag,omitempty"`
}

// For tells whether the grant holds for a work area.
func (g Grant) For(area Area) bool { return len(g.Areas) == 0 || slices.Contains(g.Areas, area) }

// Team is people together, with what they may do.
type Team struct {
	ID   ID     `json:"id"`
	Name string `json:"name"`
	// PlaceID is the part of the tree that the team belongs to: its grants lie
	// within. Zero for the whole tree.
	PlaceID ID      `json:"place_id"`
	Members []ID    `json:"members"`
	Grants  []Grant `json:"grants"`
	Version int     `json:"version"`
}

// Token is a key for the API.
type Token struct {
	ID   ID     `json:"id"`
	Name string `json:"name"`
	// OwnerID is the person on whose behalf it acts: it may do nothing that its
	// owner may not. Zero for one made by the program itself.
	OwnerID ID `json:"owner_id"`
	// Grant bounds what it may do.
	Grant     Grant     `json:"grant"`
	CreatedAt time.Time `json:"created_at"`
	EndsAt    time.Time `json:"ends_at,omitzero"` // zero for never
	UsedAt    time.Time `json:"used_at,omitzero"`
}

// Ended tells whether a token has run out.
func (t Token) Ended(now time.Time) bool { return !t.EndsAt.IsZero() && !now.Before(t.EndsAt) }
