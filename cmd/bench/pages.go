package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"slices"
	"sync/atomic"
	"time"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/respond"
	running "tirelessowl/internal/service/run"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/web"
	"tirelessowl/kits"
)

// enrol lets somebody sign in who may do everything.
func enrol(ctx context.Context, users *people.Service) error {
	_, err := users.Enrol(ctx, access.Itself("bench"), people.Draft{Name: "bench", Secret: "bench-bench"}, domain.AccessAdminister)
	return err
}

// pages measures the server's time for each main page.
func (b *bench) pages(ctx context.Context) error {
	all, err := kitsOf(b.store, kits.Files)
	if err != nil {
		return err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	hub := engine.NewHub()
	desk, sheets := act.NewDesk(b.store, hub.Publish, quiet), act.NewSheets(b.store)
	all.Desk = desk
	users := people.New(people.Parts{Store: b.store, Desk: desk, Sheets: sheets, Now: time.Now, Log: slog.Default()})
	if err := enrol(ctx, users); err != nil {
		return err
	}
	reply := respond.New(b.store, desk, nil, nil, "", func() {})
	j := engine.NewJudge(b.store, reply, hub, quiet)
	e := engine.NewCollector(b.store, all, nil, j, engine.Files{}, quiet)
	handler, err := web.New(web.Wiring{
		Desk:     desk,
		People:   users,
		Places:   places.New(b.store, desk, sheets, nil),
		Audit:    audit.New(desk, nil),
		Kits:     all,
		Judge:    judge.New(b.store, desk, all, kinds.All, j.SetRules),
		Respond:  reply,
		Watch:    watch.New(b.store, desk, all, j, e),
		Run:      running.New(b.store, desk, e, store.UsualKeep(90), nil),
		Hub:      hub,
		Log:      quiet,
		Sessions: b.store.Sessions,
		Port:     161,
	})
	if err != nil {
		return err
	}
	var counted atomic.Pointer[store.Statements]
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctx, statements := store.CountStatements(r.Context())
		counted.Store(statements)
		handler.ServeHTTP(w, r.WithContext(ctx))
	}))
	defer server.Close()
	jar, _ := cookiejar.New(nil)
	c := &http.Client{Jar: jar}
	form := url.Values{"name": {"bench"}, "password": {"bench-bench"}, "trust": {"true"}}
	if _, err := c.PostForm(server.URL+"/signin", form); err != nil {
		return err
	}
	series, err := b.store.Series.OfReading(ctx, store.Read{Kit: "interfaces", Reading: "in"}, 1)
	if err != nil || len(series) == 0 {
		return fmt.Errorf("no series to chart: %w", err)
	}
	every, err := b.store.Series.Of(ctx, 0)
	if err != nil {
		return err
	}
	if err := b.history(ctx, every); err != nil {
		return err
	}
	// As a database in use has it after a minute.
	if _, err := b.store.Pool().Exec(ctx, "ANALYZE"); err != nil {
		return err
	}
	device := series[0].DeviceID
	for _, p := range []struct{ name, path, target string }{
		{"the estate", "/", "< 50"}, {"all devices", "/devices", "< 50"}, {"a device", fmt.Sprintf("/devices/%d", device), "< 50"},
		{"values now", "/collect/values", "< 50"},
		{"values now, highest first", "/collect/values?sort=-value", "< 50"},
		{"storage", "/run/storage", "< 50"}, {"incidents", "/incidents?state=all", "< 50"},
		{"changes of health", "/judge/transitions", "< 50"},
		{"a chart of 14 days", fmt.Sprintf("/chart?span=14d&series=%d", series[0].ID), "< 100"},
	} {
		p95, median, err := percentile(c, server.URL+p.path)
		if err != nil {
			return err
		}
		b.add("page: "+p.name+", 95th percentile", p95, "ms", p.target)
		b.add("page: "+p.name+", median", median, "ms", "")
		last := counted.Load()
		b.add("page: "+p.name+", statements", float64(last.Count()), "", "")
		b.add("page: "+p.name+", median to the time of its statements", median/(float64(last.Took.Microseconds())/1000), "×", "")
	}
	return nil
}

// history gives every series two weeks of values, one in five minutes.
func (b *bench) history(ctx context.Context, series []domain.Series) error {
	end := time.Now().UTC().Truncate(5 * time.Minute).Add(-time.Hour)
	for batch := range slices.Chunk(series, 500) {
		var past []samples.History
		for _, x := range batch {
			h := samples.History{Series: x.ID}
			for at := end.AddDate(0, 0, -14); at.Before(end); at = at.Add(5 * time.Minute) {
				h.Points = append(h.Points, codec.Point{T: at.UnixMilli(), V: float64(at.Unix()/300*7919%1000) / 10})
			}
			past = append(past, h)
		}
		if err := b.store.Samples.Import(ctx, past); err != nil {
			return err
		}
	}
	return nil
}

func percentile(c *http.Client, address string) (p95, median float64, err error) {
	var took []float64
	for range 60 {
		start := time.Now()
		res, err := c.Get(address)
		if err != nil {
			return 0, 0, err
		}
		_, err = io.Copy(io.Discard, res.Body)
		res.Body.Close()
		if err != nil || res.StatusCode != http.StatusOK {
			return 0, 0, fmt.Errorf("%s: %s %w", address, res.Status, err)
		}
		took = append(took, float64(time.Since(start).Microseconds())/1000)
	}
	took = took[5:]
	slices.Sort(took)
	return took[len(took)*95/100], took[len(took)/2], nil
}
