package own

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"tirelessowl/internal/core/derive"
)

// Caution is something that does not fit together, with what mends it.
type Caution struct {
	Text string `json:"text"`
	// Mend says in words what would be set, by the names of the fields of a draft.
	Mend map[string]string `json:"mend,omitempty"`
	Do   string            `json:"do,omitempty"` // what to press for that
}

// Seen is what a draft met at the device just now.
type Seen struct {
	Raw    []derive.Value // as the device said them
	Stored []float64      // as they would be stored
}

// Cautions looks at a draft beside what came of it just now, and how its object is best read.
func (d Draft) Cautions(seen Seen, best Draft) (out []Caution) {
	if d.Treat != Number {
		return nil
	}
	counters, numbers, texts := seen.kinds()
	add := func(is bool, c Caution) {
		if is {
			out = append(out, c)
		}
	}
	counted := d.Counts()
	add(counters > 0 && !counted && !d.does("compute"), Caution{
		"It is a counter: kept as it is, it only grows, and begins again at 0 when the device starts.",
		map[string]string{"steps": Lines(append([]derive.Written{{Do: "rate"}}, d.Steps...)), "unit": rateOf(d.Unit)}, "Make it a rate",
	})
	add(counters == 0 && numbers > 0 && d.does("rate"), Caution{
		"It is no counter: there is no rate of a value that goes up and down.",
		map[string]string{"steps": Lines(d.without("rate")), "unit": strings.TrimSuffix(d.Unit, "/s")}, "Take the step away",
	})
	add(texts > 0 && counters+numbers == 0 && len(d.Steps) == 0, Caution{
		"The device gives a text there: keep it as such, or read a number out of it.",
		map[string]string{"treat": string(Words), "unit": "", "steps": ""}, "Keep it as a text",
	})
	add(d.Unit == "%" && slices.ContainsFunc(seen.Stored, func(n float64) bool { return n > 100 }), Caution{
		"It is more than 100 %: is it a share at all, and of what?",
		map[string]string{"unit": ""}, "Take the unit away",
	})
	add(d.does("rate") && slices.Contains([]string{"B", "bit", "%", "s"}, d.Unit) && !d.shares(), Caution{
		fmt.Sprintf("Its growth a second is not in %s.", d.Unit), map[string]string{"unit": rateOf(d.Unit)}, "Set the unit of a rate",
	})
	add(d.shares() && d.Unit != "%", Caution{
		"A share of a column is in %.", map[string]string{"unit": "%"}, "Set the unit to %",
	})
	return append(out, d.factors(best)...)
}

func (s Seen) kinds() (counters, numbers, texts int) {
	for _, v := range s.Raw {
		_, isNumber := v.Number()
		switch {
		case v.Kind == derive.Counter32 || v.Kind == derive.Counter64:
			counters++
		case isNumber:
			numbers++
		case v.Kind == derive.Text:
			texts++
		}
	}
	return counters, numbers, texts
}

// Counts tells whether it compares two looks.
func (d Draft) Counts() bool { return d.does("rate") || d.does("change") }

func (d Draft) does(do string) bool {
	return slices.ContainsFunc(d.Steps, func(w derive.Written) bool { return w.Do == do })
}

func (d Draft) shares() bool {
	last := len(d.Steps) - 1
	return last >= 0 && (d.Steps[last].Do == "percent_of" || d.Steps[last].Do == "share_with")
}

func (d Draft) without(do string) []derive.Written {
	return slices.DeleteFunc(slices.Clone(d.Steps), func(w derive.Written) bool { return w.Do == do })
}

// rateOf is the unit of the growth a second of what has a unit.
func rateOf(unit string) string {
	if strings.HasSuffix(unit, "/s") {
		return unit
	}
	if of, ok := map[string]string{"B": "B/s", "bit": "bit/s"}[unit]; ok {
		return of
	}
	return "1/s"
}

// factors compares what it multiplies by with what its unit needs, by the description of its object.
func (d Draft) factors(best Draft) []Caution {
	mine, ok := d.factor()
	needed, known := best.factor()
	if !ok || !known || d.Counts() != best.Counts() {
		return nil
	}
	bits := map[string]string{"bit": "B", "bit/s": "B/s"}
	switch {
	case d.Unit == best.Unit:
	case bits[best.Unit] == d.Unit && d.Unit != "":
		needed /= 8
	case bits[d.Unit] == best.Unit && best.Unit != "":
		needed *= 8
	default:
		return nil
	}
	if d.Unit == "" || math.Abs(mine-needed) <= 1e-9*math.Abs(needed) {
		return nil
	}
	steps := d.without("scale")
	if needed != 1 {
		steps = append(steps, derive.Written{Do: "scale", With: strconv.FormatFloat(needed, 'g', -1, 64)})
	}
	return []Caution{{
		fmt.Sprintf("By the description of the object it is in %s after × %g, not × %g.", d.Unit, needed, mine),
		map[string]string{"steps": Lines(steps)}, fmt.Sprintf("Multiply by %g", needed),
	}}
}

// factor is what a value is multiplied by on the way; ok is false where other steps say otherwise.
func (d Draft) factor() (by float64, ok bool) {
	by = 1
	for _, w := range d.Steps {
		switch w.Do {
		case "rate", "change":
		case "scale":
			n, err := strconv.ParseFloat(w.With, 64)
			if err != nil {
				return 0, false
			}
			by *= n
		default:
			return 0, false
		}
	}
	return by, true
}

// Lines writes steps one a line.
func Lines(steps []derive.Written) string {
	out := make([]string, len(steps))
	for i, w := range steps {
		out[i] = w.String()
	}
	return strings.Join(out, "\n")
}

// OfLines reads steps that stand one a line.
func OfLines(text string) (out []derive.Written) {
	for line := range strings.Lines(text) {
		do, with, _ := strings.Cut(strings.TrimSpace(line), " ")
		if do != "" {
			out = append(out, derive.Written{Do: do, With: strings.TrimSpace(with)})
		}
	}
	return out
}
