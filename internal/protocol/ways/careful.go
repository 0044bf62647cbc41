package ways

import (
	"context"
	"crypto/sha256"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
)

// A credential that a service does not take rests after it was refused, twice as long each time: asking again and again
// would lock the account.
const (
	firstRest   = 2 * time.Minute
	longestRest = 30 * time.Minute
)

// Careful asks by ways, and lets credentials rest that were refused. It is safe for concurrent use.
type Careful struct {
	List
	now     func() time.Time
	mu      sync.Mutex
	refused map[account]refusal
}

// account is who is let in where: another credential, or another place, is tried at once.
type account struct {
	device domain.ID
	key    string // of the question
	asked  [sha256.Size]byte
}

// refusal is how often in a row an account was refused, until when it rests, and what was said.
type refusal struct {
	times int
	until time.Time
	says  string
}

// NewCareful returns ways that let refused credentials rest.
func NewCareful(l List) *Careful {
	return &Careful{List: l, now: time.Now, refused: map[account]refusal{}}
}

// Ask asks a question, unless its credential rests: then it tells again what was said. Who tries by hand is not kept
// from it.
func (c *Careful) Ask(ctx context.Context, q way.Question) derive.Fetched {
	columns, checks := c.columns(q)
	if !checks || q.Credential.Kind == "" && len(q.Hide) == 0 {
		return c.List.Ask(ctx, q)
	}
	who := accountOf(q)
	c.mu.Lock()
	r := c.refused[who]
	c.mu.Unlock()
	if rest := r.until.Sub(c.now()); rest > 0 && q.Exchange == nil {
		checked := Checked{Verdict: verdict.SignInFailed, Says: r.resting()}
		return derive.Fetched{At: time.Now(), Rows: []derive.Row{checked.Row(columns)}}
	}
	got := c.List.Ask(ctx, q)
	c.learn(who, got, q.Exchange)
	return got
}

// resting is what is told while a credential rests; it does not change from time to time.
func (r refusal) resting() string {
	return fmt.Sprintf("%s; it is tried again at longer and longer pauses, up to %s, so that no account is locked", r.says, longestRest)
}

// columns are those of a check; checks is false for a way that brings no verdict.
func (c *Careful) columns(q way.Question) (columns []way.Column, checks bool) {
	i := slices.IndexFunc(c.List, func(w Way) bool { return w.Name == q.Way })
	if i < 0 || c.List[i].Columns == nil {
		return nil, false
	}
	columns = c.List[i].Columns(q.Ask)
	return columns, len(columns) > 1 && columns[0].As == verdict.Column
}

// learn notes whether a credential was taken.
func (c *Careful) learn(who account, got derive.Fetched, told *way.Exchange) {
	if got.Error != "" || len(got.Rows) != 1 {
		return // it was not asked, or nothing is known
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	values := got.Rows[0].Values
	switch verdict.Verdict(values[0].Num) {
	case verdict.SignInFailed:
		r := refusal{times: c.refused[who].times + 1, says: values[1].Text}
		rest := min(firstRest<<min(r.times-1, 10), longestRest)
		r.until = c.now().Add(rest)
		c.refused[who] = r
		told.Got(time.Now(), "refused %d times in a row: collecting tries it again in %s", r.times, rest)
	case verdict.Passes, verdict.Unexpected:
		delete(c.refused, who) // it was let in
	}
}

// accountOf tells accounts apart, without keeping what is secret.
func accountOf(q way.Question) account {
	parts := []string{fmt.Sprintf("%q to %s", q.Credential.Kind, q.Address)}
	for name, value := range q.Credential.Settings {
		parts = append(parts, fmt.Sprintf("setting %q %q", name, value))
	}
	for name, secret := range q.Credential.Secrets {
		parts = append(parts, fmt.Sprintf("secret %q %q", name, secret.Reveal()))
	}
	for name, value := range q.Ask {
		parts = append(parts, fmt.Sprintf("ask %q %q", name, value))
	}
	slices.Sort(parts)
	return account{q.Device, q.Key, sha256.Sum256([]byte(strings.Join(parts, "\n")))}
}
