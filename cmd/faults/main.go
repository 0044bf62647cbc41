// Command faults breaks what the application stands on, again and again, while it
// watches the simulated estate, and keeps an account of its own: of what devices
// answered, what was stored, who was told. make faults runs the whole of it, which
// takes a good half hour; -short is what make test runs.
package main

import (
	"context"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"
)

func main() {
	short := flag.Bool("short", false, "a few of each, in two minutes")
	kills := flag.Int("kills", 0, "how many kills; 0 for the usual number")
	owl := flag.String("owl", "bin/owl", "the program")
	seed := flag.Uint64("seed", uint64(time.Now().UnixNano()), "of the random moments")
	keep := flag.Bool("keep", false, "leave the folder as it is at the end")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	program, err := filepath.Abs(*owl)
	if err == nil {
		err = run(ctx, program, planOf(*short, *kills), *seed, *keep)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "faults:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, program string, p plan, seed uint64, keep bool) error {
	fmt.Println("seed", seed)
	w, err := newWorld(ctx, program)
	if err != nil {
		return err
	}
	defer w.close(keep)
	a := &account{world: w, random: rand.New(rand.NewPCG(seed, 9))}
	if err := w.prepare(ctx); err != nil {
		return err
	}
	if err := w.start(ctx); err != nil {
		return err
	}
	outages := a.breakDevices(ctx, p.outage)
	for _, step := range p.steps {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		fmt.Printf("%s  %s\n", time.Now().UTC().Format(time.TimeOnly), step.name)
		if err := step.do(ctx, w, a); err != nil {
			a.wrong("%s: %v", step.name, err)
		}
	}
	outages()
	if err := a.calm(ctx); err != nil {
		a.wrong("after all faults: %v", err)
	}
	if err := a.balance(ctx); err != nil {
		return err
	}
	return a.tell()
}
