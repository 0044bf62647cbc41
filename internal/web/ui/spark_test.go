package ui

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

// Ten minutes on 300: a minute is 30. From 3 to 41 on a height of 44: the lowest lies at 41, the highest at 3.
func TestASparkIsALineWithItsExtremesAndItsPauses(t *testing.T) {
	noon := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	at := func(minute int, low, mean, high float64) domain.Rollup {
		return domain.Rollup{At: noon.Add(time.Duration(minute) * time.Minute), Min: low, Avg: mean, Max: high}
	}
	s := Spark{From: noon, To: noon.Add(10 * time.Minute), Gap: 3 * time.Minute, Label: `In <of> "it"`,
		Rollups: []domain.Rollup{at(0, 0, 5, 10), at(2, 5, 5, 5), at(8, 10, 10, 10)}}
	html := string(s.HTML())
	assert.Contains(t, html, `<polyline points="0.0,22.0 60.0,22.0"/>`)
	assert.Contains(t, html, `<polygon points="0.0,3.0 60.0,22.0 60.0,22.0 0.0,41.0"/>`)
	assert.Contains(t, html, `<circle cx="240.0" cy="3.0" r="1.5"/>`, "alone behind a pause")
	assert.Contains(t, html, `aria-label="In &lt;of&gt; &#34;it&#34;"`)

	flat := Spark{From: noon, To: noon.Add(time.Minute), Gap: time.Hour, Rollups: []domain.Rollup{at(0, 7, 7, 7), at(1, 7, 7, 7)}}
	assert.Contains(t, string(flat.HTML()), `<polyline points="0.0,22.0 300.0,22.0"/>`, "in the middle")
	assert.Equal(t, 0, strings.Count(string(Spark{From: noon, To: noon.Add(time.Minute)}.HTML()), "poly"))
}
