package derive

import (
	"errors"
	"slices"

	"tirelessowl/internal/core/condition"
)

// formula computes by one that people wrote.
type formula struct {
	*condition.Formula
	places map[string]int
}

func (c formula) apply(v Value, _ *Formula, x *Look) (Value, error) {
	return on(v, func(n float64) (float64, error) {
		return c.Compute(n, func(column string) (float64, bool) { return x.column(c.places[column]) }, x.Reading)
	})
}

func computed(s *Steps, with string, in Places) error {
	made, err := condition.CompileFormula(with, in.Names)
	if err != nil {
		return err
	}
	c := formula{made, map[string]int{}}
	for _, name := range made.Columns() {
		if c.places[name], err = s.uses(name, in); err != nil {
			return err
		}
	}
	for _, key := range made.Readings() {
		if key == "" {
			return errors.New("a reading needs a key")
		}
		if !slices.Contains(s.readings, key) {
			s.readings = append(s.readings, key)
		}
	}
	s.rounds = true
	s.add(c)
	return nil
}
