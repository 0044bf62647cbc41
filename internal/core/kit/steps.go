package kit

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/derive"
)

// fileSteps are the steps of a reading in a kit file: those in their order, or the usual ones in short, which are taken
// in this order.
type fileSteps struct {
	Rate      bool
	Times     string
	PercentOf string `yaml:"percent_of"`
	ShareWith string `yaml:"share_with"`
	Scale     float64
	Steps     []map[string]string
}

// written are the steps, whichever way they stand there.
func (f fileSteps) written() (out []derive.Written, err error) {
	if f.Rate {
		out = append(out, derive.Written{Do: "rate"})
	}
	columns := []derive.Written{{Do: "times", With: f.Times}, {Do: "percent_of", With: f.PercentOf}, {Do: "share_with", With: f.ShareWith}}
	for _, short := range columns {
		if short.With != "" {
			out = append(out, short)
		}
	}
	if f.Scale != 0 && f.Scale != 1 {
		out = append(out, derive.Written{Do: "scale", With: strconv.FormatFloat(f.Scale, 'g', -1, 64)})
	}
	if len(out) > 0 && len(f.Steps) > 0 {
		return nil, errors.New("write all steps under steps, or none")
	}
	for i, step := range f.Steps {
		if len(step) != 1 {
			return nil, fmt.Errorf("step %d does not do exactly one thing", i+1)
		}
		for do, with := range step {
			out = append(out, derive.Written{Do: do, With: with})
		}
	}
	return out, nil
}

// StepsIn are the steps of a reading as it stands in a kit file.
func StepsIn(reading *yaml.Node) ([]derive.Written, error) {
	var f fileSteps
	if err := reading.Decode(&f); err != nil {
		return nil, err
	}
	return f.written()
}

// longestHeartbeat keeps what is stored from looking like a gap for a day.
const longestHeartbeat = 24 * time.Hour

func heartbeat(text string) (time.Duration, error) {
	if text == "" {
		return 0, nil
	}
	d, err := time.ParseDuration(text)
	if err != nil || d < time.Minute || d > longestHeartbeat {
		return 0, fmt.Errorf("heartbeat %q is not a time from 1m to 24h", text)
	}
	return d, nil
}

// compile makes the steps of a reading for one of the variants of its source.
func (k *Kit) compile(src *Source, r Reading) []error {
	in := derive.Places{Of: src.Column}
	for _, c := range src.columns {
		in.Names = append(in.Names, c.As)
	}
	steps, err := derive.Compile(r.Steps, in)
	if err != nil {
		return []error{fmt.Errorf("reading %q: %w", r.Key, err)}
	}
	if problem := k.before(r, steps.Readings()); problem != "" {
		return []error{fmt.Errorf("reading %q: %s", r.Key, problem)}
	}
	if src.steps == nil {
		src.steps = map[string]derive.Steps{}
	}
	src.steps[r.Key] = steps
	return nil
}

// before says of which reading a formula cannot know the value: those of the kit must stand before
// it, be numbers, and be of the same kind of part or of the device. What another kit has, as
// kit/reading, is known when it is collected.
func (k *Kit) before(r Reading, keys []string) string {
	at := slices.IndexFunc(k.Readings, func(x Reading) bool { return x.Key == r.Key })
	for _, key := range keys {
		if strings.Contains(key, "/") {
			continue
		}
		ok := slices.ContainsFunc(k.Readings[:at], func(x Reading) bool {
			return x.Key == key && !x.Text && (x.Of == "" || x.Of == r.Of)
		})
		if !ok {
			return fmt.Sprintf("its formula needs the reading %q: a number of the device or of the same part, which stands before it", key)
		}
	}
	return ""
}

func counts(w derive.Written) bool { return w.Do == "rate" || w.Do == "change" }

// saidOf is a step in words.
func (r Reading) saidOf(w derive.Written) string {
	switch w.Do {
	case "rate":
		return "A counter becomes a rate a second"
	case "change":
		return "It is the change since the last look"
	case "scale":
		if r.Unit == "" {
			return "It is multiplied by " + w.With
		}
		return "It is multiplied by " + w.With + " to give " + r.Unit
	case "offset":
		return w.With + " is added"
	case "clamp":
		return "It is kept within " + w.With
	case "times":
		return "It is multiplied by " + w.With
	case "percent_of":
		return "It is expressed as a share of " + w.With
	case "share_with":
		return "It is expressed as a share of itself and " + w.With + " together"
	case "map":
		return "It stands for another word or number: " + w.With
	case "find", "json", "xml":
		return "What is found at " + w.With + " is taken"
	case "decode":
		return "It is read as " + w.With
	case "compute":
		return "It is computed as " + w.With
	}
	return w.String()
}

// SaidShort is what becomes of the raw value, in few words.
func (r Reading) SaidShort() string {
	short := map[string]string{"rate": "counter to rate", "change": "change", "scale": "×", "times": "×", "percent_of": "share of",
		"share_with": "share of itself and", "offset": "plus", "clamp": "within", "compute": "formula"}
	var out []string
	for _, w := range r.Steps {
		if w.Do == "compute" {
			w.With = ""
		}
		if said, ok := short[w.Do]; ok {
			w.Do = said
		}
		out = append(out, w.String())
	}
	return strings.Join(out, ", ")
}
