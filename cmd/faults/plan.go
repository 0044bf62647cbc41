package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// plan is what is broken, in which order.
type plan struct {
	steps  []step
	outage time.Duration // how long each device is away that is stopped on purpose
}

type step struct {
	name string
	do   func(context.Context, *world, *account) error
}

func planOf(short bool, n int) plan {
	p := plan{outage: 75 * time.Second}
	stops, hold := []time.Duration{5, 20, 45, 90}, 25*time.Second
	if n == 0 {
		n = 200
	}
	if short {
		stops, hold = []time.Duration{8}, 8*time.Second
		n = min(n, 12)
	}
	add := func(name string, do func(context.Context, *world, *account) error) {
		p.steps = append(p.steps, step{name, do})
	}
	add(fmt.Sprintf("%d kills", n), kills(n))
	add("stops and starts in order", stopsInOrder(3))
	for _, s := range stops {
		add(fmt.Sprintf("the database stands still for %d s", s), during(standStill, s*time.Second, false))
	}
	add("the database is killed", during(killServer, 10*time.Second, false))
	add("killed while the database stands still", during(standStill, hold, true))
	add("the database takes no changes", during(readOnly, hold, false))
	add("the database takes no connections", during(noConnections, hold, false))
	add("the disk is full", during(fullDisk, hold, false))
	add("stopped while the database stands still", stopDuring(standStill, 5*time.Second))
	add("stopped when the database was just killed", stopDuring(killServer, 100*time.Millisecond))
	// 7 s beside whole minutes: rounds of one time must not fall onto those of another.
	const little, much = 3*time.Minute + 7*time.Second, time.Hour + 7*time.Second
	clocks := []time.Duration{-little, 0, little, 0, -much, 0, much, 0}
	services := []string{"mail-thinks", "mail-hangs-up", "mail-refuses", "desk-lies", "desk-hangs", "desk-refuses", "desk-nonsense"}
	if short {
		clocks, services = clocks[:2], services[1:2]
	}
	for _, by := range clocks {
		add(fmt.Sprintf("the clock is set to be off by %s", by), setClock(by, hold))
	}
	for _, kind := range services {
		add("a service goes wrong: "+kind, service(kind, 2*hold))
	}
	return p
}

// After so many kills the application is left alone for a moment.
const (
	breathing = 4
	breath    = 12 * time.Second
)

// kills kills the application at random moments after it began.
func kills(n int) func(context.Context, *world, *account) error {
	return func(ctx context.Context, w *world, a *account) error {
		for i := range n {
			if err := pause(ctx, time.Duration(200+a.random.IntN(3500))*time.Millisecond); err != nil {
				return err
			}
			w.kill()
			if err := w.start(ctx); err != nil {
				return err
			}
			// To find out that a device is silent takes a round of some seconds.
			if i%breathing == breathing-1 {
				if err := pause(ctx, breath); err != nil {
					return err
				}
			}
		}
		return ready(ctx, 30*time.Second)
	}
}

func stopsInOrder(n int) func(context.Context, *world, *account) error {
	return func(ctx context.Context, w *world, a *account) error {
		for range n {
			if err := errors.Join(w.stop(), w.start(ctx), ready(ctx, 30*time.Second), pause(ctx, 3*time.Second)); err != nil {
				return err
			}
		}
		return nil
	}
}

// a fault breaks the database, and returns what mends it.
type fault func(context.Context, *world) (mend func() error, err error)

// during breaks the database for a time; killed kills the application meanwhile.
func during(f fault, hold time.Duration, killed bool) func(context.Context, *world, *account) error {
	return func(ctx context.Context, w *world, a *account) error {
		mend, err := f(ctx, w)
		if errors.Is(err, errLeftOut) {
			fmt.Println("          left out:", err)
			return nil
		}
		if err != nil {
			return err
		}
		err = pause(ctx, hold)
		if killed {
			w.kill()
		}
		err = errors.Join(err, mend())
		if killed {
			err = errors.Join(err, w.start(ctx))
		}
		return errors.Join(err, ready(ctx, 45*time.Second), pause(ctx, 2*time.Second))
	}
}

// stopDuring stops the application while the database is broken.
func stopDuring(f fault, hold time.Duration) func(context.Context, *world, *account) error {
	return func(ctx context.Context, w *world, a *account) error {
		mend, err := f(ctx, w)
		if err != nil {
			return err
		}
		err = errors.Join(pause(ctx, hold), w.stop())
		_ = mend() // the application may have ended the server itself
		return errors.Join(err, w.start(ctx), ready(ctx, 45*time.Second))
	}
}

func pause(ctx context.Context, d time.Duration) error {
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-time.After(d):
		return nil
	}
}

// family is a process and its children.
func family(pid int) []int {
	all := []int{pid}
	stats, _ := filepath.Glob("/proc/[0-9]*/stat")
	for _, path := range stats {
		text, err := os.ReadFile(path)
		if err != nil {
			continue
		}
		fields := strings.Fields(string(text[strings.LastIndexByte(string(text), ')')+1:]))
		if len(fields) > 1 && fields[1] == strconv.Itoa(pid) {
			child, _ := strconv.Atoi(filepath.Base(filepath.Dir(path)))
			all = append(all, child)
		}
	}
	return all
}

func standStill(_ context.Context, w *world) (func() error, error) {
	pid, _, err := w.server()
	if err != nil {
		return nil, err
	}
	all := family(pid)
	for _, p := range all {
		_ = syscall.Kill(p, syscall.SIGSTOP)
	}
	return func() error {
		for _, p := range all {
			_ = syscall.Kill(p, syscall.SIGCONT)
		}
		return nil
	}, nil
}

func killServer(_ context.Context, w *world) (func() error, error) {
	pid, _, err := w.server()
	if err != nil {
		return nil, err
	}
	return func() error { return nil }, syscall.Kill(pid, syscall.SIGKILL)
}

// say runs statements on another database than the application's.
func (w *world) say(ctx context.Context, statements ...string) error {
	_, url, err := w.server()
	if err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, url+"template1?sslmode=disable&options=-cdefault_transaction_read_only%3Doff")
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for _, sql := range statements {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}

const endSessions = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = 'postgres'"

func readOnly(ctx context.Context, w *world) (func() error, error) {
	err := w.say(ctx, "ALTER DATABASE postgres SET default_transaction_read_only = on", endSessions)
	return func() error {
		return w.say(context.WithoutCancel(ctx), "ALTER DATABASE postgres RESET default_transaction_read_only", endSessions)
	}, err
}

func noConnections(ctx context.Context, w *world) (func() error, error) {
	err := w.say(ctx, "ALTER DATABASE postgres ALLOW_CONNECTIONS false", endSessions)
	return func() error {
		return w.say(context.WithoutCancel(ctx), "ALTER DATABASE postgres ALLOW_CONNECTIONS true")
	}, err
}

var errLeftOut = errors.New("it needs the right to mount a disk")

// fullDisk fills the disk of the data folder to the last byte.
func fullDisk(_ context.Context, w *world) (func() error, error) {
	if !w.mounted {
		return nil, errLeftOut
	}
	f, err := os.Create(w.path("ballast"))
	if err != nil {
		return nil, err
	}
	defer f.Close()
	for block := make([]byte, 1<<20); len(block) > 0; {
		if _, err := f.Write(block); err != nil {
			block = block[:len(block)/2]
		}
	}
	return func() error { return os.Remove(w.path("ballast")) }, nil
}

func setClock(by, hold time.Duration) func(context.Context, *world, *account) error {
	return func(ctx context.Context, w *world, a *account) error {
		return errors.Join(w.setClock(by), pause(ctx, hold), ready(ctx, 10*time.Second))
	}
}

func service(kind string, hold time.Duration) func(context.Context, *world, *account) error {
	return func(ctx context.Context, w *world, a *account) error {
		mend, err := a.spoil(ctx, kind, "")
		if err != nil {
			return err
		}
		return errors.Join(pause(ctx, hold), mend())
	}
}
