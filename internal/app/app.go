// Package app puts all parts together: one list from settings to running
// parts, and its reverse for stopping.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/api"
	"tirelessowl/internal/config"
	"tirelessowl/internal/core/mib"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/localpg"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/icmp"
	"tirelessowl/internal/protocol/oidc"
	"tirelessowl/internal/protocol/probe"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/addition"
	"tirelessowl/internal/service/attributes"
	"tirelessowl/internal/service/audit"
	"tirelessowl/internal/service/browse"
	"tirelessowl/internal/service/calendars"
	"tirelessowl/internal/service/changes"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/credentials"
	"tirelessowl/internal/service/devices"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/fitting"
	"tirelessowl/internal/service/judge"
	"tirelessowl/internal/service/modules"
	"tirelessowl/internal/service/once"
	"tirelessowl/internal/service/people"
	"tirelessowl/internal/service/places"
	"tirelessowl/internal/service/query"
	"tirelessowl/internal/service/recognition"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/service/run"
	"tirelessowl/internal/service/settings"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/service/watch"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
	"tirelessowl/internal/store/spill"
	"tirelessowl/internal/web"
	"tirelessowl/kits"
	"tirelessowl/objects"
	rules "tirelessowl/recognition"
)

// snmpPort is what a new sweep asks by default.
const snmpPort = 161

// App is the running application.
type App struct {
	Config      config.Config
	Store       *store.Store
	Desk        *act.Desk
	People      *people.Service
	Once        *once.Service
	Places      *places.Service
	Calendars   *calendars.Service
	Settings    *settings.Service
	Attributes  *attributes.Service
	Audit       *audit.Service
	Kits        *collect.Service
	Fitting     *fitting.Service
	Changes     *changes.Service
	Browse      *browse.Service
	Modules     *modules.Service
	Recognition *recognition.Service
	Credentials *credentials.Service
	Find        *find.Service
	Addition    *addition.Service
	Query       *query.Service
	Judge       *judge.Service
	Respond     *respond.Service
	Watch       *watch.Service
	Transfer    *transfer.Service
	Devices     *devices.Service
	Engine      *engine.Collector

	log       *slog.Logger
	hub       *engine.Hub
	evaluator *engine.Judge
	outbox    *engine.Outbox
	house     *engine.Housekeeper
	deliver   deliverer
	client    *snmp.Client
	icmp      *icmp.Client
	server    *http.Server
	endVigil  context.CancelFunc
	files     engine.Files
}

// Database connects to the database of the settings, starting the private
// server where none is given, and migrates. The returned function undoes it.
// owner is true for the one process that runs the application on its folder,
// false for short commands beside it.
func Database(ctx context.Context, c config.Config, owner bool, progress func(string)) (*store.Store, func(), error) {
	url, stop := c.DatabaseURL, func() {}
	var explain func() string
	if owner {
		unlock, err := lock(c.DataDir)
		if err != nil {
			return nil, nil, err
		}
		stop = unlock
		if readableByOthers(c.DataDir) {
			progress("others may read in " + c.DataDir + ": better take that away (chmod go-rw)")
		}
	}
	if url == "" {
		options := localpg.Options{Log: progress, Adopt: owner, Throwaway: c.Throwaway}
		server, err := localpg.Start(ctx, filepath.Join(c.DataDir, "postgres"), options)
		if err != nil {
			stop()
			return nil, nil, err
		}
		unlock := stop
		url, stop, explain = server.URL, func() { server.Stop(); unlock() }, server.Status
	}
	keys, err := store.OpenVault(c.KeyFile())
	if err != nil {
		stop()
		return nil, nil, err
	}
	s, err := store.Open(ctx, url, keys)
	if err == nil {
		_, err = s.Migrate(ctx)
	}
	if err == nil && owner {
		err = endRotation(ctx, c, s, keys, progress)
	}
	if err != nil {
		if s != nil {
			s.Close()
		}
		stop()
		return nil, nil, err
	}
	s.Vigil.Explain = explain
	return s, func() { closeWithin(s.Close, closeLimit); stop() }, nil
}

// closeLimit is how long connections may take to be given back: those on which
// something hangs end with the database.
const closeLimit = 500 * time.Millisecond

func closeWithin(f func(), limit time.Duration) {
	done := make(chan struct{})
	go func() { f(); close(done) }()
	select {
	case <-done:
	case <-time.After(limit):
	}
}

// New wires everything; nothing runs yet.
func New(c config.Config, s *store.Store, log *slog.Logger) (*App, error) {
	a := &App{Config: c, Store: s, log: log, hub: engine.NewHub()}
	var err error
	if a.client, err = snmp.NewClient(); err != nil {
		return nil, err
	}
	a.icmp = icmp.NewClient()
	guard, err := guardOf(c)
	if err != nil {
		return nil, err
	}
	by := dial.Through(guard)
	all, tell := ways.NewCareful(waysOf(a.client, a.icmp, by)), channelsOf(c, by)
	a.Desk = act.NewDesk(s, a.hub.Publish, log)
	sheets := act.NewSheets(s)
	reload := func(ctx context.Context, id domain.ID) error {
		_, err := a.Fitting.Refit(ctx, id)
		return errors.Join(err, a.Engine.Reload(ctx, id))
	}
	reloadAll := func(ctx context.Context) error {
		_, err := a.Fitting.Refit(ctx)
		return errors.Join(err, a.Engine.ReloadAll(ctx))
	}
	reloadSome := func(ctx context.Context, ids []domain.ID) error { return a.Engine.ReloadSome(ctx, ids) }
	refit := func(ctx context.Context) error {
		changed, err := a.Fitting.Refit(ctx)
		return errors.Join(err, a.Engine.ReloadSome(ctx, changed))
	}
	// What is set for devices with a tag may hold for others when tags change.
	retag := func(ctx context.Context) error {
		tree, err := s.Tree(ctx)
		if err == nil && tree.AnyTagged() {
			err = reloadAll(ctx)
		}
		return errors.Join(err, refit(ctx))
	}
	a.Kits, err = collect.New(collect.Wiring{
		Store:      s,
		Desk:       a.Desk,
		Changed:    reload,
		ChangedAll: reloadAll,
		TakingUp:   func() domain.TakingUp { return a.Engine.TakingUp() },
		Judged:     func(ctx context.Context) error { return a.Judge.InForce(ctx) },
		Shipped:    kits.Files,
		Ways:       all.Described(),
		Rules:      kinds.All,
		Asker:      all,
		Guard:      guard,
	})
	if err != nil {
		return nil, err
	}
	a.Fitting = fitting.New(fitting.Wiring{Store: s, Desk: a.Desk, Kits: a.Kits, Changed: reloadSome})
	a.People = people.New(people.Parts{
		Store:  s,
		Desk:   a.Desk,
		Sheets: sheets,
		Now:    time.Now,
		URL:    c.URL,
		Asker:  oidc.New(time.Now, by),
		Log:    log,
	})
	a.Once = once.New(s, time.Now)
	a.Places = places.New(s, a.Desk, sheets, reloadAll)
	described, err := mib.ReadAll(objects.Files)
	if err != nil {
		return nil, err
	}
	a.Modules = modules.New(s, a.Desk, described)
	if a.Recognition, err = recognition.New(s, a.Desk, rules.Rules); err != nil {
		return nil, err
	}
	a.Browse = browse.New(a.Desk, a.Kits, all, a.Modules.Objects)
	a.Calendars = calendars.New(s, a.Desk, reloadAll)
	a.Settings = settings.New(s, a.Desk, a.Kits, reloadSome)
	a.Credentials = credentials.New(a.Desk, all.Described(), reloadAll)
	a.Respond = respond.New(s, a.Desk, tell.Described(), tell, c.URL, func() { a.outbox.Wake() })
	a.evaluator = engine.NewJudge(s, a.Respond, a.hub, log)
	files, err := spillFiles(c.DataDir, log)
	if err != nil {
		return nil, err
	}
	a.files = files
	clock := engine.NewClock(wallClock(c.ClockFile))
	a.evaluator.By(clock)
	a.Engine = engine.NewCollector(s, a.Kits, all, a.evaluator, files, log)
	a.deliver = deliverer{s, tell, c.URL}
	a.outbox = engine.NewOutbox(s, a.deliver, a.hub, clock, files.Sent, log)
	a.house = engine.NewHousekeeper(s, samples.KeepFor(c.Keep()), a.Kits.Retire, log)
	collectNow := func(id domain.ID, source string) int {
		all.Lift(id)
		return a.Engine.CollectNow(id, source)
	}
	a.Devices = devices.New(s, a.Desk, sheets, a.Kits, a.Respond, reload, collectNow)
	prober, looker := probe.Prober{SNMP: a.client}, probe.Looker{ICMP: a.icmp}
	a.Find = find.New(s, a.Desk, sheets, a.Kits, prober, looker, a.Recognition, a.tellSweep, reload)
	a.Addition = addition.New(addition.Wiring{
		Desk:        a.Desk,
		Kits:        a.Kits,
		Fitting:     a.Fitting,
		Credentials: a.Credentials,
		Prober:      prober,
		Resolve:     resolve,
		From:        dial.From,
		Added: func(ctx context.Context, device domain.ID) error {
			defer collectNow(device, "")
			return reload(ctx, device)
		},
	})
	a.Query = query.New(a.Desk, a.Kits, a.Fitting, all, func(device domain.ID) { collectNow(device, "") })
	a.Judge = judge.New(s, a.Desk, a.Kits, kinds.All, a.evaluator.SetRules)
	a.Changes = changes.New(changes.Wiring{Store: s, Desk: a.Desk, Kits: a.Kits, Fitting: a.Fitting, Judge: a.Judge, Settings: a.Settings})
	a.Attributes = attributes.New(s, a.Desk, sheets, retag)
	a.Audit = audit.New(a.Desk, a.undoing())
	a.Transfer = transfer.New(s, a.Desk)
	a.Watch = watch.New(s, a.Desk, a.Kits, a.evaluator, a.Engine)
	return a, nil
}

// resolve tells the addresses that a name stands for, as this machine knows it.
func resolve(ctx context.Context, name string) ([]netip.Addr, error) {
	return net.DefaultResolver.LookupNetIP(ctx, "ip", name)
}

// tellSweep lets those who look know that a sweep went on.
func (a *App) tellSweep(w domain.Sweep) {
	a.hub.Publish(domain.News{Kind: "sweep", ID: w.ID, At: domain.At(w.PlaceID), Area: domain.AreaFind})
}

// Start runs everything and serves the screens. drill may be nil where there
// is no simulated estate.
func (a *App) Start(ctx context.Context, drill run.Drill) error {
	watching, end := context.WithCancel(context.WithoutCancel(ctx))
	a.endVigil = end
	go a.Store.Vigil.Run(watching)
	spill := samples.Options{SpillFile: filepath.Join(a.Config.DataDir, "samples.spill"), Log: a.log}
	if err := a.Store.Samples.Start(ctx, spill); err != nil {
		return fmt.Errorf("the sample store: %w", err)
	}
	a.house.Start(ctx)
	if err := a.Recognition.Load(ctx); err != nil {
		return fmt.Errorf("how devices are recognised: %w", err)
	}
	if err := a.Modules.Load(ctx); err != nil {
		return err
	}
	if err := a.Kits.Load(ctx); err != nil {
		return err
	}
	if _, err := a.Fitting.Refit(ctx); err != nil {
		a.log.Error("kits are fitted as they were: the rules cannot be followed", "error", err)
	}
	if err := a.Engine.Start(ctx); err != nil {
		return err
	}
	a.outbox.Start(ctx)
	if err := a.Find.Resume(ctx); err != nil {
		return err
	}
	go a.Find.Repeat(watching)
	handler, err := a.Handler(drill)
	if err != nil {
		return err
	}
	return a.listen(handler)
}

// Handler is the screens and the API. drill may be nil where there is no simulated estate.
func (a *App) Handler(drill run.Drill) (http.Handler, error) {
	port := snmpPort
	if drill != nil {
		port = a.Config.DemoPort
	}
	running := run.New(a.Store, a.Desk, a.Engine, store.UsualKeep(a.Config.KeepDays), drill)
	return web.New(web.Wiring{
		Desk:        a.Desk,
		People:      a.People,
		Places:      a.Places,
		Settings:    a.Settings,
		Calendars:   a.Calendars,
		Attributes:  a.Attributes,
		Audit:       a.Audit,
		Kits:        a.Kits,
		Fitting:     a.Fitting,
		Changes:     a.Changes,
		Browse:      a.Browse,
		Modules:     a.Modules,
		Recognition: a.Recognition,
		Credentials: a.Credentials,
		Find:        a.Find,
		Addition:    a.Addition,
		Query:       a.Query,
		Judge:       a.Judge,
		Respond:     a.Respond,
		Watch:       a.Watch,
		Transfer:    a.Transfer,
		Devices:     a.Devices,
		Run:         running,
		Hub:         a.hub,
		Log:         a.log,
		Sessions:    a.Store.Sessions,
		Port:        port,
		URL:         a.Config.URL,
		Proxies:     a.Config.Proxies,
		Secure:      strings.HasPrefix(a.Config.URL, "https:"),
		API: api.New(api.Wiring{
			URL:         a.Config.URL,
			Desk:        a.Desk,
			People:      a.People,
			Places:      a.Places,
			Settings:    a.Settings,
			Calendars:   a.Calendars,
			Attributes:  a.Attributes,
			Audit:       a.Audit,
			Find:        a.Find,
			Addition:    a.Addition,
			Query:       a.Query,
			Judge:       a.Judge,
			Respond:     a.Respond,
			Transfer:    a.Transfer,
			Devices:     a.Devices,
			Kits:        a.Kits,
			Fitting:     a.Fitting,
			Changes:     a.Changes,
			Browse:      a.Browse,
			Modules:     a.Modules,
			Recognition: a.Recognition,
			Credentials: a.Credentials,
			Watch:       a.Watch,
			Run:         running,
			Once:        a.Once,
			Log:         a.log,
		}),
	})
}

// Stop ends everything within seconds, whatever the database does, and loses
// nothing; it may be called twice.
func (a *App) Stop() {
	var all sync.WaitGroup
	for _, stop := range []func(){a.stopScreens, a.Find.Close, a.Engine.Stop, a.outbox.Stop, a.house.Stop} {
		all.Go(stop)
	}
	all.Wait()
	a.Store.Samples.Stop()
	a.client.Close()
	a.icmp.Close()
	if a.endVigil != nil {
		a.endVigil()
	}
	for _, f := range []*spill.File{a.files.Aside, a.files.Judged, a.files.Sent} {
		_ = f.Close()
	}
}

// stopScreens lets requests end that nearly have; event streams do not end by
// themselves.
func (a *App) stopScreens() {
	if a.server == nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	if a.server.Shutdown(ctx) != nil {
		a.server.Close()
	}
}
