package own

import (
	"fmt"

	"tirelessowl/internal/core/derive"
)

// Caution is something that does not fit together, with what mends it.
type Caution struct {
	Text string `json:"text"`
	// Mend says in words what would be set, by the names of the fields of a draft.
	Mend map[string]string `json:"mend,omitempty"`
	Do   string            `json:"do,omitempty"` // what to press for that
}

// Cautions looks at a draft beside values that came of it just now, as the device gave them.
func (d Draft) Cautions(values []derive.Value) (out []Caution) {
	counters, numbers, texts, beyond := 0, 0, 0, false
	for _, v := range values {
		n, isNumber := v.Number()
		switch {
		case v.Kind == derive.Counter32 || v.Kind == derive.Counter64:
			counters++
		case v.Kind == derive.Text && !isNumber:
			texts++
		case isNumber:
			numbers++
		}
		beyond = beyond || isNumber && n*d.Scale > 100
	}
	add := func(is bool, c Caution) {
		if is {
			out = append(out, c)
		}
	}
	add(counters > 0 && d.Treat == AsIs, Caution{
		"It is a counter: kept as it is, it only grows, and begins again at 0 when the device starts.",
		map[string]string{"treat": string(Rate), "unit": "1/s"}, "Make it a rate",
	})
	add(counters == 0 && numbers > 0 && d.Treat == Rate, Caution{
		"It is no counter: there is no rate of a value that goes up and down.",
		map[string]string{"treat": string(AsIs)}, "Keep it as it is",
	})
	add(texts > 0 && (d.Treat == AsIs || d.Treat == Rate), Caution{
		"The device gives a text there, of which no number can be made.",
		map[string]string{"treat": string(Words), "unit": "", "scale": "1"}, "Keep it as a text",
	})
	add(beyond && d.Unit == "%" && d.Treat == AsIs, Caution{
		"It is more than 100 %: is it a share at all, and of what?",
		map[string]string{"unit": ""}, "Take the unit away",
	})
	add(d.Treat == Rate && (d.Unit == "B" || d.Unit == "bit" || d.Unit == "%"), Caution{
		fmt.Sprintf("Its growth a second is not in %s.", d.Unit),
		map[string]string{"unit": map[string]string{"B": "B/s", "bit": "bit/s", "%": "1/s"}[d.Unit]}, "Set the unit of a rate",
	})
	return out
}
