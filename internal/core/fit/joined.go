package fit

import (
	"maps"
	"slices"

	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/domain"
)

// values are the parameters of a fitting. What the kit that brings it along sets as {NAME} is the value that its own
// parameter NAME has on the device: one value feeds several kits. Where that kit is not among the others, or the value does not
// suit, it counts as not set.
func (e Effective) values(kits Shaper, tree inherit.Tree, d domain.Device, f domain.Fitting, others []domain.Fitting) map[string]string {
	out := f.Values()
	if f.Inside == "" {
		return out
	}
	outer, err := kits.Kit(f.Inside)
	if err != nil {
		return out
	}
	for name, value := range f.Presets {
		p, joined := outer.Joined(value)
		if !joined || f.Parameters[name] != "" {
			continue
		}
		delete(out, name) // it is a copy where there are presets
		if value = outerValue(kits, tree, d, f, others, p.Name); value == "" {
			continue
		}
		if _, errs := e.Whole.Check(map[string]string{name: value}); len(errs) == 0 {
			out[name] = value
		}
	}
	return out
}

// outerValue is what a parameter of the kit that brings a fitting along is on the device.
func outerValue(kits Shaper, tree inherit.Tree, d domain.Device, f domain.Fitting, others []domain.Fitting, name string) string {
	i := slices.IndexFunc(others, func(o domain.Fitting) bool { return o.Kit == f.Inside })
	if i < 0 {
		return ""
	}
	// Each is asked once: kits in a circle, which are refused, would not end.
	rest := slices.DeleteFunc(slices.Clone(others), func(o domain.Fitting) bool { return o.Kit == f.Kit || o.Kit == f.Inside })
	e, err := Effect(kits, tree, d, others[i], rest...)
	if err != nil {
		return ""
	}
	return e.Whole.Value(maps.Clone(e.Values), name)
}
