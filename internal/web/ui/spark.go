package ui

import (
	"fmt"
	"html/template"
	"strings"
	"time"

	"tirelessowl/internal/domain"
)

// The size of a small chart within its own coordinates.
const (
	sparkWidth  = 300.0
	sparkHeight = 44.0
	sparkEdge   = 3.0 // so that a line at the highest value is not cut in half
)

// Spark is a small chart of what a series did between two times.
type Spark struct {
	Rollups  []domain.Rollup
	From, To time.Time
	// Gap is the longest pause that a line goes over.
	Gap   time.Duration
	Label string
}

// bounds are the lowest and the highest value.
func (s Spark) bounds() (low, high float64) {
	low, high = s.Rollups[0].Min, s.Rollups[0].Max
	for _, r := range s.Rollups {
		low, high = min(low, r.Min), max(high, r.Max)
	}
	return low, high
}

// HTML draws the means as a line, and lowest and highest values as a field behind it. Where nothing came, there is nothing.
func (s Spark) HTML() template.HTML {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg class="spark" viewBox="0 0 %g %g" preserveAspectRatio="none" role="img" aria-label="%s">`,
		sparkWidth, sparkHeight, template.HTMLEscapeString(s.Label))
	for _, part := range s.parts() {
		s.draw(&b, part)
	}
	b.WriteString("</svg>")
	return template.HTML(b.String())
}

// parts are the rollups between pauses.
func (s Spark) parts() (out [][]domain.Rollup) {
	begin := 0
	for i := 1; i <= len(s.Rollups); i++ {
		if i == len(s.Rollups) || s.Rollups[i].At.Sub(s.Rollups[i-1].At) > s.Gap {
			out, begin = append(out, s.Rollups[begin:i]), i
		}
	}
	return out
}

func (s Spark) draw(b *strings.Builder, part []domain.Rollup) {
	low, high := s.bounds()
	x := func(t time.Time) float64 { return float64(t.Sub(s.From)) / float64(s.To.Sub(s.From)) * sparkWidth }
	y := func(v float64) float64 {
		if high <= low {
			return sparkHeight / 2
		}
		return sparkHeight - sparkEdge - (v-low)/(high-low)*(sparkHeight-2*sparkEdge)
	}
	if len(part) == 1 {
		fmt.Fprintf(b, `<circle cx="%.1f" cy="%.1f" r="1.5"/>`, x(part[0].At), y(part[0].Avg))
		return
	}
	var line, back strings.Builder
	field := ""
	for _, r := range part {
		fmt.Fprintf(&line, "%.1f,%.1f ", x(r.At), y(r.Avg))
		fmt.Fprintf(&back, "%.1f,%.1f ", x(r.At), y(r.Max))
		field = fmt.Sprintf("%.1f,%.1f ", x(r.At), y(r.Min)) + field
	}
	drawn := strings.TrimSpace(line.String())
	fmt.Fprintf(b, `<polygon points="%s%s"/><polyline points="%s"/>`, back.String(), strings.TrimSpace(field), drawn)
}
