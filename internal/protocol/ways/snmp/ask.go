package snmp

import (
	"context"
	"errors"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
)

const sysUpTime = "1.3.6.1.2.1.1.3.0"

type asker struct{ client *snmp.Client }

// ask implements ways.Way.
func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	target, err := Target(q)
	if err != nil {
		return derive.Fetched{}, err
	}
	var got derive.Fetched
	switch q.Ask["form"] {
	case hello:
		got, err = a.hello(ctx, q, target)
	case walk:
		got, err = a.walk(ctx, q, target)
	default:
		got, err = a.get(ctx, q, target)
	}
	return got, kindOf(err)
}

// kindOf tells the kinds of failure apart.
func kindOf(err error) error {
	switch {
	case errors.Is(err, snmp.ErrNoAnswer):
		return ways.Fail(derive.Silent, err)
	case errors.Is(err, snmp.ErrRefused):
		return ways.Fail(derive.Refused, err)
	case errors.Is(err, snmp.ErrDenied):
		return ways.Fail(derive.Denied, err)
	case errors.Is(err, snmp.ErrUnreachable):
		return ways.Fail(derive.NoWay, err)
	}
	return err
}

// Target is whom a question is for.
func Target(q way.Question) (snmp.Target, error) {
	at, err := q.At(q.Endpoint["port"])
	if err != nil {
		return snmp.Target{}, err
	}
	return With(q.Credential, snmp.Target{
		Address: at,
		Timeout: q.Endpoint.Duration("timeout"),
		Retries: q.Endpoint.Int("retries"),
	}), nil
}

func (a asker) hello(ctx context.Context, q way.Question, t snmp.Target) (derive.Fetched, error) {
	t.Timeout, t.Retries = q.Ask.Duration("timeout"), 0
	row, err := ways.Probe(ctx, q.Ask.Int("count"), func(ctx context.Context) (time.Duration, error) {
		start := time.Now()
		q.Exchange.Sent(start, "GET %s to %s", sysUpTime, t.Address)
		values, err := a.client.Get(ctx, t, []string{sysUpTime})
		switch took := time.Since(start); {
		case err == nil:
			q.Exchange.Got(time.Now(), "uptime %s hundredths of a second", values[0])
			return took, nil
		case errors.Is(err, snmp.ErrUnread):
			return a.engine(ctx, q, t)
		case errors.Is(err, snmp.ErrDenied): // to deny is to be there
			q.Exchange.Got(time.Now(), "%s", err)
			return took, nil
		default:
			return took, err
		}
	})
	return derive.Fetched{Rows: []derive.Row{row}}, err
}

// engine asks whether the agent is there that is silent to our user: it tells its engine to
// everybody.
func (a asker) engine(ctx context.Context, q way.Question, t snmp.Target) (time.Duration, error) {
	start := time.Now()
	id, err := a.client.EngineID(ctx, t)
	if err == nil {
		q.Exchange.Got(time.Now(), "engine id %x, and silence to the user", id)
	}
	return time.Since(start), err
}

func (a asker) get(ctx context.Context, q way.Question, t snmp.Target) (got derive.Fetched, err error) {
	oids := []string{sysUpTime}
	for _, c := range q.Columns {
		oids = append(oids, c.Of)
	}
	q.Exchange.Sent(time.Now(), "GET to %s: %s", t.Address, strings.Join(oids, ", "))
	values, err := a.client.Get(ctx, t, oids)
	if err != nil {
		return got, err
	}
	if up, ok := values[0].Number(); ok {
		got.Uptime, got.UptimeKnown = uint32(up), true
	}
	got.Rows = []derive.Row{{Values: values[1:]}}
	q.Exchange.Rows(time.Now(), q.Columns, got.Rows)
	return got, nil
}

func (a asker) walk(ctx context.Context, q way.Question, t snmp.Target) (got derive.Fetched, err error) {
	var oids []string
	for _, c := range q.Columns {
		if !partName.MatchString(c.Of) {
			oids = append(oids, c.Of)
		}
	}
	q.Exchange.Sent(time.Now(), "walk at %s: %s", t.Address, strings.Join(oids, ", "))
	table, err := a.client.Walk(ctx, t, oids)
	if err != nil {
		return got, err
	}
	got.Rows, got.Uptime, got.UptimeKnown = table.Rows, table.Uptime, table.UptimeKnown
	if len(oids) < len(q.Columns) {
		withIndex(q, got.Rows)
	}
	q.Exchange.Rows(time.Now(), q.Columns, got.Rows)
	return got, nil
}

// browse implements ways.Way.
func (a asker) browse(ctx context.Context, q way.Question, under, after mib.OID, most int) ([]mib.Variable, bool, error) {
	target, err := Target(q)
	if err != nil {
		return nil, false, err
	}
	piece, err := a.client.Subtree(ctx, target, under, after, most)
	return piece.Variables, piece.Ended, kindOf(err)
}
