package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/sim"
)

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
var leaves = []string{
	"np-kiosk-1",
	"np-kiosk-2",
	"print-1",
	"ap-hq-1",
	"ap-hq-2",
	"build-1",
	"file-1",
	"np-printer-1",
	"backup-1",
	"directory-1",
}

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
	body := insist(ctx, controlURL()+"/estate", "")
	if err := json.Unmarshal([]byte(body), &out); err != nil {
		a.wrong("the estate: %v", err)
	}
	var silent []string
	body = insist(ctx, controlURL()+"/silent", "")
	if err := json.Unmarshal([]byte(body), &silent); err != nil {
		a.wrong("the silent: %v", err)
	}
	for i := range out {
		out[i].Silent = slices.Contains(silent, out[i].Name)
	}
	return out
}

// calm waits until all that was broken is known and told to be mended, and looks that
// no device is left unasked for longer than two rounds.
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
	return errors.Join(a.settle(ctx), ready(ctx, 10*time.Second))
}

func (a *account) greetings(ctx context.Context) (out []sim.Greeting) {
	body := insist(ctx, controlURL()+"/greetings", "")
	d := json.NewDecoder(strings.NewReader(body))
	for {
		var g sim.Greeting
		if d.Decode(&g) != nil {
			return out
		}
		out = append(out, g)
	}
}
