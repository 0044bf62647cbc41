package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"runtime"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sync/errgroup"

	"tirelessowl/internal/config"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/store/samples"
)

// LargeSize is how large the large demo is.
type LargeSize struct{ Devices, Days int }

// largeBatch is how many devices are made and brought in at once, by each worker.
const largeBatch = 8

// RunLargeDemo is the whole of "owl demo-large": many equal devices with a long
// past. fleet are the arguments that make this program serve their agents.
func RunLargeDemo(ctx context.Context, c config.Config, size LargeSize, world demo.Large, fleet []string, log *slog.Logger) error {
	c.Allow = append(c.Allow, loopback)
	start := time.Now()
	progress := func(format string, args ...any) {
		fmt.Printf("%5.1f s  %s\n", time.Since(start).Seconds(), fmt.Sprintf(format, args...))
	}
	progress("starting the database")
	s, closeStore, err := Database(ctx, c, true, func(text string) { progress("%s", text) })
	if err != nil {
		return err
	}
	defer closeStore()
	stopFleet, err := serveFleet(fleet)
	if err != nil {
		return err
	}
	defer stopFleet()
	_, loaded, err := DemoOrigin(ctx, s)
	if err != nil {
		return err
	}
	a, err := New(c, s, log)
	if err != nil {
		return err
	}
	defer a.Stop()
	if !loaded {
		world.Store, world.People, world.Kits, world.Devices, world.Days = s, a.People, a.Kits, size.Devices, size.Days
		if err := a.loadLarge(ctx, world, progress); err != nil {
			return fmt.Errorf("load the large demo: %w", err)
		}
	}
	progress("starting to collect")
	if err := a.Start(ctx, nil); err != nil {
		return err
	}
	progress("ready")
	fmt.Printf(
		"\n  Open     %s\n  Sign in  %s / %s\n\n  Ctrl-C stops everything; make demo-large goes on.\n\n",
		c.URL,
		demo.UserName,
		demo.Password,
	)
	<-ctx.Done()
	fmt.Println("stopping …")
	return nil
}

func (a *App) loadLarge(ctx context.Context, world demo.Large, progress func(string, ...any)) error {
	if err := a.Kits.Load(ctx); err != nil {
		return err
	}
	now := time.Now().UTC().Truncate(time.Minute)
	grounds, err := world.BuildGrounds(ctx)
	if err != nil {
		return err
	}
	count := largeProgress{of: world.Devices, days: world.Days, tell: progress}
	// While some workers wait for the database the others make up and encode.
	work, ongoing := errgroup.WithContext(ctx)
	work.SetLimit(runtime.GOMAXPROCS(0) + 1)
	for first := 0; first < world.Devices && ongoing.Err() == nil; first += largeBatch {
		work.Go(func() error {
			last := min(first+largeBatch, world.Devices)
			points, err := a.loadFleet(ongoing, world, grounds, first, last, now)
			count.add(last-first, points)
			return err
		})
	}
	if err := cmp.Or(work.Wait(), ctx.Err()); err != nil { // whoever breaks off a load has not loaded
		return err
	}
	if err := a.Store.FinishLoad(ctx); err != nil {
		return err
	}
	return a.Store.Settings.Set(ctx, settingDone, now.Format(time.RFC3339))
}

// loadFleet makes some devices and brings in their past.
func (a *App) loadFleet(
	ctx context.Context,
	world demo.Large,
	grounds demo.Grounds,
	first, last int,
	now time.Time,
) (points int, err error) {
	var past []samples.History
	for i := first; i < last; i++ {
		series, err := world.BuildDevice(ctx, grounds, i, now)
		if err != nil {
			return 0, err
		}
		for _, x := range series {
			h := world.Past(x, now)
			past, points = append(past, h), points+len(h.Points)
		}
	}
	return points, a.Store.Samples.Import(ctx, past)
}

// largeProgress tells how far a load is, at every tenth.
type largeProgress struct {
	of, days            int
	tell                func(string, ...any)
	mu                  sync.Mutex
	done, points, shown int
}

func (p *largeProgress) add(devices, points int) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.done, p.points = p.done+devices, p.points+points
	if percent := 100 * p.done / p.of; percent >= p.shown+10 {
		p.shown = percent
		p.tell("bringing in %d days: %d of %d devices, %d million samples", p.days, p.done, p.of, p.points/1_000_000)
	}
}

// serveFleet runs the agents as a process of their own.
func serveFleet(args []string) (stop func(), err error) {
	program, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(program, args...)
	cmd.Stderr = os.Stderr
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	select {
	case err := <-ended:
		return nil, errors.Join(errors.New("the simulated fleet ended at once"), err)
	case <-time.After(time.Second):
	}
	return func() { _ = cmd.Process.Signal(syscall.SIGTERM); <-ended }, nil
}
