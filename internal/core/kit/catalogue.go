package kit

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"sync"

	"tirelessowl/internal/domain"
)

// Catalogue is a set of kits that does not change: whoever holds one sees the
// same kits as long as it works.
type Catalogue struct {
	byName  map[string]*Kit
	byTitle []*Kit
	mu      sync.Mutex
	shaped  map[shaped]*Kit
}

// shaped names a kit in a shape.
type shaped struct{ kit, shape string }

// NewCatalogue holds the given kits, and those that single devices have by themselves, which
// are found by their names alone.
func NewCatalogue(kits, own []*Kit) *Catalogue {
	c := &Catalogue{byName: map[string]*Kit{}, byTitle: slices.Clone(kits), shaped: map[shaped]*Kit{}}
	for _, k := range slices.Concat(kits, own) {
		c.byName[k.Name] = k
	}
	slices.SortFunc(c.byTitle, func(a, b *Kit) int { return cmp.Or(cmp.Compare(a.Title, b.Title), cmp.Compare(a.Name, b.Name)) })
	return c
}

// WithOwn is the catalogue with the own kit of one device as it is from here on.
func (c *Catalogue) WithOwn(k *Kit) *Catalogue {
	out := &Catalogue{byName: maps.Clone(c.byName), byTitle: c.byTitle, shaped: map[shaped]*Kit{}}
	out.byName[k.Name] = k
	return out
}

// With is the catalogue with a kit as it is from here on; nil for one that is not there any more.
func (c *Catalogue) With(name string, k *Kit) *Catalogue {
	others := slices.DeleteFunc(slices.Clone(c.byTitle), func(x *Kit) bool { return x.Name == name })
	if k != nil {
		others = append(others, k)
	}
	out := NewCatalogue(others, nil)
	for other, x := range c.byName {
		if _, there := out.byName[other]; !there && other != name {
			out.byName[other] = x
		}
	}
	return out
}

// Kits returns all kits by title, without those that single devices have by themselves.
func (c *Catalogue) Kits() []*Kit { return c.byTitle }

// Kit returns a kit by name, or ErrNotFound.
func (c *Catalogue) Kit(name string) (*Kit, error) {
	if k, ok := c.byName[name]; ok {
		return k, nil
	}
	return nil, fmt.Errorf("kit %q: %w", name, domain.ErrNotFound)
}

// Shaped returns a kit as it is collected in a shape, or ErrNotFound. There is one for all devices of the
// same shape.
func (c *Catalogue) Shaped(name string, s Shape) (*Kit, error) {
	k, err := c.Kit(name)
	if err != nil || s.Plain() {
		return k, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	key := shaped{name, s.name()}
	if c.shaped[key] == nil {
		c.shaped[key] = k.Shaped(s)
	}
	return c.shaped[key], nil
}

// Reading returns a reading by the names of its kit and itself; ok is false
// if there is none.
func (c *Catalogue) Reading(kit, reading string) (Reading, bool) {
	if k, ok := c.byName[kit]; ok {
		return k.Reading(reading)
	}
	return Reading{}, false
}

// Ref names a reading of a kit.
type Ref struct{ Kit, Reading string }

// For returns the readings that serve a purpose.
func (c *Catalogue) For(p Purpose) (out []Ref) {
	for _, k := range c.byTitle {
		for _, r := range k.Readings {
			if r.Purpose == p {
				out = append(out, Ref{k.Name, r.Key})
			}
		}
	}
	return out
}
