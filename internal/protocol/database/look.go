package database

import (
	"context"
	"errors"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/ways"
)

// look runs a statement of which nobody has said which columns it brings. What is wrong is an error in plain words.
func (a asker) look(ctx context.Context, q way.Question) (out way.Table, err error) {
	if q.Credential.Kind != a.Account {
		return out, ways.Fail(derive.Withheld, errors.New("nothing was asked: it needs a credential to sign in with"))
	}
	t, err := target(a.by, q)
	if err != nil {
		return out, err
	}
	q.Hide = append(q.Hide[:len(q.Hide):len(q.Hide)], t.Password)
	q.Exchange.Hide(q.Hide)
	ctx, cancel := context.WithTimeout(ctx, t.Patience)
	defer cancel()
	out, err = a.read(ctx, q, t)
	if err != nil && ctx.Err() != nil {
		err = ctx.Err()
	}
	checked, unable := ways.Checked{}.Judged(err, t.Patience)
	if unable != nil {
		return out, unable
	}
	if err != nil {
		return out, ways.Fail(kindOf(checked.Verdict), errors.New(q.Masked(checked.Says)))
	}
	for _, row := range out.Rows {
		for i := range row {
			row[i].Text = q.Masked(row[i].Text)
		}
	}
	return out, nil
}

func (a asker) read(ctx context.Context, q way.Question, t Target) (way.Table, error) {
	q.Exchange.Sent(time.Now(), "sign in at %s as %s", t.Address, t.User)
	s, err := a.Open(ctx, t)
	if err != nil {
		return way.Table{}, err
	}
	defer s.Close()
	for _, said := range s.Rights(ctx) {
		q.Exchange.Got(time.Now(), "%s", said)
	}
	return s.Read(ctx, q.Ask["query"], q.Ask.Int("rows"))
}
