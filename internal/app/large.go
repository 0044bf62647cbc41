package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"runtime"
	"slices"
	"sync"
	"syscall"
	"time"

	"tirelessowl/internal/config"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// LargeSize is how large the large demo is.
type LargeSize struct{ Devices, Days int }

// largeBatch is how many series are brought in at once.
const largeBatch = 400

// RunLargeDemo is the whole of "owl demo-large": many equal devices with a long
// past. fleet are the arguments that make this program serve their agents.
func RunLargeDemo(ctx context.Context, c config.Config, size LargeSize, world demo.Large, fleet []string, log *slog.Logger) error {
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
	a, err := New(c, s, demo.Vendors(), log)
	if err != nil {
		return err
	}
	defer a.Stop()
	if !loaded {
		world.Store, world.Access, world.Kits, world.Devices, world.Days = s, a.Access, a.Kits, size.Devices, size.Days
		if err := a.loadLarge(ctx, world, progress); err != nil {
			return fmt.Errorf("load the large demo: %w", err)
		}
	}
	progress("starting to collect")
	if err := a.Start(ctx, nil); err != nil {
		return err
	}
	progress("ready")
	fmt.Printf("\n  Open     %s\n  Sign in  %s / %s\n\n  Ctrl-C stops everything; make demo-large goes on.\n\n", c.URL, demo.UserName, demo.Password)
	<-ctx.Done()
	fmt.Println("stopping …")
	return nil
}

func (a *App) loadLarge(ctx context.Context, world demo.Large, progress func(string, ...any)) error {
	if err := a.Kits.Seed(ctx); err != nil {
		return err
	}
	now := time.Now().UTC().Truncate(time.Minute)
	progress("making %d devices", world.Devices)
	all, err := world.BuildLarge(ctx, now)
	if err != nil {
		return err
	}
	// Making up the past of the next series goes on while the last are stored.
	made := make(chan []samples.History, 1)
	go func() {
		defer close(made)
		for batch := range slices.Chunk(all, largeBatch) {
			past := pastOf(world, batch, now)
			select {
			case made <- past:
			case <-ctx.Done():
				return
			}
		}
	}()
	done, points, shown := 0, 0, 0
	for past := range made {
		if err := a.Store.Samples.Import(ctx, past); err != nil {
			return err
		}
		done += len(past)
		for _, h := range past {
			points += len(h.Points)
		}
		if percent := 100 * done / len(all); percent >= shown+10 {
			shown = percent
			progress("bringing in %d days: %d of %d series, %d million samples", world.Days, done, len(all), points/1_000_000)
		}
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	if err := a.Store.FinishLoad(ctx); err != nil {
		return err
	}
	return a.Store.SetSetting(ctx, settingDone, now.Format(time.RFC3339))
}

func pastOf(world demo.Large, batch []domain.Series, now time.Time) []samples.History {
	past := make([]samples.History, len(batch))
	var workers sync.WaitGroup
	n := runtime.GOMAXPROCS(0)
	for w := range n {
		workers.Go(func() {
			for i := w; i < len(batch); i += n {
				past[i] = world.Past(batch[i], now)
			}
		})
	}
	workers.Wait()
	return past
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
