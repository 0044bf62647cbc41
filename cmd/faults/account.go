package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/netip"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/sim"
)

// account is what should be, and what was found instead.
type account struct {
	*world
	random  *rand.Rand
	mu      sync.Mutex
	outages []outage
	wrongs  []string
	figures []string
}

// outage is a device that was stopped on purpose.
type outage struct {
	device   string
	from, to time.Time
}

func (a *account) wrong(format string, args ...any) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.wrongs = append(a.wrongs, fmt.Sprintf(format, args...))
	fmt.Printf("          WRONG: "+format+"\n", args...)
}

func (a *account) figure(format string, args ...any) {
	a.figures = append(a.figures, fmt.Sprintf(format, args...))
}

// tell says how it went.
func (a *account) tell() error {
	for _, f := range a.figures {
		fmt.Println(" ", f)
	}
	if len(a.wrongs) > 0 {
		return fmt.Errorf("%d things went wrong:\n  %s", len(a.wrongs), strings.Join(a.wrongs, "\n  "))
	}
	fmt.Println("nothing lost, nothing doubled")
	return nil
}

// spoil breaks something of the estate, and returns what mends it.
func (a *account) spoil(ctx context.Context, kind, target string) (mend func() error, err error) {
	body, _ := json.Marshal(map[string]string{"kind": kind, "target": target})
	res, err := http.Post(controlURL()+"/faults", "application/json", bytes.NewReader(body))
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	var made struct{ ID int }
	if err := json.NewDecoder(res.Body).Decode(&made); err != nil || made.ID == 0 {
		return nil, fmt.Errorf("%s %s: %s %v", kind, target, res.Status, err)
	}
	return func() error {
		req, err := http.NewRequest(http.MethodDelete, fmt.Sprintf("%s/faults/%d", controlURL(), made.ID), nil)
		if err != nil {
			return err
		}
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			res.Body.Close()
		}
		return err
	}, nil
}

// Devices that no other is reached through are stopped, one after the other.
var leaves = []string{"np-kiosk-1", "np-kiosk-2", "print-1", "ap-hq-1", "ap-hq-2", "build-1", "file-1", "np-printer-1", "backup-1", "directory-1"}

// breakDevices stops devices on purpose, one at a time and each once in a while,
// until the returned function is called.
func (a *account) breakDevices(ctx context.Context, each time.Duration) (end func()) {
	known := a.devices(ctx)
	usable := slices.DeleteFunc(slices.Clone(leaves), func(name string) bool {
		return !slices.ContainsFunc(known, func(d device) bool { return d.Name == name })
	})
	ctx, cancel := context.WithCancel(ctx)
	var done sync.WaitGroup
	done.Go(func() {
		for i := 0; ctx.Err() == nil; i++ {
			name := usable[i%len(usable)]
			mend, err := a.spoil(ctx, "stop", name)
			if err != nil {
				a.wrong("stop %s: %v", name, err)
				return
			}
			x := outage{device: name, from: time.Now()}
			_ = pause(ctx, each)
			x.to = time.Now()
			if err := mend(); err != nil {
				a.wrong("mend %s: %v", name, err)
			}
			a.outages = append(a.outages, x)
			_ = pause(ctx, 10*time.Second)
		}
	})
	return func() { cancel(); done.Wait() }
}

type device struct {
	Name    string
	Address netip.Addr
	Silent  bool
}

func (a *account) devices(ctx context.Context) (out []device) {
	_, body := get(ctx, controlURL()+"/estate", "")
	if err := json.Unmarshal([]byte(body), &out); err != nil {
		a.wrong("the estate: %v", err)
	}
	var silent []string
	_, body = get(ctx, controlURL()+"/silent", "")
	if err := json.Unmarshal([]byte(body), &silent); err != nil {
		a.wrong("the silent: %v", err)
	}
	for i := range out {
		out[i].Silent = slices.Contains(silent, out[i].Name)
	}
	return out
}

// calm waits until all that was broken is known to be mended, and looks that no
// device is left unasked for longer than two rounds.
func (a *account) calm(ctx context.Context) error {
	if err := ready(ctx, 60*time.Second); err != nil {
		return err
	}
	began := time.Now()
	if err := pause(ctx, 45*time.Second); err != nil {
		return err
	}
	asked := map[netip.Addr]time.Time{} // by those that answer at all: a ship may be out of reach
	for _, g := range a.greetings(ctx) {
		asked[g.Address] = g.At
	}
	for _, d := range a.devices(ctx) {
		if at, ok := asked[d.Address]; !ok || d.Silent {
			continue
		} else if at.Before(began) {
			a.wrong("%s is not asked any more", d.Name)
		} else if silence := time.Since(at); silence > 2*round {
			a.wrong("%s was asked last %s ago", d.Name, silence.Round(time.Second))
		}
	}
	return ready(ctx, time.Second)
}

func (a *account) greetings(ctx context.Context) (out []sim.Greeting) {
	_, body := get(ctx, controlURL()+"/greetings", "")
	d := json.NewDecoder(strings.NewReader(body))
	for {
		var g sim.Greeting
		if d.Decode(&g) != nil {
			return out
		}
		out = append(out, g)
	}
}

// round is how often each device is asked whether it answers, and greeted is how
// many requests each time.
const (
	round   = 15 * time.Second
	greeted = 3
)

// asked is a round of one device, as the device saw it.
type asked struct {
	first, last time.Time
	answers     int
}

func rounds(all []sim.Greeting) (out []asked) {
	slices.SortFunc(all, func(x, y sim.Greeting) int { return x.At.Compare(y.At) })
	for _, g := range all {
		if n := len(out); n > 0 && out[n-1].answers < greeted && g.At.Sub(out[n-1].first) < 5*time.Second {
			out[n-1].last, out[n-1].answers = g.At, out[n-1].answers+1
			continue
		}
		out = append(out, asked{g.At, g.At, 1})
	}
	return out
}

// balance compares what devices answered with what was stored, and what was broken
// with who was told.
func (a *account) balance(ctx context.Context) error {
	until, greetings := time.Now(), a.greetings(ctx)
	stored, err := a.export()
	if err != nil {
		return err
	}
	a.samples(ctx, until, greetings, stored)
	a.mails(ctx, stored)
	a.tickets()
	slices.Sort(a.starts)
	slices.Sort(a.stops)
	a.figure("%d starts, the longest %s; %d stops, the longest %s", len(a.starts), last(a.starts), len(a.stops), last(a.stops))
	if last(a.stops) > longestStop {
		a.wrong("a stop took %s", last(a.stops))
	}
	return nil
}

func last(sorted []time.Duration) time.Duration {
	if len(sorted) == 0 {
		return 0
	}
	return sorted[len(sorted)-1].Round(10 * time.Millisecond)
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
	// early and late are how far a stored time may be from that of the answer; for
	// each request that was not answered the round lasts longer.
	early      = 300 * time.Millisecond
	late       = 1800 * time.Millisecond
	unanswered = 1600 * time.Millisecond
)

// lostInPromise tells whether a round may be missing: it was broken off, or its
// answer came within the promised time before a kill.
func (a *account) lostInPromise(r asked) bool {
	for _, k := range a.kills {
		end := k.to
		if end.IsZero() {
			end = time.Now()
		}
		if r.first.Before(end) && r.last.After(k.from) {
			return true // it was being asked
		}
		before := 100 * time.Millisecond // a round whose answer was on its way
		if k.killed {
			before = promise
		}
		if d := k.from.Sub(r.last); d >= 0 && d <= before || r.answers < greeted && d >= 0 && d < 5*time.Second {
			return true
		}
	}
	return false
}

func (a *account) samples(ctx context.Context, until time.Time, greetings []sim.Greeting, stored map[string][]*sample) {
	byAddress := map[netip.Addr][]sim.Greeting{}
	for _, g := range greetings {
		byAddress[g.Address] = append(byAddress[g.Address], g)
	}
	total, lost, forgiven, unsure, invented := 0, 0, 0, 0, 0
	for _, d := range a.devices(ctx) {
		list := stored[d.Name]
		slices.SortFunc(list, func(x, y *sample) int { return x.At.Compare(y.At) })
		all := rounds(byAddress[d.Address])
		if n := len(all); n > 0 && until.Sub(all[n-1].last) < 6*time.Second {
			all = all[:n-1] // it is on its way
		}
		for _, r := range all {
			total++
			by, sure := a.off(r.last)
			if found := match(list, r.last.Add(by), late+time.Duration(greeted-r.answers)*unanswered); found != nil {
				found.used = true
				continue
			}
			switch {
			case !sure:
				unsure++
			case a.lostInPromise(r):
				forgiven++
			default:
				lost++
				if lost <= 10 {
					a.wrong("%s answered %d times until %s and there is no value", d.Name, r.answers, r.last.Format("15:04:05.000"))
				}
			}
		}
		first := time.Time{}
		if len(all) > 0 {
			first = all[0].first
		}
		for _, s := range list {
			if !s.used && s.Value < 100 && s.At.After(first.Add(time.Second)) && s.At.Before(until.Add(-8*time.Second)) && !a.nearSet(s.At) {
				if invented++; invented <= 10 {
					a.wrong("%s has a value of %s that no answer gave", d.Name, s.At.Format("15:04:05.000"))
				}
			}
		}
	}
	if lost > 10 || invented > 10 {
		a.wrong("%d values lost, %d that no answer gave", lost, invented)
	}
	a.figure("%d rounds answered: %d lost, %d of them as promised when killed, %d while the clock was being set; %d values that nobody gave",
		total, lost+forgiven+unsure, forgiven, unsure, invented)
	if total < 100 {
		a.wrong("only %d rounds", total)
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

// mails looks that each outage was told once, with its end, and none twice.
func (a *account) mails(ctx context.Context, stored map[string][]*sample) {
	_, body := get(ctx, mailURL(), "application/json")
	var all []sim.Mail
	if err := json.Unmarshal([]byte(body), &all); err != nil {
		a.wrong("the mails: %v", err)
		return
	}
	seen := map[string]int{}
	for _, m := range all {
		if seen[m.ID+m.To[0]]++; seen[m.ID+m.To[0]] == 2 {
			a.wrong("a mail came twice: %s", m.Subject)
		}
	}
	told, ended, unseen := 0, 0, 0
	for _, x := range a.outages {
		if x.to.Sub(x.from) < 70*time.Second {
			continue // it was broken off at the end
		}
		bad := slices.ContainsFunc(all, func(m sim.Mail) bool {
			return strings.Contains(m.Subject, x.device) && strings.HasPrefix(m.Subject, "Critical") && between(m.At, x)
		})
		good := slices.ContainsFunc(all, func(m sim.Mail) bool {
			return strings.Contains(m.Subject, x.device) && strings.HasPrefix(m.Subject, "Recovered") && between(m.At, x)
		})
		switch {
		case bad:
			told++
		case a.lostValues(stored[x.device], x) < enough:
			unseen++ // killed so often that no two rounds came to their end
		default:
			a.wrong("nobody was told that %s was away from %s to %s", x.device, x.from.Format(time.TimeOnly), x.to.Format(time.TimeOnly))
		}
		if good {
			ended++
		} else if bad {
			a.wrong("nobody was told that %s was back at %s", x.device, x.to.Format(time.TimeOnly))
		}
	}
	a.figure("%d mails of %d outages: %d told, %d told to be over, %d too short between kills to be seen", len(all), len(a.outages), told, ended, unseen)
}

// enough is how many rounds in a row must be lost until a rule of the demo says so.
const enough = 2

// lostValues counts the rounds of an outage that were stored as lost.
func (a *account) lostValues(list []*sample, x outage) (n int) {
	for _, s := range list {
		by, _ := a.off(x.from)
		if s.Value >= 100 && s.At.After(x.from.Add(by)) && s.At.Before(x.to.Add(by)) {
			n++
		}
	}
	return n
}

// between tells whether something happened about an outage: a service that hangs
// may delay it.
func between(at time.Time, x outage) bool {
	return at.After(x.from) && at.Before(x.to.Add(4*time.Minute))
}

// tickets looks that no ticket and no note is there twice.
func (a *account) tickets() {
	var all []sim.Ticket
	text, err := os.ReadFile(a.path("data/tickets.json"))
	if err == nil {
		err = json.Unmarshal(text, &all)
	}
	if err != nil {
		a.wrong("the tickets: %v", err)
		return
	}
	count, notes := map[string]int{}, 0
	for _, t := range all {
		if count[t.Reference]++; count[t.Reference] == 2 {
			a.wrong("there are two tickets for %s: %s", t.Reference, t.Title)
		}
		keys := map[string]bool{}
		for _, n := range t.Notes {
			notes++
			if keys[n.Key] {
				a.wrong("a note stands twice on %s", t.Number)
			}
			keys[n.Key] = true
		}
	}
	a.figure("%d tickets with %d notes", len(all), notes)
}
