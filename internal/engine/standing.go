package engine

import (
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

// Trouble tells what keeps values from being where they should be; ok is false
// when nothing does.
func (c *Collector) Trouble() (t domain.Trouble, ok bool) {
	kept := c.store.Samples.Stats()
	t = domain.Trouble{
		Blocks:  kept.Waiting,
		Bytes:   kept.WaitingBytes,
		Records: c.aside.waiting.Load() + c.judge.recorder.waiting.Load(),
		Behind:  c.behind(),
	}
	note := func(since time.Time, cause error) {
		if t.Since.IsZero() || since.Before(t.Since) {
			t.Since, t.Reason = since, store.Plain(cause)
		}
	}
	if since, cause, away := c.store.Vigil.Away(); away {
		note(since, cause)
		t.Doing = c.store.Vigil.Explanation()
	}
	if kept.Away {
		note(kept.AwaySince, kept.AwayError)
	}
	for _, x := range []*trouble{c.aside.trouble.Load(), c.judge.recorder.trouble.Load()} {
		if x != nil {
			note(x.since, x.cause)
		}
	}
	return t, !t.Since.IsZero() || t.Behind > 0
}

// away tells whether the database does not take what is collected.
func (c *Collector) away() bool {
	if _, _, away := c.store.Vigil.Away(); away {
		return true
	}
	if c.aside.trouble.Load() != nil || c.judge.recorder.trouble.Load() != nil {
		return true
	}
	return c.stats.waiting.Load() > 0 || c.store.Samples.Stats().Away
}

// noteAway tells the screens when the database goes or comes.
func (c *Collector) noteAway() {
	if away := c.away(); away != c.wasAway {
		c.wasAway = away
		c.judge.hub.Publish(domain.News{Kind: "store"})
	}
}

// noteProgress notes that answers came through, and are durable.
func (c *Collector) noteProgress() {
	if n := c.stats.fetches.Load(); n != c.progressed {
		c.progressed = n
		c.stats.newest.Store(int64(time.Since(c.began)))
	}
}

// lateGrace is how late values may be beyond two rounds of what is asked most often.
const lateGrace = 20 * time.Second

// behind is how much longer ago than it should be an answer came through; 0 when
// all is well, and where nothing is collected.
func (c *Collector) behind() time.Duration {
	every, since := c.sched.shortest()
	if every == 0 {
		return 0
	}
	if at := time.Duration(c.stats.newest.Load()); at > 0 && c.began.Add(at).After(since) {
		since = c.began.Add(at)
	}
	return max(0, (time.Since(since) - 2*every - lateGrace).Truncate(time.Second))
}
