// Package icmp is the way to collect by ICMP echo (RFC 792, RFC 4443): how much is lost, how long a
// round trip takes, and how much that varies.
package icmp

import (
	"context"
	"errors"
	"fmt"
	"math"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/icmp"
	"tirelessowl/internal/protocol/ways"
)

// Description is the way without what carries it out.
var Description = way.Way{
	Name:  "icmp",
	Title: "ICMP echo",
	About: "Sends echo requests, which almost every machine answers, and measures what comes back.",
	Ask: []field.Field{
		{Name: "count", Label: "Requests in a round", Kind: field.Whole, Default: "5", Low: 1, High: 20},
		{Name: "pause", Label: "Between two requests", Kind: field.Duration, Default: "200ms", Low: 0.01, High: 5},
		{Name: "timeout", Label: "Wait for each", Kind: field.Duration, Default: "1500ms", Low: 0.05, High: 30},
	},
	Columns:  func(way.Settings) []way.Column { return columns },
	Requests: func(ask way.Settings, _ int) float64 { return float64(max(1, ask.Int("count"))) },
	Words: func(ask way.Settings, _ []way.Column) string {
		return fmt.Sprintf("A round of %d echo requests measures the round trip, how much it varies, and what is lost", ask.Int("count"))
	},
	Facts: map[string]string{"answers:icmp": "an answer to ICMP echo"},
}

// columns are the mean, the lowest and the highest round trip in seconds, by how much two that follow each other
// differ on average, in seconds, and the share that is lost in %.
var columns = append(ways.ProbeColumns[:2:2], way.Column{As: "low"}, way.Column{As: "high"}, way.Column{As: "jitter"})

// Way carries it out with a client, which may be nil where nothing is asked.
func Way(c *icmp.Client) ways.Way {
	return ways.Way{Way: Description, Ask: func(ctx context.Context, q way.Question) (derive.Fetched, error) { return ask(ctx, c, q) }}
}

func ask(ctx context.Context, c *icmp.Client, q way.Question) (derive.Fetched, error) {
	if c == nil || !c.May() {
		return derive.Fetched{}, ways.Fail(derive.Unable, errNotAllowed)
	}
	count, pause, timeout := max(1, q.Ask.Int("count")), q.Ask.Duration("pause"), q.Ask.Duration("timeout")
	trips, failures := make([]time.Duration, count), make([]error, count)
	var sending errgroup.Group
	for i := range count {
		sending.Go(func() error {
			trips[i], failures[i] = once(ctx, c, q, time.Duration(i)*pause, timeout)
			return nil
		})
	}
	_ = sending.Wait() // each has its own error
	r := measure(trips, failures)
	fetched := derive.Fetched{Rows: []derive.Row{r.row()}}
	if r.answered > 0 {
		return fetched, nil
	}
	return fetched, kindOf(failures[count-1], q, count, timeout)
}

// once sends one request after a while.
func once(ctx context.Context, c *icmp.Client, q way.Question, after, timeout time.Duration) (time.Duration, error) {
	select {
	case <-ctx.Done():
		return 0, ctx.Err()
	case <-time.After(after):
	}
	q.Exchange.Sent(time.Now(), "echo request to %s", q.Address)
	took, err := c.Echo(ctx, q.Address, timeout)
	if err != nil {
		q.Exchange.Got(time.Now(), "%s", err)
		return 0, err
	}
	q.Exchange.Got(time.Now(), "echo reply after %s", took)
	return took, nil
}

// round is what came of the requests of one round.
type round struct {
	sent, answered  int
	mean, low, high float64
	jitter          float64
	varies          bool // at least two that follow each other were answered
}

// measure works out a round. Jitter is the mean of the differences between round trips that follow each other (after
// the selection function of RFC 3393, without their signs); a lost one parts its neighbours.
func measure(trips []time.Duration, failures []error) round {
	r := round{sent: len(trips), low: math.Inf(1)}
	total, differences, pairs := 0.0, 0.0, 0
	for i, trip := range trips {
		if failures[i] != nil {
			continue
		}
		s := trip.Seconds()
		r.answered, total, r.low, r.high = r.answered+1, total+s, min(r.low, s), max(r.high, s)
		if i > 0 && failures[i-1] == nil {
			differences, pairs = differences+math.Abs(s-trips[i-1].Seconds()), pairs+1
		}
	}
	if r.answered > 0 {
		r.mean = total / float64(r.answered)
	}
	if r.varies = pairs > 0; r.varies {
		r.jitter = differences / float64(pairs)
	}
	return r
}

// row has the values in the order of the columns; what could not be measured is missing.
func (r round) row() derive.Row {
	values := make([]derive.Value, len(columns))
	gauge := func(v float64) derive.Value { return derive.Value{Kind: derive.Gauge, Num: v} }
	values[1] = gauge(100 * float64(r.sent-r.answered) / float64(r.sent))
	if r.answered > 0 {
		values[0], values[2], values[3] = gauge(r.mean), gauge(r.low), gauge(r.high)
	}
	if r.varies {
		values[4] = gauge(r.jitter)
	}
	return derive.Row{Values: values}
}

var errNotAllowed = errors.New("this process may not send echo requests: allow its group in net.ipv4.ping_group_range, " +
	"or give the program the right CAP_NET_RAW")

// kindOf says what became of a round that nobody answered.
func kindOf(err error, q way.Question, count int, timeout time.Duration) error {
	switch {
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return ways.Fail(derive.Silent, err)
	case errors.Is(err, icmp.ErrNotAllowed), errors.Is(err, syscall.EPERM), errors.Is(err, syscall.EACCES):
		return ways.Fail(derive.Unable, errNotAllowed)
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH):
		return ways.Fail(derive.NoWay, fmt.Errorf("there is no way to %s: %w", q.Address, err))
	}
	return ways.Fail(derive.Silent, fmt.Errorf("no answer to %d echo requests within %s", count, timeout))
}
