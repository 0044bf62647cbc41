package sim

import (
	"context"
	"net"
	"time"
)

// door is a TCP port that is open while it is wanted.
type door struct {
	at     string // host and port
	wanted func() bool
	accept func(net.Listener) // returns when the listener is closed
}

// keepDoors opens and closes ports as they are wanted, until the context ends.
func keepDoors(ctx context.Context, every time.Duration, doors []door) {
	open := make([]net.Listener, len(doors))
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		for i, d := range doors {
			switch up := d.wanted(); {
			case up && open[i] == nil:
				if l, err := net.Listen("tcp", d.at); err == nil {
					open[i] = l
					go d.accept(l)
				}
			case !up && open[i] != nil:
				open[i].Close()
				open[i] = nil
			}
		}
		select {
		case <-ctx.Done():
			for _, l := range open {
				if l != nil {
					l.Close()
				}
			}
			return
		case <-tick.C:
		}
	}
}
