package fit

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/inherit"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

// Effective is a kit as it is collected on a device.
type Effective struct {
	// Kit is without what is off, and with the intervals that hold. Whole is the kit as it says itself.
	Kit, Whole *kit.Kit
	// Values are the parameters that are not as the kit says.
	Values map[string]string
	// Set are the settings of the kit that hold, by their keys.
	Set []Set
	// Missing are parameters that must be set and are nowhere: the sources that need them are not asked.
	Missing []field.Field
}

// Set is a setting of a kit that holds for a device, with where it comes from.
type Set struct {
	domain.KitSetting
	inherit.Resolved
}

// Shaper gives kits in shapes.
type Shaper interface {
	Kits
	Shaped(name string, s kit.Shape) (*kit.Kit, error)
}

// Effect works out how a fitted kit is collected on a device: what is set on the tree for it, with what is
// said where it is fitted. A parameter that is typed at the device goes before one that is set on the tree,
// this before one that a kit sets which brings it along; others are the other fittings of the device, which that may need.
// It is ErrNotFound where the kit is not known.
func Effect(kits Shaper, tree inherit.Tree, d domain.Device, f domain.Fitting, others ...domain.Fitting) (e Effective, err error) {
	if e.Whole, err = kits.Kit(f.Kit); err != nil {
		return e, err
	}
	e.Values = e.values(kits, tree, d, f, others)
	stretch, _ := tree.Stretch(d)
	shape := kit.Shape{Stretch: stretch}
	for _, key := range tree.Untagged(f.Kit) {
		s, _ := key.OfKit() // it is among these
		r := tree.Resolve(d.PlaceID, d.ID, key, func(value string) bool { return ReadSetting(e.Whole, s, value) == "" })
		if !r.Set {
			continue
		}
		e.Set = append(e.Set, Set{s, r})
		e.take(&shape, f, s, r.Value)
	}
	e.Missing = e.Whole.Missing(e.Values)
	for _, p := range e.Missing {
		for _, source := range e.Whole.Needing(p.Name) {
			put(&shape.Sources, source, true)
		}
	}
	slices.SortFunc(e.Set, func(a, b Set) int { return cmp.Compare(a.Key(), b.Key()) })
	e.Kit, err = kits.Shaped(f.Kit, shape)
	return e, err
}

// take lets a setting hold.
func (e *Effective) take(shape *kit.Shape, f domain.Fitting, s domain.KitSetting, value string) {
	switch s.Sort {
	case domain.KitOn:
		shape.Off = value == domain.Off
	case domain.SourceOn:
		put(&shape.Sources, s.Name, value == domain.Off)
	case domain.ReadingOn:
		put(&shape.Readings, s.Name, value == domain.Off)
	case domain.Every:
		every, _ := time.ParseDuration(value) // it was read before
		put(&shape.Every, s.Name, every)
	case domain.Parameter:
		if f.Parameters[s.Name] == "" {
			values := map[string]string{}
			for name, v := range e.Values {
				values[name] = v
			}
			values[s.Name] = value
			e.Values = values
		}
	}
}

func put[V comparable](m *map[string]V, name string, value V) {
	var nothing V
	if value == nothing {
		return
	}
	if *m == nil {
		*m = map[string]V{}
	}
	(*m)[name] = value
}

// The bounds of an interval that is set for a source.
const (
	shortest = time.Second
	longest  = 24 * time.Hour
)

// ReadSetting says what is wrong with a setting of a kit; empty for nothing.
func ReadSetting(k *kit.Kit, s domain.KitSetting, value string) string {
	var there bool
	switch s.Sort {
	case domain.KitOn:
		there = true
	case domain.SourceOn, domain.Every:
		_, there = k.Source(s.Name)
	case domain.ReadingOn:
		_, there = k.Reading(s.Name)
	case domain.Parameter:
		_, errs := k.Check(map[string]string{s.Name: value})
		return errs[s.Name]
	}
	if !there {
		return "The kit has nothing of this name."
	}
	if s.Sort == domain.Every {
		every, err := time.ParseDuration(value)
		if err != nil || every < shortest || every > longest || every%time.Second != 0 {
			return "Write how often, from 1s to 24h, such as 90s or 5m."
		}
		return ""
	}
	if value != domain.On && value != domain.Off {
		return "It is on or off."
	}
	return ""
}

// Off says why a reading is not collected, with where that is set; ok is false for one that is. A
// reading is off with its kit, with its source, or by itself.
func (e Effective) Off(reading string) (s Set, ok bool) {
	if _, made := e.Kit.Reading(reading); made {
		return s, false
	}
	r, there := e.Whole.Reading(reading)
	if !there {
		return s, false
	}
	for _, s := range e.Set {
		if s.Value == domain.Off && (s.Sort == domain.KitOn || s.Sort == domain.SourceOn && s.Name == r.Source ||
			s.Sort == domain.ReadingOn && s.Name == reading) {
			return s, true
		}
	}
	return s, false
}

// Lacks is the parameter that a reading waits for, which must be set and is not; ok is false for none.
func (e Effective) Lacks(reading string) (p field.Field, ok bool) {
	r, there := e.Whole.Reading(reading)
	if !there {
		return p, false
	}
	for _, p := range e.Missing {
		if slices.Contains(e.Whole.Needing(p.Name), r.Source) {
			return p, true
		}
	}
	return p, false
}

// Why explains how the kit is collected.
func (e Effective) Why() why.Trace {
	t := why.Trace{Question: "How is “" + e.Whole.Title + "” collected here?", Answer: "as the kit says"}
	for _, s := range e.Set {
		t.Answer = "otherwise than the kit says"
		t.Include(s.Words(), s.Resolved.Why)
	}
	for _, p := range e.Missing {
		t.Answer = "in part: a parameter is not set"
		t.Because("“"+p.Label+"” must be set", "what needs it is not asked: "+strings.Join(e.Whole.Needing(p.Name), ", "), nil)
	}
	return t
}

// Words say what is set.
func (s Set) Words() string {
	switch s.Sort {
	case domain.KitOn:
		return "The kit is switched " + s.Value
	case domain.SourceOn:
		return "The source " + s.Name + " is switched " + s.Value
	case domain.ReadingOn:
		return "The reading " + s.Name + " is switched " + s.Value
	case domain.Every:
		return s.Name + " is asked every " + s.Value
	}
	return "The parameter " + s.Name + " is " + domain.Told(s.Value)
}

// At says where it is set. It names no place: who sees the device need not see those further up.
func (s Set) At() string {
	if s.Own() {
		return "at the device itself"
	}
	return "at its place or further up"
}
