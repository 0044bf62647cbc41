package derive

import (
	"errors"
	"fmt"
	"strings"
)

func gauge(n float64) Value { return Value{Kind: Gauge, Num: n} }

// on is a value as a number, which a step computes with.
func on(v Value, f func(n float64) (float64, error)) (Value, error) {
	n, ok := v.Number()
	if !ok {
		return v, fmt.Errorf("expected a number, got the text “%.40s”", v.Text)
	}
	n, err := f(n)
	return gauge(n), err
}

// scale multiplies.
type scale float64

func (s scale) apply(v Value, _ *Formula, _ *Look) (Value, error) {
	return on(v, func(n float64) (float64, error) { return n * float64(s), nil })
}

// offset adds.
type offset float64

func (o offset) apply(v Value, _ *Formula, _ *Look) (Value, error) {
	return on(v, func(n float64) (float64, error) { return n + float64(o), nil })
}

// clamp keeps a value within bounds.
type clamp struct{ low, high float64 }

func (c clamp) apply(v Value, _ *Formula, _ *Look) (Value, error) {
	return on(v, func(n float64) (float64, error) { return min(max(n, c.low), c.high), nil })
}

// farthest is a bound that no value reaches.
const farthest = 1e300

func clamped(s *Steps, with string, _ Places) (err error) {
	c := clamp{-farthest, farthest}
	low, high, ok := strings.Cut(with, "..")
	if low = strings.TrimSpace(low); ok && low != "" {
		c.low, err = number(low)
	}
	if high = strings.TrimSpace(high); ok && high != "" && err == nil {
		c.high, err = number(high)
	}
	if err != nil || !ok || c.low >= c.high || low == "" && high == "" {
		return errors.New("two bounds such as 0..100, or one such as 0.. or ..100")
	}
	s.add(c)
	return nil
}

// times multiplies by a column.
type times int

func (t times) apply(v Value, _ *Formula, x *Look) (Value, error) {
	by, ok := x.column(int(t))
	if !ok {
		return v, errors.New("the size of one unit is missing")
	}
	return on(v, func(n float64) (float64, error) { return n * by, nil })
}

// share expresses a value in % of a column, or of itself and that column together, such as what
// is still available.
type share struct {
	column int
	self   bool
}

func (s share) apply(v Value, _ *Formula, x *Look) (Value, error) {
	whole, ok := x.column(s.column)
	if !ok && s.self {
		return v, errors.New("what is left is missing")
	}
	return on(v, func(n float64) (float64, error) {
		if s.self {
			whole += n
		}
		if !ok || whole <= 0 {
			return 0, errors.New("the total is missing or zero")
		}
		return n / whole * 100, nil
	})
}
