package engine

import (
	"context"
	"log/slog"
	"time"

	"tirelessowl/internal/core/estate"
	"tirelessowl/internal/domain"
)

// Recorder keeps what judging found: transitions, alerts, incidents and the
// deliveries that follow, in one transaction. What has the same number as
// something that was recorded already is not recorded again.
type Recorder interface {
	Record(ctx context.Context, number int64, found estate.Result) error
}

// recorderPatience is how long the end may wait for the database to take what
// was found. What it does not take waits in the file.
const recorderPatience = 2 * time.Second

// recorderOf returns the shelf of what judging finds.
func recorderOf(keep Recorder, hub *Hub, log *slog.Logger) *shelf[estate.Result] {
	return &shelf[estate.Result]{
		what: "changes of health",
		keep: func(ctx context.Context, number int64, some []estate.Result) error {
			return keep.Record(ctx, number, together(some))
		},
		apart: apart,
		kept:  func(some []estate.Result) { publish(hub, together(some)) },
		refused: func(found estate.Result, err error) {
			log.Error("what judging found cannot be recorded and is set aside", "found", found.Judged, "health", found.Health, "error", err)
		},
	}
}

func together(some []estate.Result) (all estate.Result) {
	for _, x := range some {
		all.Add(x)
	}
	return all
}

// apart makes a result of each change.
func apart(all estate.Result) (out []estate.Result) {
	for _, j := range all.Judged {
		out = append(out, estate.Result{Judged: []estate.Judged{j}})
	}
	for _, h := range all.Health {
		out = append(out, estate.Result{Health: []estate.HealthChange{h}})
	}
	return out
}

// lean is a result without what recording does not look at.
func lean(found estate.Result) estate.Result {
	found.Ask = nil
	for i := range found.Judged {
		found.Judged[i].Rule.Condition = nil
	}
	return found
}

func publish(hub *Hub, found estate.Result) {
	for _, h := range found.Health {
		hub.Publish(domain.News{Kind: "health", ID: h.Device.ID, At: h.Device.Spot(), Area: domain.AreaWatch})
	}
	told := map[domain.Spot]bool{}
	for _, j := range found.Judged {
		if at := j.Device.Spot(); !told[at] {
			told[at] = true
			hub.Publish(domain.News{Kind: "incidents", At: at, Area: domain.AreaRespond})
		}
	}
}
