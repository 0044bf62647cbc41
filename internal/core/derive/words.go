package derive

import (
	"errors"
	"fmt"
	"strconv"
	"strings"
)

// mapping gives a value another word or number.
type mapping struct {
	to    map[string]Value
	other Value // for all that is not named; Missing where that is a problem
}

func (m mapping) apply(v Value, _ *Formula, _ *Look) (Value, error) {
	if to, ok := m.to[strings.TrimSpace(v.String())]; ok {
		return to, nil
	}
	if m.other.Kind == Missing {
		return v, fmt.Errorf("nothing is said of “%.40s”", CleanText(v.String()))
	}
	return m.other, nil
}

const mostPairs = 200

// mapped reads pairs such as ok=1, failed=2, *=0, each with a comma behind or on a line of its own.
// What all of them lead to is a number where it reads as one.
func mapped(s *Steps, with string, _ Places) error {
	pairs := strings.FieldsFunc(with, func(r rune) bool { return r == ',' || r == '\n' })
	m := mapping{to: map[string]Value{}}
	if len(pairs) == 0 || len(pairs) > mostPairs {
		return fmt.Errorf("pairs such as ok=1, failed=2, *=0; at most %d", mostPairs)
	}
	for _, pair := range pairs {
		from, to, ok := strings.Cut(pair, "=")
		if from, to = strings.TrimSpace(from), strings.TrimSpace(to); !ok || from == "" || to == "" {
			return fmt.Errorf("“%.40s” is no pair such as ok=1", strings.TrimSpace(pair))
		}
		if _, again := m.to[from]; again {
			return errors.New("“" + from + "” stands there twice")
		}
		v := Value{Kind: Text, Text: to}
		if n, err := strconv.ParseFloat(to, 64); err == nil {
			v = gauge(n)
		}
		if from == "*" {
			m.other = v
			continue
		}
		m.to[from] = v
	}
	s.add(m)
	return nil
}
