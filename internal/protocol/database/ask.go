package database

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

var errTooMuch = verdict.Fail(verdict.ProtocolError, fmt.Sprintf("it sends more than %d MiB", mostBytes>>20))

type asker struct {
	Driver
	by dial.Func
}

// answer is what came of a question.
type answer struct {
	ways.Checked
	table way.Table
}

func (a asker) ask(ctx context.Context, q way.Question) (derive.Fetched, error) {
	if q.Credential.Kind != a.Account {
		return derive.Fetched{}, ways.Fail(derive.Withheld, errors.New("nothing was asked: it needs a credential to sign in with"))
	}
	t, err := target(a.by, q)
	if err != nil {
		return derive.Fetched{}, err
	}
	q.Hide = append(q.Hide[:len(q.Hide):len(q.Hide)], t.Password)
	q.Exchange.Hide(q.Hide)
	ctx, cancel := context.WithTimeout(ctx, t.Patience)
	defer cancel()
	got := answer{}
	began := time.Now()
	err = a.talk(ctx, q, t, &got)
	if err != nil && ctx.Err() != nil {
		err = ctx.Err() // what a library makes of a connection that was closed
	}
	if err == nil {
		got.Seconds(ofTotal, time.Since(began))
	}
	checked, unable := got.Judged(err, t.Patience)
	if unable != nil {
		return derive.Fetched{}, unable
	}
	checked.Says = q.Masked(checked.Says)
	got.Checked = checked
	if checks(q.Columns) {
		q.Exchange.Got(time.Now(), "%s: %s", checked.Verdict, checked.Says)
		rows := []derive.Row{got.row(q.Columns, 0)}
		ways.Mask(q, rows)
		return derive.Fetched{Rows: rows}, nil
	}
	if checked.Verdict != verdict.Passes {
		return derive.Fetched{}, ways.Fail(kindOf(checked.Verdict), errors.New(checked.Says))
	}
	rows, err := got.rows(q.Columns)
	ways.Mask(q, rows)
	q.Exchange.Rows(time.Now(), q.Columns, rows)
	return derive.Fetched{Rows: rows}, err
}

// checks tells whether a source wants to know what the check came to; else it is a failure where it does not pass.
func checks(columns []way.Column) bool { return len(columns) > 1 && columns[0].Of == ofVerdict }

// kindOf is what a verdict is where it is a failure of asking.
func kindOf(v verdict.Verdict) derive.Failure {
	switch v {
	case verdict.Refused:
		return derive.Refused
	case verdict.NoWay:
		return derive.NoWay
	case verdict.TimedOut:
		return derive.Silent
	case verdict.SignInFailed:
		return derive.Denied
	}
	return derive.Wrong
}

func (a asker) talk(ctx context.Context, q way.Question, t Target, got *answer) error {
	q.Exchange.Sent(time.Now(), "sign in at %s as %s", t.Address, t.User)
	began := time.Now()
	s, err := a.Open(ctx, t)
	if err != nil {
		return err
	}
	defer s.Close()
	got.Seconds(ofConnect, time.Since(began))
	if q.Exchange != nil {
		for _, said := range s.Rights(ctx) {
			q.Exchange.Got(time.Now(), "%s", said)
		}
	}
	q.Exchange.Sent(time.Now(), "%s", text.Brief(strings.Join(strings.Fields(q.Ask["query"]), " "), 300))
	most := q.Ask.Int("rows")
	table, err := s.Read(ctx, q.Ask["query"], most)
	if err != nil {
		return err
	}
	got.table = table
	q.Exchange.Got(time.Now(), "%s: %s", text.Count(int64(len(table.Rows)), "row"), strings.Join(table.Columns, ", "))
	switch missing := absent(q.Columns, table.Columns); {
	case table.More:
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("it brings more than %d rows, which is as many as are read", most))
	case missing != "":
		return verdict.Fail(verdict.Unexpected,
			fmt.Sprintf("it brings no column “%s”; it brings %s", missing, text.Some(table.Columns, 20)))
	case checks(q.Columns) && len(table.Rows) != 1:
		rows := text.Count(int64(len(table.Rows)), "row")
		return verdict.Fail(verdict.Unexpected, fmt.Sprintf("it brings %s, where one is expected", rows))
	}
	got.Says = "lets in, and answers"
	return nil
}
