package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"time"

	"tirelessowl/internal/config"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/store"
)

// Past is how far back the demo's history goes: in all, with a sample a
// minute, and with transitions and incidents.
type Past struct{ All, Fine, Judged time.Duration }

// DemoPast is two weeks in steps of five minutes, the last day in steps of a
// minute; all of it is judged.
var DemoPast = Past{All: 14 * 24 * time.Hour, Fine: 24 * time.Hour, Judged: 14 * 24 * time.Hour}

const (
	demoCoarse   = 5 * time.Minute
	demoFine     = time.Minute
	settingBegan = "demo.origin"
	settingDone  = "demo.loaded"
)

// Demo is the simulated estate as the application drives it.
type Demo struct {
	Client  *demo.Client
	MailURL string
	DeskURL string
	process *exec.Cmd
	ended   chan struct{}
}

// StandIns tells where the simulated desk and mail server are.
type StandIns struct {
	Control, DeskURL, MailURL, MailHost string
	MailPort                            int
	Community, DeskToken                string
	// Accounts is where people can sign in elsewhere, AccountsSecret what we show there.
	Accounts, AccountsSecret string
	// Watcher is whom the agents of the head office know, which speak version 3 alone to us.
	Watcher demo.Watcher
	// SignIn is who may sign in at the services of devices.
	SignIn demo.SignIn
}

// StartEstate runs the simulated estate as a process of its own and waits
// until it answers. The arguments are those of the program that is run.
func StartEstate(ctx context.Context, at StandIns, program string, args ...string) (*Demo, error) {
	cmd := exec.Command(program, args...)
	cmd.Stdout, cmd.Stderr = os.Stderr, os.Stderr
	// A group of its own: Ctrl-C must reach us only, so that we can stop in order.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	d := &Demo{Client: &demo.Client{URL: at.Control}, MailURL: at.MailURL, DeskURL: at.DeskURL, process: cmd, ended: make(chan struct{})}
	go func() { _ = cmd.Wait(); close(d.ended) }()
	for start := time.Now(); time.Since(start) < 20*time.Second; time.Sleep(50 * time.Millisecond) {
		if _, err := d.Client.Faults(ctx); err == nil {
			return d, nil
		}
		select {
		case <-d.ended:
			return nil, errors.New("the simulated estate ended at once; is another one running on these addresses?")
		default:
		}
	}
	d.Stop()
	return nil, errors.New("the simulated estate does not answer")
}

// Stop ends the estate; it may be called twice.
func (d *Demo) Stop() {
	_ = d.process.Process.Signal(syscall.SIGTERM)
	select {
	case <-d.ended:
	case <-time.After(5 * time.Second):
		_ = d.process.Process.Kill()
		<-d.ended
	}
}

// DemoOrigin returns the moment that the demo's stories refer to: the one
// stored, or now for a fresh start. A load that was broken off is wiped.
func DemoOrigin(ctx context.Context, s *store.Store) (origin time.Time, loaded bool, err error) {
	text, err := s.Settings.Get(ctx, settingBegan)
	if err != nil {
		return origin, false, err
	}
	done, err := s.Settings.Get(ctx, settingDone)
	if err != nil {
		return origin, false, err
	}
	if text != "" && done != "" {
		origin, err = time.Parse(time.RFC3339, text)
		return origin, true, err
	}
	if text != "" {
		if err := s.Wipe(ctx); err != nil {
			return origin, false, err
		}
		if _, err := s.Migrate(ctx); err != nil {
			return origin, false, err
		}
	}
	origin = time.Now().UTC().Truncate(time.Minute)
	return origin, false, s.Settings.Set(ctx, settingBegan, origin.Format(time.RFC3339))
}

// LoadDemo builds the demo world and brings in its past.
func (a *App) LoadDemo(ctx context.Context, d *demo.Client, at StandIns, past Past, progress func(string)) error {
	devices, err := d.Devices(ctx)
	if err != nil {
		return err
	}
	if err := a.Kits.Load(ctx); err != nil {
		return err
	}
	now := time.Now().UTC()
	w := demo.World{
		Store:     a.Store,
		People:    a.People,
		Kits:      a.Kits,
		Community: domain.Secret(at.Community),
		Watcher:   at.Watcher,
		SignIn:    at.SignIn,
		DeskToken: domain.Secret(at.DeskToken),
		DeskURL:   at.DeskURL,
		MailHost:  at.MailHost,
		MailPort:  at.MailPort,
		Port:      a.Config.DemoPort,
		Accounts:  at.Accounts,
		Secret:    domain.Secret(at.AccountsSecret),
	}
	if w.Served, err = d.Services(ctx); err != nil {
		return err
	}
	if w.Authority, err = d.Authority(ctx); err != nil {
		return err
	}
	if err := w.Build(ctx, devices, now); err != nil {
		return err
	}
	to := now.Truncate(time.Minute)
	origin := to
	if text, err := a.Store.Settings.Get(ctx, settingBegan); err == nil && text != "" {
		if origin, err = time.Parse(time.RFC3339, text); err != nil {
			return err
		}
	}
	shown := 0
	b := engine.Backfill{Store: a.Store, Kits: a.Kits, History: demo.History{Client: d, Origin: origin},
		Recorder: a.Respond.Past(), Log: a.log,
		From: to.Add(-past.All), FineFrom: to.Add(-past.Fine), JudgeFrom: to.Add(-past.Judged), To: to, Coarse: demoCoarse, Fine: demoFine,
		Progress: func(done, of int) {
			if percent := 100 * done / of; percent >= shown+20 {
				shown = percent
				progress(fmt.Sprintf("bringing in %.0f days of history: %d of %d devices", past.All.Hours()/24, done, of))
			}
		}}
	if err := b.Run(ctx); err != nil {
		return err
	}
	if err := a.Store.FinishLoad(ctx); err != nil {
		return err
	}
	return a.Store.Settings.Set(ctx, settingDone, now.Format(time.RFC3339))
}

// RunDemo is the whole of "owl demo": it returns when the context ends.
func RunDemo(ctx context.Context, c config.Config, at StandIns, simArgs func(origin time.Time) []string, log *slog.Logger) error {
	c.Allow = append(c.Allow, loopback)
	start := time.Now()
	progress := func(text string) { fmt.Printf("%5.1f s  %s\n", time.Since(start).Seconds(), text) }
	progress("starting the database")
	s, closeStore, err := Database(ctx, c, true, progress)
	if err != nil {
		return err
	}
	defer closeStore()
	origin, loaded, err := DemoOrigin(ctx, s)
	if err != nil {
		return err
	}
	if !loaded { // what the stand-ins remember belongs to the old world
		_ = os.Remove(filepath.Join(c.DataDir, "tickets.json"))
		_ = os.Remove(filepath.Join(c.DataDir, "mail.json"))
	}
	progress("starting the simulated estate")
	program, err := os.Executable()
	if err != nil {
		return err
	}
	d, err := StartEstate(ctx, at, program, simArgs(origin)...)
	if err != nil {
		return err
	}
	defer d.Stop()
	a, err := New(c, s, log)
	if err != nil {
		return err
	}
	defer a.Stop()
	if !loaded {
		progress("loading the demo world: Kittiwake Line")
		if err := a.LoadDemo(ctx, d.Client, at, DemoPast, progress); err != nil {
			return fmt.Errorf("load the demo: %w", err)
		}
	}
	progress("starting to collect")
	if err := a.Start(ctx, d); err != nil {
		return err
	}
	progress("ready")
	fmt.Printf(
		"\n  Open     %s\n  Sign in  %s / %s\n  Desk     %s\n  Mail     %s\n\n  Ctrl-C stops everything; make demo goes on, "+
			"make demo-reset starts afresh.\n\n",
		c.URL,
		demo.UserName,
		demo.Password,
		at.DeskURL,
		at.MailURL,
	)
	select {
	case <-ctx.Done():
	case <-d.ended:
		return errors.New("the simulated estate ended")
	}
	fmt.Println("stopping …")
	return nil
}

// Services implements run.Drill.
func (d *Demo) Services(ctx context.Context) ([]domain.SimulatedService, error) {
	return d.Client.Services(ctx)
}

// Faults implements run.Drill.
func (d *Demo) Faults(ctx context.Context) ([]domain.Fault, error) { return d.Client.Faults(ctx) }

// Devices implements run.Drill.
func (d *Demo) Devices(ctx context.Context) ([]domain.SimulatedDevice, error) {
	return d.Client.Devices(ctx)
}

// Break implements run.Drill.
func (d *Demo) Break(ctx context.Context, f domain.Fault) (domain.Fault, error) {
	return d.Client.Break(ctx, f)
}

// Mend implements run.Drill.
func (d *Demo) Mend(ctx context.Context, id int) (domain.Fault, error) { return d.Client.Mend(ctx, id) }

// Sites returns where the pages of the stand-ins are.
func (d *Demo) Sites() (desk, mail string) { return d.DeskURL, d.MailURL }
