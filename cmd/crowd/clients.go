package main

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/domain"
)

// client is somebody, or a program, who asks.
type client struct {
	http *http.Client
	url  string
	key  domain.Secret // of a program; empty for people
}

// signIn signs a person in.
func signIn(ctx context.Context, address string, p person) (client, error) {
	jar, _ := cookiejar.New(nil)
	c := client{http: &http.Client{Jar: jar, Timeout: time.Minute}, url: address}
	form := url.Values{"name": {p.name}, "password": {password}}
	if p.trusted {
		form.Set("trust", "true")
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, address+"/signin", strings.NewReader(form.Encode()))
	if err != nil {
		return c, err
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	res, err := c.http.Do(req)
	if err != nil {
		return c, err
	}
	res.Body.Close()
	if res.Request.URL.Path == "/signin" {
		return c, fmt.Errorf("%s cannot sign in: %s", p.name, res.Status)
	}
	return c, nil
}

// ask asks once, and tells how long the whole answer took.
func (c client) ask(ctx context.Context, path string) (status int, took time.Duration, err error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.url+path, nil)
	if err != nil {
		return 0, 0, err
	}
	if c.key != "" {
		req.Header.Set("Authorization", "Bearer "+c.key.Reveal())
	}
	start := time.Now()
	res, err := c.http.Do(req)
	if err != nil {
		return 0, 0, err
	}
	defer res.Body.Close()
	_, err = io.Copy(io.Discard, res.Body)
	return res.StatusCode, time.Since(start), err
}

// path is a page, or an answer of the API, of which there may be many.
type path struct {
	name string
	make func(w *world) string
}

func fixed(p string) path { return path{p, func(*world) string { return p }} }

// of is a path with the id of one of several.
func of(format string, ids func(w *world) []domain.ID) path {
	return path{strings.ReplaceAll(format, "%d", "…"), func(w *world) string {
		all := ids(w)
		return fmt.Sprintf(format, all[rand.IntN(len(all))])
	}}
}

func devicesOf(w *world) []domain.ID { return w.devices }

func placesOf(w *world) (out []domain.ID) {
	for _, p := range w.places {
		out = append(out, p.ID)
	}
	return out
}

var pages = []path{
	fixed("/"), fixed("/devices"), fixed("/devices?health=critical"), fixed("/devices?q=fleet-77"), fixed("/devices?sort=-since"),
	fixed("/incidents"), fixed("/incidents?state=all"), fixed("/incidents?state=all&each=1"), fixed("/judge"),
	fixed("/judge/transitions"), fixed("/collect"), fixed("/collect/values"), fixed("/collect/values?sort=-value"),
	fixed("/run/places"), fixed("/run/people"), fixed("/run/teams"), fixed("/run/audit"), fixed("/find"), fixed("/me"),
	fixed("/search?q=fleet-12"), fixed("/search?q=quay"), fixed("/estate-strip"),
	of("/devices/%d", devicesOf), of("/devices/%d/setup", devicesOf), of("/run/places/%d", placesOf),
	of("/run/places/%d/settings", placesOf), of("/devices/%d/attributes", devicesOf),
	{"/chart …", func(w *world) string {
		return fmt.Sprintf("/chart?span=6h&series=%d", w.series[rand.IntN(len(w.series))].ID)
	}},
}

var calls = []path{
	fixed("/api/v1/places"), fixed("/api/v1/devices?limit=100"), fixed("/api/v1/devices?limit=100&q=fleet-9"),
	fixed("/api/v1/incidents?limit=100"), fixed("/api/v1/transitions"), fixed("/api/v1/values?limit=100"),
	fixed("/api/v1/rules"), fixed("/api/v1/kits"), of("/api/v1/devices/%d", devicesOf),
	of("/api/v1/devices/%d/settings", devicesOf), of("/api/v1/devices/%d/endpoints", devicesOf),
	{"/api/v1/series/…/samples", func(w *world) string {
		return fmt.Sprintf("/api/v1/series/%d/samples", w.series[rand.IntN(len(w.series))].ID)
	}},
}

// crowd lets all of them ask for a while.
func (w *world) crowd(ctx context.Context, address string, z size) (*answers, error) {
	ctx, end := context.WithTimeout(ctx, z.lasts)
	defer end()
	out := &answers{took: map[string][]time.Duration{}, status: map[int]int{}}
	var all sync.WaitGroup
	for i := range z.sessions {
		c, err := signIn(ctx, address, w.people[(i*9+3)%len(w.people)])
		if err != nil {
			return nil, err
		}
		all.Go(func() { w.use(ctx, c, pages, time.Second, out) })
	}
	for i := range z.programs {
		c := client{http: &http.Client{Timeout: time.Minute}, url: address, key: w.keys[i]}
		all.Go(func() { w.use(ctx, c, calls, time.Second, out) })
	}
	all.Wait()
	return out, nil
}

// use asks again and again, with pauses as long as pause in the mean.
func (w *world) use(ctx context.Context, c client, paths []path, pause time.Duration, out *answers) {
	for {
		p := paths[rand.IntN(len(paths))]
		status, took, err := c.ask(ctx, p.make(w))
		switch {
		case ctx.Err() != nil:
			return
		case err != nil:
			out.note(p.name+": "+err.Error(), 0, took)
		default:
			out.note(p.name, status, took)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Duration(rand.Float64() * 2 * float64(pause))):
		}
	}
}

// scoping compares two people who may the same, in turn: what it costs that grants are for
// places.
func (w *world) scoping(ctx context.Context, address string) error {
	whole, err := signIn(ctx, address, w.whole)
	if err != nil {
		return err
	}
	parted, err := signIn(ctx, address, w.parted)
	if err != nil {
		return err
	}
	fmt.Printf("\n%-34s %10s %10s %8s\n", "what scoping costs, medians", "whole", "by place", "ratio")
	const rounds = 41
	for _, p := range pages {
		var times [2][]time.Duration
		for range rounds {
			at := p.make(w)
			for i, c := range []client{whole, parted} {
				status, took, err := c.ask(ctx, at)
				if err != nil {
					return err
				}
				if status != http.StatusOK {
					return fmt.Errorf("%s: %d", at, status)
				}
				times[i] = append(times[i], took)
			}
		}
		a, b := median(times[0]), median(times[1])
		fmt.Printf("%-34s %7.1f ms %7.1f ms %8.2f\n", p.name, ms(a), ms(b), float64(b)/float64(a))
	}
	return nil
}

func median(took []time.Duration) time.Duration { return share(took, 50) }

// share is the time within which so many of 100 answers came.
func share(took []time.Duration, percent int) time.Duration {
	sorted := slices.Sorted(slices.Values(took))
	return sorted[min(len(sorted)*percent/100, len(sorted)-1)]
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
