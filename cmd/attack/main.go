// Attack plays the enemy of the running application: make attack. Each attack lasts some
// seconds, over sockets, against a demo of its own. Under every one of them the memory of the
// application must grow by little, pages of somebody else must stay quick, and nothing may
// be answered as if it were right.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"syscall"
	"time"
)

// What must hold under each attack.
const (
	mostGrowth = 64 << 20 // bytes of memory
	mostWaited = 200 * time.Millisecond
)

func main() {
	short := flag.Bool("short", false, "each attack for some seconds only; how quick pages are is told, and not judged")
	program := flag.String("program", "bin/owl", "the application")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	lasts := 20 * time.Second
	if *short {
		lasts = time.Second
	}
	if err := run(ctx, *program, lasts, !*short); err != nil {
		fmt.Fprintln(os.Stderr, "attack:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, program string, lasts time.Duration, timed bool) error {
	w, err := newWorld(ctx, program)
	if err != nil {
		return err
	}
	defer w.close()
	fmt.Printf("%-44s %9s %9s %9s %8s  %s\n", "attack", "requests", "memory", "pages p95", "longest", "answers")
	failed := 0
	for _, a := range attacks() {
		o, err := w.under(ctx, a, lasts)
		if err != nil {
			return fmt.Errorf("%s: %w", a.name, err)
		}
		fmt.Println(o)
		for _, problem := range o.problems(timed) {
			failed++
			fmt.Println("   ", problem)
		}
	}
	if failed > 0 {
		return fmt.Errorf("%d of what must hold did not", failed)
	}
	return ctx.Err()
}
