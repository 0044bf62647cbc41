package ui

import (
	"math"
	"strings"
	"time"

	"tirelessowl/internal/core/cadence"
	"tirelessowl/internal/core/units"
	"tirelessowl/internal/domain"
)

// Newest is a newest value with what is needed to show it.
type Newest struct {
	Value  float64
	Before *float64 // the one before; nil where there is none
	At     time.Time
	Unit   string
	Kind   domain.SeriesKind
	Every  time.Duration
	Codes  map[int]string // words that numbers stand for
	Text   string         // of a text series
	Since  time.Time      // when a state or text began to stand; zero when not known
}

// Cell is a newest value ready to be shown.
type Cell struct {
	Text, Change, Age string
	Stood             string // how long a state or text stands
	Stale             bool
}

// NewCell makes a value ready to be shown.
func NewCell(n Newest, now time.Time) Cell {
	age := now.Sub(n.At)
	c := Cell{Text: Value(n.Value, n.Unit, n.Codes), Age: units.Span(age), Stale: cadence.Stale(age, n.Every)}
	if n.Kind == domain.KindText {
		c.Text = Word(n.Text, 0, n.Kind)
	}
	if !n.Since.IsZero() {
		c.Stood = units.Span(now.Sub(n.Since))
	}
	if n.Before != nil && !n.Kind.Stands() {
		c.Change = change(n.Value-*n.Before, n.Unit)
	}
	return c
}

// change tells by how much a value went up or down; a share goes by points,
// since a percentage of it would be something else.
func change(by float64, unit string) string {
	sign, text := "+", units.Format(math.Abs(by), unit)
	switch {
	case by == 0:
		return ""
	case by < 0:
		sign = "−"
	}
	if number, share := strings.CutSuffix(text, "\u00a0%"); share {
		text = number + "\u00a0points"
		if number == "1" {
			text = "1\u00a0point"
		}
	}
	return sign + text
}

// Value writes a value, as a word where its reading has words for its codes.
func Value(value float64, unit string, codes map[int]string) string {
	if word, ok := codes[int(value)]; ok {
		return word
	}
	return units.Format(value, unit)
}

// Word is how a value that stands is written.
func Word(text string, value float64, kind domain.SeriesKind) string {
	switch {
	case text != "":
		return text
	case kind == domain.KindText:
		return "(empty)"
	}
	return units.Format(value, "")
}

// Chart is a chart that the page loads.
type Chart struct {
	Title, Sub, URL string
	Tall, Live      bool
}

// Change is a change of health with the name of its device.
type Change struct {
	domain.Transition
	Device string
}

// Changes puts names to changes of health.
func Changes(in []domain.Transition, names map[domain.ID]string) []Change {
	out := make([]Change, len(in))
	for i, t := range in {
		out[i] = Change{t, names[t.DeviceID]}
	}
	return out
}

// DevicesOf lists the devices of changes of health.
func DevicesOf(in []domain.Transition) []domain.ID {
	out := make([]domain.ID, len(in))
	for i, t := range in {
		out[i] = t.DeviceID
	}
	return out
}
