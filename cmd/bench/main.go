// Command bench measures the application on this machine and prints a table;
// the same figures go to bench.json. It says nothing about pass or fail:
// machines differ, and the targets stand beside the figures.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"net/netip"
	"os"
	"os/exec"
	"syscall"
	"time"

	"tirelessowl/cmd/internal/reference"
	"tirelessowl/cmd/internal/scratch"
	"tirelessowl/internal/sim"
)

// Figure is one measured value.
type Figure struct {
	Name   string  `json:"name"`
	Value  float64 `json:"value"`
	Unit   string  `json:"unit"`
	Target string  `json:"target"`
}

const (
	fleetBase = "127.120.0.0"
	fleetPort = 16399
	community = "bench"

	// 46 ports × 16 columns are 736 values in one walk.
	wideBase    = "127.121.0.0"
	widePort    = 16397
	wideDevices = 40
	widePorts   = 46

	quickDevices = 300
)

func main() {
	fleet := flag.Bool("fleet", false, "serve the simulated fleet only (used by the bench itself)")
	wide := flag.Bool("wide", false, "serve few devices with many ports instead")
	devices := flag.Int("devices", 2000, "devices of the fleet")
	minutes := flag.Float64("minutes", 2, "how long the engine is watched")
	quick := flag.Bool("quick", false, "only what two versions are compared by: pages, on a small fleet")
	flag.Parse()
	if *quick {
		*devices, *minutes = quickDevices, 0
	}
	if err := run(*fleet, *wide, *quick, *devices, *minutes); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(fleet, wide, quick bool, devices int, minutes float64) error {
	base := netip.MustParseAddr(fleetBase)
	if wide {
		return sim.NewFleet(netip.MustParseAddr(wideBase), wideDevices, widePorts).Serve(context.Background(), widePort, community)
	}
	if fleet {
		// Four ports × 4 readings and 4 of the state: 20 series each.
		return sim.NewFleet(base, devices, 4).Serve(context.Background(), fleetPort, community)
	}
	ctx := context.Background()
	s, stopStore, err := scratch.Store(ctx)
	if err != nil {
		return err
	}
	defer stopStore()
	stop, err := startFleet("--fleet", "--devices", fmt.Sprint(devices))
	if err != nil {
		return err
	}
	defer stop()
	stopWide, err := startFleet("--wide")
	if err != nil {
		return err
	}
	defer stopWide()
	b := &bench{store: s, devices: devices, base: base, watch: time.Duration(minutes * float64(time.Minute))}
	steps := []func(context.Context) error{b.reference, b.library, b.sweep, b.engine, b.walks, b.flatOut, b.pages}
	if quick {
		steps = []func(context.Context) error{b.reference, b.fill, b.pages}
	}
	for _, step := range steps {
		if err := step(ctx); err != nil {
			return err
		}
	}
	return b.report()
}

// startFleet runs the fleet as a process of its own, so that its work is not
// counted as ours.
func startFleet(args ...string) (func(), error) {
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(program, args...)
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	time.Sleep(time.Second)
	return func() { _ = cmd.Process.Kill(); _ = cmd.Wait() }, nil
}

// reference adds what other runs can be compared by.
func (b *bench) reference(ctx context.Context) error {
	figures, err := reference.Measure(ctx, b.store)
	for _, f := range figures {
		b.add(f.Name, f.Value, f.Unit, "")
	}
	return err
}

func (b *bench) add(name string, value float64, unit, target string) {
	b.figures = append(b.figures, Figure{name, value, unit, target})
	fmt.Printf("%-62s %12.2f %-10s %s\n", name, value, unit, target)
}

func (b *bench) report() error {
	data, err := json.MarshalIndent(map[string]any{"at": time.Now().UTC(), "figures": b.figures}, "", "  ")
	if err != nil {
		return err
	}
	fmt.Println("\nwritten to bench.json")
	return os.WriteFile("bench.json", append(data, '\n'), 0o644)
}
