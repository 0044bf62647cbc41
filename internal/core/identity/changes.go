package identity

import (
	"cmp"
	"slices"
	"strings"
)

// Seen is a device as one run of a sweep saw it.
type Seen struct {
	Identity    string   `json:"identity"`
	Address     string   `json:"address"`
	Others      []string `json:"others,omitempty"`
	Name        string   `json:"name,omitempty"`
	Vendor      string   `json:"vendor,omitempty"`
	Model       string   `json:"model,omitempty"`
	Kind        string   `json:"kind,omitempty"`
	Description string   `json:"description,omitempty"`
	Location    string   `json:"location,omitempty"`
	// Gone is for how many runs it has not answered; 0 while it does.
	Gone int `json:"gone,omitempty"`
}

// ChangeKind is what happened to a device from one run to the next.
type ChangeKind string

// The kinds of change.
const (
	Appeared ChangeKind = "new"
	Altered  ChangeKind = "changed"
	Vanished ChangeKind = "gone"
	Returned ChangeKind = "back"
)

// Change is what happened to one device.
type Change struct {
	Kind     ChangeKind   `json:"kind"`
	Identity string       `json:"identity"`
	Address  string       `json:"address"`
	Name     string       `json:"name,omitempty"`
	What     []Difference `json:"what,omitempty"` // of one that changed
}

// Difference is one property that is another one now.
type Difference struct {
	Property string `json:"property"`
	From     string `json:"from,omitempty"`
	To       string `json:"to,omitempty"`
}

// rememberGone is for how many runs one that does not answer is remembered, so that it comes back
// instead of being new.
const rememberGone = 20

// Changes tells what happened between what was seen before and now, in the order of what happened
// and of addresses, and what to compare the next run with.
func Changes(before, now []Seen) (changes []Change, next []Seen) {
	was := make(map[string]Seen, len(before))
	for _, s := range before {
		was[s.Identity] = s
	}
	there := make(map[string]bool, len(now))
	for _, s := range now {
		there[s.Identity] = true
		old, known := was[s.Identity]
		what := old.differs(s)
		c := Change{Identity: s.Identity, Address: s.Address, Name: s.Name}
		switch {
		case !known:
			c.Kind = Appeared
		case old.Gone > 0:
			c.Kind, c.What = Returned, what
		case len(what) > 0:
			c.Kind, c.What = Altered, what
		}
		if c.Kind != "" {
			changes = append(changes, c)
		}
	}
	next = slices.Clone(now)
	for _, s := range before {
		if there[s.Identity] {
			continue
		}
		if s.Gone == 0 {
			changes = append(changes, Change{Kind: Vanished, Identity: s.Identity, Address: s.Address, Name: s.Name})
		}
		if s.Gone++; s.Gone <= rememberGone {
			next = append(next, s)
		}
	}
	order := []ChangeKind{Vanished, Appeared, Returned, Altered}
	slices.SortStableFunc(changes, func(a, b Change) int {
		return cmp.Or(cmp.Compare(slices.Index(order, a.Kind), slices.Index(order, b.Kind)), compareIndex(a.Address, b.Address))
	})
	return changes, next
}

// differs tells what is another one at a later time.
func (s Seen) differs(now Seen) (out []Difference) {
	for _, p := range []struct{ name, from, to string }{
		{"address", s.Address, now.Address},
		{"further addresses", strings.Join(s.Others, ", "), strings.Join(now.Others, ", ")},
		{"name", s.Name, now.Name},
		{"vendor", s.Vendor, now.Vendor},
		{"model", s.Model, now.Model},
		{"kind", s.Kind, now.Kind},
		{"description", s.Description, now.Description},
		{"location", s.Location, now.Location},
	} {
		if p.from != p.to {
			out = append(out, Difference{p.name, p.from, p.to})
		}
	}
	return out
}
