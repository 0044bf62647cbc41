package kit

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/cadence"
)

// Shape is how a kit is collected on a device: by what its intervals are stretched, and what is set for it
// there and above.
type Shape struct {
	Stretch float64 // 1 for as the kit says
	// Off is true where nothing of it is collected. Sources are those that are not asked, Readings those
	// that are not made, by their keys.
	Off      bool
	Sources  map[string]bool
	Readings map[string]bool
	// Every is how often sources are asked where that is set: it is not stretched.
	Every map[string]time.Duration
}

// Plain tells whether a kit is collected as it says itself.
func (s Shape) Plain() bool {
	return s.Stretch == 1 && !s.Off && len(s.Sources)+len(s.Readings)+len(s.Every) == 0
}

// name is the same for the same shapes.
func (s Shape) name() string {
	var every []string
	for _, source := range slices.Sorted(maps.Keys(s.Every)) {
		every = append(every, source+" "+s.Every[source].String())
	}
	return fmt.Sprintf("%g|%t|%s|%s|%s", s.Stretch, s.Off, off(s.Sources), off(s.Readings), strings.Join(every, ","))
}

func off(set map[string]bool) string {
	var out []string
	for key, is := range set {
		if is {
			out = append(out, key)
		}
	}
	slices.Sort(out)
	return strings.Join(out, ",")
}

// Shaped is the kit as it is collected in a shape. A source of which every reading is off is not asked.
func (k *Kit) Shaped(s Shape) *Kit {
	out := *k
	out.Readings = slices.DeleteFunc(slices.Clone(k.Readings), func(r Reading) bool {
		return s.Off || s.Readings[r.Key] || s.Sources[r.Source]
	})
	out.Sources = slices.DeleteFunc(slices.Clone(k.Sources), func(src Source) bool {
		feeds := func(r Reading) bool { return r.Source == src.Key }
		idle := slices.ContainsFunc(k.Readings, feeds) && !slices.ContainsFunc(out.Readings, feeds)
		return s.Off || s.Sources[src.Key] || idle
	})
	for i, src := range out.Sources {
		if every, set := s.Every[src.Key]; set {
			out.Sources[i].Every = every
		} else {
			out.Sources[i].Every = cadence.Stretched(src.Every, s.Stretch)
		}
	}
	out.Parts = slices.DeleteFunc(slices.Clone(k.Parts), func(p Parts) bool {
		_, asked := out.Source(p.Source)
		return !asked
	})
	return &out
}
