package engine

import (
	"context"
	"time"

	"github.com/cenkalti/backoff/v5"

	"tirelessowl/internal/store"
)

// longestPause is the longest wait between two tries to reach the database.
const longestPause = 5 * time.Second

// pauses between tries grow from a tenth of a second, with some chance in them.
func pauses() backoff.BackOff {
	b := backoff.NewExponentialBackOff()
	b.InitialInterval, b.MaxInterval = 100*time.Millisecond, longestPause
	return b
}

// insist tries again as long as the database is in trouble; told hears of each
// failure. An error of another kind, which no further try would mend, is
// returned, and that of the context when it ends.
func insist(ctx context.Context, f func() error, told func(err error, pause time.Duration)) error {
	_, err := backoff.Retry(ctx, func() (struct{}, error) {
		err := f()
		if err != nil && !store.Trouble(err) {
			err = backoff.Permanent(err)
		}
		return struct{}{}, err
	}, backoff.WithBackOff(pauses()), backoff.WithMaxElapsedTime(0), backoff.WithNotify(told))
	return err
}
