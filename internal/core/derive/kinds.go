package derive

import (
	"fmt"
	"math"
	"strconv"
	"strings"
)

// StepKind is one thing that a step can do.
type StepKind struct {
	Do    string
	Title string
	// With says what goes with it, with an example; both empty where nothing does.
	With    string
	Example string
	// Column is true where that is a column of the table.
	Column bool
	// Computes is true for what is done with numbers alone.
	Computes bool
	// Choices are all that may go with it; empty where anything may that makes sense.
	Choices []string
	into    func(s *Steps, with string, in Places) error
}

// StepKinds are all steps, in the order in which they are offered.
var StepKinds = []StepKind{
	{Do: "rate", Computes: true, Title: "Growth a second of a counter", into: counting(false)},
	{Do: "change", Computes: true, Title: "Change since the last look", into: counting(true)},
	{Do: "scale", Computes: true, Title: "Times a number", With: "Number", Example: "8", into: scaled},
	{Do: "offset", Computes: true, Title: "Plus a number", With: "Number", Example: "-273.15",
		into: numbered(func(n float64) Step { return offset(n) })},
	{Do: "clamp", Computes: true, Title: "Not beyond", With: "From and to", Example: "0..100", into: clamped},
	{Do: "times", Computes: true, Title: "Times a column", With: "Column", Column: true,
		into: columned(func(at int) Step { return times(at) })},
	{Do: "percent_of", Computes: true, Title: "As a share of a column, in %", With: "Column", Column: true,
		into: quotient(func(at int) Step { return share{at, false} })},
	{Do: "share_with", Computes: true, Title: "As a share of itself and a column, in %", With: "Column", Column: true,
		into: quotient(func(at int) Step { return share{at, true} })},
	{Do: "map", Title: "Words or numbers for others", With: "Pairs", Example: "ok=1, failed=2, *=0", into: mapped},
	{Do: "find", Title: "Find by a pattern (RE2)", With: "Pattern", Example: `load=([0-9.]+)`, into: found(pattern)},
	{Do: "json", Title: "Find in JSON (RFC 9535)", With: "Path", Example: "$.system.load", into: found(jsonPath)},
	{Do: "xml", Title: "Find in XML (XPath)", With: "Path", Example: "/status/load", into: found(xmlPath)},
	{Do: "decode", Title: "Read as", With: "What it is", Choices: decodings(), into: decoded},
	{Do: "compute", Computes: true, Title: "Formula (CEL)", With: "Formula", Example: `value / reading["total"] * 100`, into: computed},
}

// StepKindOf returns a kind by what it does.
func StepKindOf(do string) (StepKind, bool) {
	for _, k := range StepKinds {
		if k.Do == do {
			return k, true
		}
	}
	return StepKind{}, false
}

func number(with string) (float64, error) {
	n, err := strconv.ParseFloat(strings.ReplaceAll(strings.TrimSpace(with), ",", "."), 64)
	if err != nil || math.IsNaN(n) || math.Abs(n) > 1e15 {
		return 0, fmt.Errorf("a number such as 8 or 0.01")
	}
	return n, nil
}

func numbered(step func(float64) Step) func(*Steps, string, Places) error {
	return func(s *Steps, with string, _ Places) error {
		n, err := number(with)
		if err != nil {
			return err
		}
		s.add(step(n))
		return nil
	}
}

func columned(step func(int) Step) func(*Steps, string, Places) error {
	return func(s *Steps, with string, in Places) error {
		at, err := s.uses(with, in)
		if err != nil {
			return err
		}
		s.add(step(at))
		return nil
	}
}

func quotient(step func(int) Step) func(*Steps, string, Places) error {
	into := columned(step)
	return func(s *Steps, with string, in Places) error {
		s.rounds = true
		return into(s, with, in)
	}
}

func scaled(s *Steps, with string, _ Places) error {
	n, err := number(with)
	if err != nil || n == 0 || math.Abs(n) < 1e-15 {
		return fmt.Errorf("a number other than 0, such as 8 or 0.01")
	}
	line := s.line * n
	s.add(scale(n))
	s.line = line
	return nil
}

func counting(change bool) func(*Steps, string, Places) error {
	return func(s *Steps, with string, _ Places) error {
		if s.counts {
			return fmt.Errorf("a value is compared with the one before only once")
		}
		if with != "" && with != "true" {
			return fmt.Errorf("nothing goes with it")
		}
		first := len(s.list) == 0
		s.add(count{change})
		s.counts, s.rounds = true, true
		if first && !change {
			s.line = 1
		}
		return nil
	}
}
