package incident

import (
	"time"

	"tirelessowl/internal/domain"
)

// leastAround is how much of the time before and after an episode is looked at, at least.
const leastAround = 30 * time.Minute

// Around is the time to look at for an incident: its present episode, with a quarter of it,
// at least half an hour, before and after, and never the future.
func Around(in domain.Incident, now time.Time) (from, to time.Time) {
	end := now
	switch {
	case !in.RecoveredAt.IsZero():
		end = in.RecoveredAt
	case !in.ResolvedAt.IsZero():
		end = in.ResolvedAt
	}
	margin := max(leastAround, end.Sub(in.EpisodeAt)/4)
	from, to = in.EpisodeAt.Add(-margin), end.Add(margin)
	if to.After(now) {
		to = now
	}
	return from, to
}
