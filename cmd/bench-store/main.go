// Command bench-store measures the sample store beside a plain table with a
// primary key, in one run on one private database with durable settings, and
// prints a table and writes JSON. See docs/sample-store.md.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"os/signal"
	"runtime/pprof"
	"time"

	"tirelessowl/cmd/internal/reference"
	"tirelessowl/cmd/internal/scratch"
)

func main() {
	b := &bench{}
	flag.IntVar(&b.series, "series", 1_000_000, "series of the sustained load")
	flag.DurationVar(&b.sustained, "sustained", 60*time.Second, "how long the sustained load goes on")
	flag.IntVar(&b.plain, "plain", 100_000, "series of the comparison with a plain table")
	flag.IntVar(&b.warm, "warm", 60, "values of each series before the sustained load, 30 s apart")
	only := flag.String("only", "", "one step: compare, rest, reading or load")
	profile := flag.String("cpuprofile", "", "file for a processor profile")
	out := flag.String("json", "bench-store.json", "file for the figures")
	flag.Parse()
	if *profile != "" {
		f, err := os.Create(*profile)
		if err == nil {
			err = pprof.StartCPUProfile(f)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "bench-store:", err)
			os.Exit(1)
		}
		defer pprof.StopCPUProfile()
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := run(ctx, b, *only); err != nil {
		fmt.Fprintln(os.Stderr, "bench-store:", err)
		os.Exit(1)
	}
	data, err := json.MarshalIndent(b.figures, "", "  ")
	if err == nil {
		err = os.WriteFile(*out, append(data, '\n'), 0o644)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "bench-store:", err)
		os.Exit(1)
	}
}

// figure is one line of the table.
type figure struct {
	Name   string  `json:"name"`
	Value  float64 `json:"value"`
	Unit   string  `json:"unit"`
	Target string  `json:"target,omitempty"`
}

func (b *bench) add(name string, value float64, unit, target string) {
	b.figures = append(b.figures, figure{name, value, unit, target})
	fmt.Printf("%-66s %12.4g %-10s %s\n", name, value, unit, target)
}

// reference adds what other runs can be compared by.
func (b *bench) reference(ctx context.Context) error {
	figures, err := reference.Measure(ctx, b.db)
	for _, f := range figures {
		b.add(f.Name, f.Value, f.Unit, "")
	}
	return err
}

func run(ctx context.Context, b *bench, only string) error {
	open, stop, err := scratch.Database(ctx)
	if err != nil {
		return err
	}
	defer stop()
	b.open = open
	for _, step := range []struct {
		name string
		do   func(context.Context) error
	}{{"reference", b.reference}, {"compare", b.compare}, {"rest", b.atRest}, {"reading", b.reading}, {"load", b.load}} {
		if only != "" && only != step.name {
			continue
		}
		if err := b.fresh(ctx); err != nil {
			return err
		}
		if err := step.do(ctx); err != nil {
			return err
		}
		b.db.Close()
	}
	return nil
}
