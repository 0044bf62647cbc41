package rule

import (
	"time"

	"tirelessowl/internal/domain"
)

// Episode is one stretch of trouble that a rule would have raised.
type Episode struct {
	From, To time.Time // To is zero when it lasts to the end
	Level    domain.Level
	Peak     float64
}

// Rehearse tells what the rule would have raised over past samples (ordered
// by time) of one series.
func Rehearse(r Rule, samples []domain.Sample) []Episode {
	var episodes []Episode
	level, need, first := domain.LevelNone, r.Window(), 0
	for i := range samples {
		first += need.Needs(samples[first : i+1])
		next := r.Condition.Level(level, samples[first:i+1])
		n := len(episodes)
		switch {
		case level == domain.LevelNone && next > level:
			episodes = append(episodes, Episode{From: samples[i].At, Level: next, Peak: samples[i].Value})
		case level > domain.LevelNone && next == domain.LevelNone:
			episodes[n-1].To = samples[i].At
		case next > domain.LevelNone:
			e := &episodes[n-1]
			e.Level = max(e.Level, next)
			if r.Condition.Worse(samples[i].Value, e.Peak) {
				e.Peak = samples[i].Value
			}
		}
		level = next
	}
	return episodes
}
