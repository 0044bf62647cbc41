// Package ways carries out what ways to collect describe: each way is a
// folder below this one that hands over one described value.
package ways

import (
	"context"
	"errors"
	"fmt"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
)

// failure is an error whose kind is known.
type failure struct {
	error
	kind derive.Failure
}

// Fail marks an error as being of a kind.
func Fail(kind derive.Failure, err error) error { return failure{err, kind} }

func (f failure) Unwrap() error { return f.error }

// Way is a way to collect with what carries it out.
type Way struct {
	way.Way
	// Ask asks one question. It returns rows in the order of the question's
	// columns, or the protocol's own error, marked by Fail where its kind is known.
	Ask func(ctx context.Context, q way.Question) (derive.Fetched, error)
	// Browse reads what a device has below an object and after a name, up to so many variables;
	// ended is true where nothing follows. It is nil for ways by which nothing can be browsed.
	Browse func(ctx context.Context, q way.Question, under, after mib.OID, most int) (read []mib.Variable, ended bool, err error)
	// Look runs a statement that a person wrote, of which nobody has said which columns it brings; nil for ways that know none.
	Look func(ctx context.Context, q way.Question) (way.Table, error)
}

// List is all ways that there are.
type List []Way

// Described returns the descriptions of all ways.
func (l List) Described() way.List {
	out := make(way.List, len(l))
	for i, w := range l {
		out[i] = w.Way
	}
	return out
}

// Ask asks a question by its way; failures are part of the result.
func (l List) Ask(ctx context.Context, q way.Question) derive.Fetched {
	q.Exchange.Hide(q.Hide)
	start := time.Now()
	got, err := l.ask(ctx, q)
	now := time.Now()
	got.At, got.Took = now, now.Sub(start)
	Mask(q, got.Rows)
	if err != nil {
		var known failure
		got.Error, got.Failure = q.Masked(err.Error()), derive.Wrong
		if errors.As(err, &known) {
			got.Failure = known.kind
		}
		got.NoAnswer = got.Failure == derive.Silent || got.Failure == derive.NoWay
		q.Exchange.Got(time.Now(), "%s", got.Error)
	}
	return got
}

// Mask takes out the secrets of a question that a device may say again.
func Mask(q way.Question, rows []derive.Row) {
	if len(q.Hide) == 0 {
		return
	}
	for i := range rows {
		rows[i].Index = q.Masked(rows[i].Index)
		for j := range rows[i].Values {
			rows[i].Values[j].Text = q.Masked(rows[i].Values[j].Text)
		}
	}
}

// Browse reads a piece of what a device has; what was read before an error comes with it.
func (l List) Browse(ctx context.Context, q way.Question, under, after mib.OID, most int) (read []mib.Variable, ended bool, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the way %s failed in itself: %v", q.Way, r)
		}
	}()
	if q.Withheld != "" {
		return nil, false, Fail(derive.Withheld, errors.New(q.Withheld))
	}
	for _, w := range l {
		if w.Name == q.Way && w.Browse != nil {
			return w.Browse(ctx, q, under, after, most)
		}
	}
	return nil, false, fmt.Errorf("nothing can be browsed by the way %q", q.Way)
}

// Look runs a statement that a person wrote by its way.
func (l List) Look(ctx context.Context, q way.Question) (t way.Table, err error) {
	defer func() {
		if r := recover(); r != nil {
			err = fmt.Errorf("the way %s failed in itself: %v", q.Way, r)
		}
	}()
	if q.Withheld != "" {
		return t, Fail(derive.Withheld, errors.New(q.Withheld))
	}
	for _, w := range l {
		if w.Name == q.Way && w.Look != nil {
			return w.Look(dial.Within(ctx, q.Refuses), q)
		}
	}
	return t, fmt.Errorf("no statement can be run by the way %q", q.Way)
}

// ask lets no way take the others down with it.
func (l List) ask(ctx context.Context, q way.Question) (got derive.Fetched, err error) {
	defer func() {
		if r := recover(); r != nil {
			got, err = derive.Fetched{}, fmt.Errorf("the way %s failed in itself: %v", q.Way, r)
		}
	}()
	if q.Withheld != "" {
		return got, Fail(derive.Withheld, errors.New(q.Withheld))
	}
	for _, w := range l {
		if w.Name == q.Way {
			return w.Ask(dial.Within(ctx, q.Refuses), q)
		}
	}
	return got, fmt.Errorf("there is no way %q to collect", q.Way)
}

// ProbeColumns are what a probe brings: the mean answer time in seconds, and
// the share of requests that were lost in %.
var ProbeColumns = []way.Column{{As: "time"}, {As: "loss"}}

// Probe asks several times whether something answers, and how fast. Where
// nothing answers, the error is that of the last try.
func Probe(ctx context.Context, count int, once func(context.Context) (time.Duration, error)) (derive.Row, error) {
	answered, total := 0, time.Duration(0)
	var last error
	for range count {
		took, err := once(ctx)
		if err != nil {
			last = err
			if answered == 0 && ctx.Err() != nil {
				break
			}
			continue
		}
		answered++
		total += took
	}
	row := derive.Row{Values: make([]derive.Value, len(ProbeColumns))}
	if answered > 0 {
		last = nil
		row.Values[0] = derive.Value{Kind: derive.Gauge, Num: total.Seconds() / float64(answered)}
	}
	row.Values[1] = derive.Value{Kind: derive.Gauge, Num: 100 * float64(count-answered) / float64(count)}
	return row, last
}
