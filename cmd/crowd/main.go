// Command crowd lets many people and programs use one large estate at the same time, each
// with rights of its own, and tells how long their answers took.
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http/httptest"
	"os"
	"os/exec"
	"os/signal"
	"time"

	"tirelessowl/cmd/internal/scratch"
	"tirelessowl/internal/app"
	"tirelessowl/internal/config"
)

// size is how large the estate and the crowd are.
type size struct {
	devices, groups, people, teams int
	sessions, programs, browsers   int
	lasts                          time.Duration
}

func main() {
	var z size
	flag.IntVar(&z.devices, "devices", 10_000, "devices that are watched")
	flag.IntVar(&z.groups, "groups", 49, "groups in each of the 40 sites")
	flag.IntVar(&z.people, "people", 200, "people who may sign in")
	flag.IntVar(&z.teams, "teams", 40, "teams that they are in")
	flag.IntVar(&z.sessions, "sessions", 20, "people who use the screens")
	flag.IntVar(&z.programs, "programs", 20, "programs that use the API")
	flag.IntVar(&z.browsers, "browsers", 2, "browsers that look at pages")
	flag.DurationVar(&z.lasts, "for", 10*time.Minute, "how long they do so")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, z); err != nil {
		fmt.Fprintln(os.Stderr, "crowd:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, z size) error {
	s, stopStore, err := scratch.Store(ctx)
	if err != nil {
		return err
	}
	defer stopStore()
	dir, err := os.MkdirTemp("", "owl-crowd-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	a, err := app.New(config.Config{DataDir: dir, KeepDays: 90}, s, quiet)
	if err != nil {
		return err
	}
	start := time.Now()
	w, err := build(ctx, a, z)
	if err != nil {
		return err
	}
	fmt.Printf("built in %.0f s: %s\n", time.Since(start).Seconds(), w)
	handler, err := a.Handler(nil)
	if err != nil {
		return err
	}
	server := httptest.NewServer(handler)
	defer server.Close()
	if err := w.scoping(ctx, server.URL); err != nil {
		return err
	}
	if z.sessions+z.programs == 0 {
		return nil // nothing but what scoping costs
	}
	for i := range z.browsers {
		defer browse(ctx, server.URL, w.people[i])()
	}
	answers, err := w.crowd(ctx, server.URL, z)
	if err != nil {
		return err
	}
	answers.report(z.lasts)
	return nil
}

// browse lets a browser look at pages until what it returns is called.
func browse(ctx context.Context, url string, p person) (stop func()) {
	ctx, cancel := context.WithCancel(ctx)
	cmd := exec.CommandContext(ctx, "node", "tools/browse.mjs", url, p.name, password)
	cmd.Stderr = os.Stderr
	cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	cmd.WaitDelay = 10 * time.Second
	cmd.Stdout = os.Stdout
	if err := cmd.Start(); err != nil {
		fmt.Fprintln(os.Stderr, "a browser could not be started:", err)
	}
	return func() { cancel(); _ = cmd.Wait() }
}
