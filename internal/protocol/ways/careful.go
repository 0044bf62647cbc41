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
	key    string // of the question, or the way where all its questions sign in at one place
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
	w, checks := c.checking(q)
	if w == nil || q.Credential.Kind == "" && len(q.Hide) == 0 {
		return c.List.Ask(ctx, q)
	}
	who := accountOf(w, q)
	c.mu.Lock()
	r := c.refused[who]
	c.mu.Unlock()
	if rest := r.until.Sub(c.now()); rest > 0 && q.Exchange == nil {
		return r.again(q.Columns, checks)
	}
	got := c.List.Ask(ctx, q)
	c.learn(who, got, checks, q.Exchange)
	return got
}

// again is what comes while a credential rests: what came before.
func (r refusal) again(columns []way.Column, checks bool) derive.Fetched {
	if !checks {
		return derive.Fetched{At: time.Now(), Error: r.resting(), Failure: derive.Denied}
	}
	checked := Checked{Verdict: verdict.SignInFailed, Says: r.resting()}
	return derive.Fetched{At: time.Now(), Rows: []derive.Row{checked.Row(columns)}}
}

// Lift lets the credentials of a device be tried at once, since a person asks for it. Where they are refused again, they
// rest longer, as ever.
func (c *Careful) Lift(device domain.ID) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for who, r := range c.refused {
		if who.device == device {
			r.until = c.now()
			c.refused[who] = r
		}
	}
}

// resting is what is told while a credential rests; it does not change from time to time.
func (r refusal) resting() string {
	return fmt.Sprintf("%s; it is tried again at longer and longer pauses, up to %s, so that no account is locked", r.says, longestRest)
}

// checking is the way of a question by which credentials are refused in a way that is told; nil for others. checks is
// true where its first column is a verdict.
func (c *Careful) checking(q way.Question) (w *Way, checks bool) {
	i := slices.IndexFunc(c.List, func(w Way) bool { return w.Name == q.Way })
	if i < 0 {
		return nil, false
	}
	checks = len(q.Columns) > 1 && q.Columns[0].As == verdict.Column
	if !checks && !c.List[i].OneAccount {
		return nil, false
	}
	return &c.List[i], checks
}

// learn notes whether a credential was taken.
func (c *Careful) learn(who account, got derive.Fetched, checks bool, told *way.Exchange) {
	says := got.Error
	refused := got.Failure == derive.Denied
	taken := says == ""
	if checks && len(got.Rows) == 1 {
		values := got.Rows[0].Values
		v := verdict.Verdict(values[0].Num)
		refused, taken, says = v == verdict.SignInFailed, v == verdict.Passes || v == verdict.Unexpected, values[1].Text
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	switch {
	case refused:
		c.tidy()
		r := refusal{times: c.refused[who].times + 1, says: says}
		rest := min(firstRest<<min(r.times-1, 10), longestRest)
		r.until = c.now().Add(rest)
		c.refused[who] = r
		told.Got(time.Now(), "refused %d times in a row: collecting tries it again in %s", r.times, rest)
	case taken:
		delete(c.refused, who) // it was let in
	}
}

// mostRefused is from how many refused accounts on those are forgotten that were not asked for a day.
const mostRefused = 1000

func (c *Careful) tidy() {
	if len(c.refused) < mostRefused {
		return
	}
	for who, r := range c.refused {
		if c.now().Sub(r.until) > 24*time.Hour {
			delete(c.refused, who)
		}
	}
}

// accountOf tells accounts apart, without keeping what is secret.
func accountOf(w *Way, q way.Question) account {
	parts := []string{fmt.Sprintf("%q to %s", q.Credential.Kind, q.Address)}
	for name, value := range q.Credential.Settings {
		parts = append(parts, fmt.Sprintf("setting %q %q", name, value))
	}
	for name, secret := range q.Credential.Secrets {
		parts = append(parts, fmt.Sprintf("secret %q %q", name, secret.Reveal()))
	}
	for name, value := range q.Endpoint {
		parts = append(parts, fmt.Sprintf("endpoint %q %q", name, value))
	}
	key := q.Way
	if !w.OneAccount {
		key = q.Key
		for name, value := range q.Ask {
			parts = append(parts, fmt.Sprintf("ask %q %q", name, value))
		}
	}
	slices.Sort(parts)
	return account{q.Device, key, sha256.Sum256([]byte(strings.Join(parts, "\n")))}
}
