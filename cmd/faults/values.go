package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/netip"
	"os"
	"slices"
	"time"

	"tirelessowl/internal/sim"
)

// round is how often each device is asked whether it answers, and greeted is how
// many requests each time.
const (
	round   = 15 * time.Second
	greeted = 3
)

// asked is a round of one device, as the device saw it; next is when it was asked
// again, zero for the last.
type asked struct {
	first, last, next time.Time
	answers           int
}

func rounds(all []sim.Greeting) (out []asked) {
	slices.SortFunc(all, func(x, y sim.Greeting) int { return x.At.Compare(y.At) })
	for _, g := range all {
		if n := len(out); n > 0 && out[n-1].answers < greeted && g.At.Sub(out[n-1].first) < 5*time.Second {
			out[n-1].last, out[n-1].answers = g.At, out[n-1].answers+1
			continue
		}
		if n := len(out); n > 0 {
			out[n-1].next = g.At
		}
		out = append(out, asked{first: g.At, last: g.At, answers: 1})
	}
	return out
}

// sample is one value of how much a device lost.
type sample struct {
	Device string    `json:"device"`
	At     time.Time `json:"at"`
	Value  float64   `json:"value"`
	used   bool
}

// export asks the application for what it stored.
func (a *account) export() (map[string][]*sample, error) {
	cmd := a.command("samples", "export", "--kit", "reachability", "--reading", "loss",
		"--from", a.began().Add(-2*time.Hour).UTC().Format(time.RFC3339), "--to", time.Now().Add(3*time.Hour).UTC().Format(time.RFC3339))
	cmd.Stdout = nil
	text, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("export: %w", err)
	}
	out := map[string][]*sample{}
	d := json.NewDecoder(bytes.NewReader(text))
	for d.More() {
		s := &sample{}
		if err := d.Decode(s); err != nil {
			return nil, err
		}
		out[s.Device] = append(out[s.Device], s)
	}
	return out, nil
}

func (a *account) began() time.Time {
	info, err := os.Stat(a.path("data/lock"))
	if err != nil {
		return time.Now()
	}
	return info.ModTime()
}

// off is by how much the application's clock was off at a time. sure is false
// about the moment at which it was set.
func (a *account) off(at time.Time) (by time.Duration, sure bool) {
	sure = true
	for _, o := range a.offsets {
		if o.since.Before(at) {
			by = o.by
		}
		if d := at.Sub(o.since); d.Abs() < 2*time.Second {
			sure = false
		}
	}
	return by, sure
}

// A value is durable one second after its answer came: what was answered earlier
// before a kill must be there.
const (
	promise = time.Second
	// early and late are how far a stored time is from that of the answer where the
	// machine has time; for each request that was not answered the round lasts longer.
	early      = 300 * time.Millisecond
	late       = 1800 * time.Millisecond
	unanswered = 1600 * time.Millisecond
)

// slowness is how many times longer than a second the application took to start
// beside a kill, 1 at least: where a busy machine does nothing in a second, nothing
// can be promised of it.
func (a *account) slowness(kill int) float64 {
	slow := 1.0
	for i := max(kill-1, 0); i <= kill; i++ {
		slow = max(slow, a.kills[i].to.Sub(a.kills[i].from).Seconds())
	}
	return slow
}

// lostInPromise tells whether a round may be missing: it was broken off, or its
// answer came within the promised time before a kill.
func (a *account) lostInPromise(r asked) bool {
	for i, k := range a.kills {
		end := k.to
		if end.IsZero() {
			end = time.Now()
		}
		if r.first.Before(end) && r.last.After(k.from) {
			return true // it was being asked
		}
		before := 100 * time.Millisecond // a round whose answer was on its way
		if k.killed {
			before = time.Duration(a.slowness(i) * float64(promise))
		}
		if d := k.from.Sub(r.last); d >= 0 && d <= before || r.answers < greeted && d >= 0 && d < 5*time.Second {
			return true
		}
	}
	return false
}

// nextEnd says how long after a time the application was killed or stopped.
func (a *account) nextEnd(at time.Time) string {
	for i, k := range a.kills {
		if d := k.from.Sub(at); d >= 0 {
			return fmt.Sprintf("its next end came %s later, starts took up to %.1f s then", d.Round(time.Millisecond), a.slowness(i))
		}
	}
	return "it lived on"
}

// ledger counts rounds that devices answered by what became of them.
type ledger struct {
	total, kept, slow, lost, forgiven, unsure, invented int
}

func (a *account) samples(ctx context.Context, until time.Time, greetings []sim.Greeting, stored map[string][]*sample) {
	byAddress := map[netip.Addr][]sim.Greeting{}
	for _, g := range greetings {
		byAddress[g.Address] = append(byAddress[g.Address], g)
	}
	var l ledger
	for _, d := range a.devices(ctx) {
		all, list := rounds(byAddress[d.Address]), stored[d.Name]
		if n := len(all); n > 0 && until.Sub(all[n-1].last) < 6*time.Second {
			all = all[:n-1] // it is on its way
		}
		if len(all) == 0 {
			continue
		}
		slices.SortFunc(list, func(x, y *sample) int { return x.At.Compare(y.At) })
		a.compare(&l, d.Name, all, list)
		a.inventions(&l, d.Name, list, all[0].first.Add(time.Second), until.Add(-8*time.Second))
	}
	if l.lost > mostTold || l.invented > mostTold {
		a.wrong("%d values lost, %d that no answer gave", l.lost, l.invented)
	}
	a.figure(
		"%d rounds answered: %d stored late, %d lost, %d of them as promised when killed, %d while the clock was being set; "+
			"%d values that nobody gave",
		l.total,
		l.slow,
		l.total-l.kept,
		l.forgiven,
		l.unsure,
		l.invented,
	)
	if l.total < 100 {
		a.wrong("only %d rounds", l.total)
	}
}

// mostTold is how many wrongs of one sort are told one by one.
const mostTold = 10

// compare looks for the value of each round. Those that must be there choose first,
// since a clock that was set makes rounds of two times fall together; what a machine
// that stood still stored late takes what they left, before the device's next round.
func (a *account) compare(l *ledger, device string, all []asked, list []*sample) {
	l.total += len(all)
	var may, slow []asked
	for _, r := range all {
		switch _, sure := a.off(r.last); {
		case !sure || a.lostInPromise(r):
			may = append(may, r)
		case a.claim(list, r, r.soon()):
			l.kept++
		default:
			slow = append(slow, r)
		}
	}
	for _, r := range slow {
		if a.claim(list, r, r.beforeNext()) {
			l.kept++
			l.slow++
			continue
		}
		if l.lost++; l.lost <= mostTold {
			a.wrong("%s answered %d times until %s and there is no value; %s", device, r.answers, r.last.Format(millis), a.nextEnd(r.last))
		}
	}
	for _, r := range may {
		switch _, sure := a.off(r.last); {
		case a.claim(list, r, r.soon()):
			l.kept++
		case a.claim(list, r, r.beforeNext()):
			l.kept++
			l.slow++
		case !sure:
			l.unsure++
		default:
			l.forgiven++
		}
	}
}

const millis = "15:04:05.000"

// soon is how long after a round its value is stored by a machine that has time.
func (r asked) soon() time.Duration {
	return late + time.Duration(greeted-r.answers)*unanswered
}

// beforeNext is how long after a round its value can be told from the next one's.
func (r asked) beforeNext() time.Duration {
	if r.next.IsZero() {
		return r.soon()
	}
	return r.next.Sub(r.last) - early
}

// claim finds the value of a round within a time after it, and takes it.
func (a *account) claim(list []*sample, r asked, within time.Duration) bool {
	by, _ := a.off(r.last)
	found := match(list, r.last.Add(by), within)
	if found != nil {
		found.used = true
	}
	return found != nil
}

// inventions are values that no round claimed.
func (a *account) inventions(l *ledger, device string, list []*sample, from, to time.Time) {
	for _, s := range list {
		if s.used || s.Value >= 100 || s.At.Before(from) || s.At.After(to) || a.nearSet(s.At) {
			continue
		}
		if l.invented++; l.invented <= mostTold {
			a.wrong("%s has a value of %s that no answer gave", device, s.At.Format(millis))
		}
	}
}

// nearSet tells whether a stored time is about a moment at which the clock was set.
func (a *account) nearSet(at time.Time) bool {
	return slices.ContainsFunc(a.offsets, func(o offset) bool {
		for _, x := range a.offsets {
			if d := at.Sub(o.since.Add(x.by)); d.Abs() < 4*time.Second {
				return true
			}
		}
		return false
	})
}

// match finds the value nearest to a time that nobody has claimed.
func match(list []*sample, at time.Time, late time.Duration) (found *sample) {
	i, _ := slices.BinarySearchFunc(list, at.Add(-early), func(s *sample, t time.Time) int { return s.At.Compare(t) })
	for ; i < len(list) && !list[i].At.After(at.Add(late)); i++ {
		if list[i].used || list[i].Value >= 100 {
			continue
		}
		if found == nil || list[i].At.Sub(at).Abs() < found.At.Sub(at).Abs() {
			found = list[i]
		}
	}
	return found
}
