// Package field describes settings as data: what a form asks for, what is
// allowed, and how to say what is wrong. Ways to collect, channels, kinds of
// rules and kits describe what they need with it; forms, validation and
// documentation come from the description.
package field

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"tirelessowl/internal/domain"
)

// Kind is what a value is.
type Kind string

// The kinds of value. All values are kept as text.
const (
	Text     Kind = "text"
	Whole    Kind = "whole number"
	Number   Kind = "number"
	Duration Kind = "duration" // as 1500ms, 5s, 10m
	Choice   Kind = "choice"
	Secret   Kind = "secret" // never shown again
)

// Field is one setting.
type Field struct {
	Name    string   `json:"name"`
	Label   string   `json:"label"`
	Help    string   `json:"help,omitempty"`
	Kind    Kind     `json:"kind"`
	Default string   `json:"default,omitempty"`
	Choices []string `json:"choices,omitempty"`
	// Labels are what choices are called; one without is called as it is.
	Labels   map[string]string `json:"labels,omitempty"`
	Required bool              `json:"required,omitempty"`
	// Hidden is true for one that no form asks for, though it may be set.
	Hidden bool `json:"hidden,omitempty"`
	// Most is the longest value in bytes; 0 for MaxText.
	Most int `json:"most,omitempty"`
	// Low and High bound numbers (durations in seconds); both 0 for none.
	Low  float64 `json:"low,omitempty"`
	High float64 `json:"high,omitempty"`
	// Group joins fields that are one row of a table, such as those of a level.
	Group string `json:"group,omitempty"`
	// Destination marks a setting that says where secrets are sent: when it
	// changes, they must be typed again.
	Destination bool `json:"destination,omitempty"`
	// Check says what else is wrong with a value; empty when nothing is.
	Check func(value string) string `json:"-"`
}

func (f Field) longest() int {
	if f.Most > 0 {
		return f.Most
	}
	return MaxText
}

// MaxText is the longest value of a field, in bytes, where it does not say otherwise.
const MaxText = 4096

// PortProblem says what is wrong with the number of a TCP or UDP port.
func PortProblem(n int) string {
	if n < 1 || n > LastPort {
		return fmt.Sprintf("Must be a whole number from 1 to %d.", LastPort)
	}
	return ""
}

// LastPort is the highest TCP or UDP port.
const LastPort = 65535

// Port is the field of a TCP or UDP port (1 to 65535).
func Port(label, fallback string) Field {
	return Field{Name: "port", Label: label, Kind: Whole, Default: fallback, Low: 1, High: LastPort}
}

// Check validates values by name and fills in defaults. Values that no field
// describes are refused. The errors are by field.
func Check(fields []Field, values map[string]string) (map[string]string, domain.FieldErrors) {
	clean, errs := make(map[string]string, len(fields)), domain.FieldErrors{}
	for name := range values {
		if !slices.ContainsFunc(fields, func(f Field) bool { return f.Name == name }) {
			errs[name] = "There is no such setting."
		}
	}
	for _, f := range fields {
		value := strings.TrimSpace(values[f.Name])
		if f.Kind == Secret {
			value = values[f.Name] // spaces may be meant
		}
		if value == "" {
			value = f.Default
		}
		if problem := f.Problem(value); problem != "" {
			errs[f.Name] = problem
			continue
		}
		if value != "" {
			clean[f.Name] = value
		}
	}
	return clean, errs
}

// Problem says what is wrong with a value; empty when nothing is.
func (f Field) Problem(value string) string {
	switch {
	case value == "" && f.Required:
		return "Must be set."
	case value == "":
		return ""
	case len(value) > f.longest():
		return fmt.Sprintf("At most %d characters.", f.longest())
	}
	problem := ""
	switch f.Kind {
	case Whole:
		problem = f.whole(value)
	case Number:
		problem = f.number(value)
	case Duration:
		problem = f.duration(value)
	case Choice:
		if !slices.Contains(f.Choices, value) {
			problem = "Choose one of " + strings.Join(f.Choices, ", ") + "."
		}
	}
	if problem == "" && f.Check != nil {
		problem = f.Check(value)
	}
	return problem
}

func (f Field) whole(value string) string {
	n, err := strconv.Atoi(value)
	if err != nil || !f.within(float64(n)) {
		return f.limits("Must be a whole number", "%.0f")
	}
	return ""
}

func (f Field) number(value string) string {
	v, err := ParseNumber(value)
	if err != nil || !f.within(v) {
		return f.limits("Must be a number, such as 90 or 0.5", "%g")
	}
	return ""
}

func (f Field) duration(value string) string {
	d, err := time.ParseDuration(value)
	if err != nil || d <= 0 || !f.within(d.Seconds()) {
		return f.limits("Must be a time such as 1500ms, 5s or 10m", "%gs")
	}
	return ""
}

func (f Field) within(v float64) bool {
	return f.Low == 0 && f.High == 0 || v >= f.Low && v <= f.High
}

func (f Field) limits(text, form string) string {
	if f.Low != 0 || f.High != 0 {
		text += fmt.Sprintf(" from "+form+" to "+form, f.Low, f.High)
	}
	return text + "."
}

// ParseNumber reads a finite number with a decimal point or comma.
func ParseNumber(text string) (float64, error) {
	v, err := strconv.ParseFloat(strings.Replace(strings.TrimSpace(text), ",", ".", 1), 64)
	if err == nil && (math.IsNaN(v) || math.IsInf(v, 0)) {
		err = strconv.ErrRange
	}
	return v, err
}

// Secrets returns the fields whose values are secret, Open the others.
func Secrets(fields []Field) []Field { return only(fields, true) }

// Open returns the fields whose values may be shown.
func Open(fields []Field) []Field { return only(fields, false) }

func only(fields []Field, secret bool) (out []Field) {
	for _, f := range fields {
		if (f.Kind == Secret) == secret {
			out = append(out, f)
		}
	}
	return out
}
