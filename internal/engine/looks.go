package engine

import (
	"bufio"
	"encoding/gob"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"time"

	"tirelessowl/internal/core/rate"
	"tirelessowl/internal/domain"
)

// looks are when devices were asked last, and what their counters said: with
// them the next run has a rate at its first look, and makes up the rounds that
// were missed meanwhile.
type looks struct {
	Counters map[domain.ID]rate.Reading // by series
	Rounds   map[string]time.Time       // by device and source
}

// keepLooksEvery is how often they are kept: whoever is killed has rates over a
// time that is longer by so much, and no gap.
const keepLooksEvery = 10 * time.Second

func roundKey(device domain.ID, source string) string { return fmt.Sprintf("%d/%s", device, source) }

// seen gathers the looks of all devices; it runs within the pipeline.
func (c *Collector) seen() looks {
	out := looks{map[domain.ID]rate.Reading{}, map[string]time.Time{}}
	for id, b := range c.bound {
		b.each(func(bs *boundSeries) {
			if r, ok := bs.state.Last(); ok {
				out.Counters[bs.id] = r
			}
		})
		for key, sb := range b.sources {
			if !sb.asked.IsZero() {
				out.Rounds[roundKey(id, key)] = sb.asked
			}
		}
	}
	return out
}

// keepLooks keeps them from time to time; writing is done apart from the pipeline.
func (c *Collector) keepLooks() {
	if c.files.Looks == "" || time.Since(c.looked) < keepLooksEvery || !c.writing.TryLock() {
		return
	}
	c.looked = time.Now()
	seen := c.seen()
	go func() {
		defer c.writing.Unlock()
		c.writeLooks(seen)
	}()
}

// keepLastLooks keeps them at the end, when the pipeline has ended.
func (c *Collector) keepLastLooks() {
	if c.files.Looks == "" {
		return
	}
	c.writing.Lock()
	defer c.writing.Unlock()
	c.writeLooks(c.seen())
}

func (c *Collector) writeLooks(seen looks) {
	if err := seen.write(c.files.Looks); err != nil {
		c.log.Warn("the last looks at counters are not kept: after a restart the first interval will have no rate", "error", err)
	}
}

// write replaces the file as a whole.
func (l looks) write(path string) (err error) {
	f, err := os.OpenFile(path+".new", os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	w := bufio.NewWriter(f)
	if err := gob.NewEncoder(w).Encode(l); err != nil {
		return err
	}
	if err := w.Flush(); err != nil {
		return err
	}
	if err := f.Sync(); err != nil {
		return err
	}
	return os.Rename(path+".new", path)
}

// readLooks returns what an earlier run kept; nothing where it kept nothing, or
// nothing that can be read.
func readLooks(path string) (l looks, err error) {
	f, err := os.Open(path)
	if path == "" || errors.Is(err, fs.ErrNotExist) {
		return l, nil
	}
	if err != nil {
		return l, err
	}
	defer f.Close()
	err = gob.NewDecoder(bufio.NewReader(f)).Decode(&l)
	return l, err
}

// resumeCounters goes on from the counters of the run before.
func (c *Collector) resumeCounters(l looks) {
	for _, b := range c.bound {
		b.each(func(bs *boundSeries) {
			if r, ok := l.Counters[bs.id]; ok && bs.reading.Counts() {
				bs.state.Resume(r)
			}
		})
	}
}
