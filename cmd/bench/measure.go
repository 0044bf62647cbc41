package main

import (
	"context"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/netip"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing/fstest"
	"time"

	"github.com/gosnmp/gosnmp"

	"tirelessowl/internal/core/access"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/protocol/icmp"
	"tirelessowl/internal/protocol/probe"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
	snmpway "tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/protocol/ways/tcp"
	"tirelessowl/internal/service/act"
	"tirelessowl/internal/service/collect"
	"tirelessowl/internal/service/find"
	"tirelessowl/internal/service/recognition"
	"tirelessowl/internal/service/respond"
	"tirelessowl/internal/sim"
	"tirelessowl/internal/store"
	"tirelessowl/kits"
	rules "tirelessowl/recognition"
)

type bench struct {
	store   *store.Store
	devices int
	base    netip.Addr
	watch   time.Duration
	figures []Figure
}

const parallel = 32

func (b *bench) address(i int) netip.Addr { i %= b.devices; return sim.Offset(b.base, i/250, i%250+1) }

// cpu is the processor time that this process has used.
func cpu() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// rate runs f from many goroutines for a while and returns calls a second.
func rate(f func(worker, n int) error) (float64, error) {
	const span = 1500 * time.Millisecond
	var done atomic.Int64
	var failed atomic.Pointer[error]
	var all sync.WaitGroup
	start := time.Now()
	for w := range parallel {
		all.Go(func() {
			for n := 0; time.Since(start) < span && failed.Load() == nil; n++ {
				if err := f(w, n); err != nil {
					failed.Store(&err)
					return
				}
				done.Add(1)
			}
		})
	}
	all.Wait()
	if err := failed.Load(); err != nil {
		return 0, *err
	}
	return float64(done.Load()) / time.Since(start).Seconds(), nil
}

// inTurn runs two things in turn, since the machine's speed drifts, and
// returns the median of each and of the second to the first in %.
func inTurn(a, b func(worker, n int) error) (medianA, medianB, ratio float64, err error) {
	var as, bs, ratios []float64
	for range 5 {
		x, err := rate(a)
		if err != nil {
			return 0, 0, 0, err
		}
		y, err := rate(b)
		if err != nil {
			return 0, 0, 0, err
		}
		as, bs, ratios = append(as, x), append(bs, y), append(ratios, 100*y/x)
	}
	for _, list := range [][]float64{as, bs, ratios} {
		slices.Sort(list)
	}
	return as[2], bs[2], ratios[2], nil
}

// library compares our client with a bare loop of the library.
func (b *bench) library(ctx context.Context) error {
	bare := make([]*gosnmp.GoSNMP, parallel)
	for i := range bare {
		bare[i] = &gosnmp.GoSNMP{
			Target:    b.address(i * 7).String(),
			Port:      fleetPort,
			Community: community,
			Version:   gosnmp.Version2c,
			Timeout:   2 * time.Second,
			Retries:   2,
			MaxOids:   60,
		}
		if err := bare[i].Connect(); err != nil {
			return err
		}
		defer bare[i].Close()
	}
	const uptime = ".1.3.6.1.2.1.1.3.0"
	client, err := snmp.NewClient()
	if err != nil {
		return err
	}
	defer client.Close()
	target := func(i int) snmp.Target {
		return snmp.Target{Address: netip.AddrPortFrom(b.address(i), fleetPort), Community: community, Timeout: 2 * time.Second, Retries: 2}
	}
	loop, ours, ratio, err := inTurn(
		func(w, _ int) error { _, err := bare[w].Get([]string{uptime}); return err },
		func(w, n int) error { _, err := client.Get(ctx, target(w*61+n), []string{uptime}); return err })
	if err != nil {
		return err
	}
	b.add("GET, bare loop of the library, one device a worker", loop, "1/s", "")
	b.add("GET, our client, over all devices", ours, "1/s", "")
	b.add("GET, ours to the bare loop, median of 5 pairs", ratio, "%", "≥ 60")
	return nil
}

// sweep tries a /16 with 75 responders at the default pace.
func (b *bench) sweep(ctx context.Context) error {
	base := netip.MustParseAddr("127.77.0.0")
	estate, cancel := context.WithCancel(ctx)
	defer cancel()
	up := make(chan struct{})
	go func() {
		_ = sim.Run(
			estate,
			sim.Settings{Base: base, Port: 16398, Origin: time.Now(), Community: community, DeskToken: "x"},
			func() { close(up) },
		)
	}()
	select {
	case <-up:
	case <-time.After(5 * time.Second):
		fmt.Println("(the sweep is left out: the addresses of the estate are taken, is a demo running?)")
		return nil
	}
	client, err := snmp.NewClient()
	if err != nil {
		return err
	}
	defer client.Close()
	all, err := kitsOf(b.store, kits.Files)
	if err != nil {
		return err
	}
	known, err := recognition.New(b.store, nil, rules.Rules)
	if err != nil {
		return err
	}
	done, who := make(chan struct{}, 1024), access.Itself("bench")
	desk := act.NewDesk(b.store, func(domain.News) {}, slog.New(slog.NewTextHandler(io.Discard, nil)))
	svc := find.New(
		b.store,
		desk,
		act.NewSheets(b.store),
		all,
		probe.Prober{SNMP: client},
		probe.Looker{ICMP: icmp.NewClient()},
		known,
		func(domain.Sweep) {
			select {
			case done <- struct{}{}:
			default:
			}
		},
		func(context.Context, domain.ID) error { return nil },
	)
	defer svc.Close()
	w, err := svc.Create(ctx, who, find.Draft{Name: "bench", Ranges: "127.77.0.0/16", Port: 16398, Community: community})
	if err != nil {
		return err
	}
	start := time.Now()
	if err := svc.Start(ctx, who, w.ID); err != nil {
		return err
	}
	for {
		<-done
		if w, err = svc.Sweep(ctx, who, w.ID); err != nil || w.State != domain.SweepRunning {
			break
		}
	}
	b.add(fmt.Sprintf("sweep of a /16, %d devices found", w.Found), time.Since(start).Seconds(), "s", "< 60")
	return err
}

// engine watches the whole engine at work on the fleet.
func (b *bench) engine(ctx context.Context) error {
	all, err := kitsOf(b.store, kits.Files)
	if err != nil {
		return err
	}
	if err := all.Load(ctx); err != nil {
		return err
	}
	if err := b.adopt(ctx); err != nil {
		return err
	}
	c, stop, err := b.running(ctx, "30s")
	if err != nil {
		return err
	}
	time.Sleep(70 * time.Second) // every table has been walked once, all series exist
	c.Stats()
	before, used, start := c.Stats(), cpu(), time.Now()
	time.Sleep(b.watch)
	after, spent := c.Stats(), time.Since(start)
	var mem runtime.MemStats
	runtime.ReadMemStats(&mem)
	series, err := b.store.Series.Count(ctx)
	if err != nil {
		return err
	}
	seconds := spent.Seconds()
	b.add("engine: devices", float64(b.devices), "", "2000")
	b.add("engine: series", float64(series), "", "40000")
	b.add("engine: fetches", float64(after.Fetches-before.Fetches)/seconds, "1/s", "")
	b.add("engine: samples stored", float64(after.Samples-before.Samples)/seconds, "1/s", "")
	b.add("engine: failed fetches", float64(after.Failures-before.Failures), "", "0")
	b.add("engine: latest start of a fetch", after.Scheduler.Late.Seconds(), "s", "≤ 2")
	b.add("engine: processor of the application", (cpu()-used).Seconds()/seconds, "cores", "< 0.5")
	b.add("engine: memory of the application (from the system)", float64(mem.Sys)/1e6, "MB", "< 400")
	stop()
	return nil
}

// fill lets the engine make all series and take some values, without measuring.
func (b *bench) fill(ctx context.Context) error {
	all, err := kitsOf(b.store, kits.Files)
	if err != nil {
		return err
	}
	if err := all.Load(ctx); err != nil {
		return err
	}
	if err := b.adopt(ctx); err != nil {
		return err
	}
	_, stop, err := b.running(ctx, "5s")
	if err != nil {
		return err
	}
	defer stop()
	time.Sleep(15 * time.Second) // every table has been walked twice
	return nil
}

// running starts an engine on the fleet with kits of one interval.
func (b *bench) running(ctx context.Context, every string) (*engine.Collector, func(), error) {
	all, err := kitsOf(b.store, each(every))
	if err != nil {
		return nil, nil, err
	}
	client, err := snmp.NewClient()
	if err != nil {
		return nil, nil, err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	j := engine.NewJudge(b.store, respond.New(b.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
	c := engine.NewCollector(b.store, all, waysOf(client), j, engine.Files{}, quiet)
	return c, func() { c.Stop(); client.Close() }, c.Start(ctx)
}

func waysOf(client *snmp.Client) ways.List { return ways.List{snmpway.Way(client), tcp.Way} }

// kitsOf knows kits; nothing is asked by it.
func kitsOf(s *store.Store, files fs.FS) (*collect.Service, error) {
	return collect.New(collect.Wiring{Store: s, Shipped: files, Ways: waysOf(nil).Described(), Rules: kinds.All})
}

// each is the shipped kits with one interval.
func each(every string) fs.FS {
	out := fstest.MapFS{}
	names, _ := fs.Glob(kits.Files, "*.yaml")
	for _, name := range names {
		data, _ := fs.ReadFile(kits.Files, name)
		out[name] = &fstest.MapFile{Data: []byte(strings.ReplaceAll(string(data), "every: 60s", "every: "+every))}
	}
	return out
}

// adopt puts the fleet under watch.
func (b *bench) adopt(ctx context.Context) error {
	place, err := b.store.Places.Save(ctx, domain.Place{Name: "Fleet", Kind: domain.Site})
	if err != nil {
		return err
	}
	secret, err := b.store.Credentials.Add(ctx, domain.Credential{Name: "fleet", Kind: "snmp-v2c"}, domain.Secrets{"community": community})
	if err != nil {
		return err
	}
	return b.store.InTx(ctx, func(tx *store.Areas) error {
		for i := range b.devices {
			d, err := tx.Devices.Add(
				ctx,
				domain.Device{PlaceID: place.ID, Name: fmt.Sprintf("fleet-%d", i), Address: b.address(i), CreatedAt: time.Now()},
				"",
				nil,
			)
			if err != nil {
				return err
			}
			talk := domain.Endpoint{
				DeviceID:     d.ID,
				Way:          "snmp",
				CredentialID: secret.ID,
				Settings:     map[string]string{"port": fmt.Sprint(fleetPort)},
			}
			if err := tx.Endpoints.Save(ctx, talk); err != nil {
				return err
			}
			if err := tx.Fittings.Fit(ctx, domain.Fitting{DeviceID: d.ID, Kit: "interfaces"}); err != nil {
				return err
			}
		}
		return nil
	})
}

// walks measures long walks beside a bare loop of the library.
func (b *bench) walks(ctx context.Context) error {
	client, err := snmp.NewClient()
	if err != nil {
		return err
	}
	defer client.Close()
	ask := waysOf(client)
	all, err := kitsOf(b.store, kits.Files)
	if err != nil {
		return err
	}
	k, err := all.Kit("interfaces")
	if err != nil {
		return err
	}
	wide := func(i int) netip.Addr { return sim.Offset(netip.MustParseAddr(wideBase), 0, i%wideDevices+1) }
	bare := make([]*gosnmp.GoSNMP, parallel)
	for i := range bare {
		bare[i] = &gosnmp.GoSNMP{
			Target:         wide(i).String(),
			Port:           widePort,
			Community:      community,
			Version:        gosnmp.Version2c,
			Timeout:        2 * time.Second,
			Retries:        2,
			MaxRepetitions: 50,
		}
		if err := bare[i].Connect(); err != nil {
			return err
		}
		defer bare[i].Close()
	}
	opened := way.Opened{Kind: "snmp-v2c", Secrets: domain.Secrets{"community": community}}
	talk := kit.Talk{Settings: way.Settings{"port": fmt.Sprint(widePort)}, Credential: opened}
	question := k.Questions(domain.Device{}, nil, map[string]kit.Talk{"snmp": talk})[0]
	loop, ours, ratio, err := inTurn(func(w, _ int) error {
		for _, c := range k.Sources[0].Columns() {
			if _, err := bare[w].BulkWalkAll("." + c.Of); err != nil {
				return err
			}
		}
		return nil
	}, func(w, n int) error {
		q := question
		q.Address = wide(w*61 + n)
		got := ask.Ask(ctx, q)
		if got.Error != "" {
			return fmt.Errorf("walk: %s", got.Error)
		}
		return nil
	})
	if err != nil {
		return err
	}
	name := fmt.Sprintf("walk of %d values", widePorts*len(k.Sources[0].Columns()))
	b.add(name+", bare loop of the library by column", loop, "1/s", "")
	b.add(name+", our fetcher, columns together", ours, "1/s", "")
	b.add("walk, ours to the bare loop, median of 5 pairs", ratio, "%", "≥ 60")
	return nil
}

// flatOut measures the whole engine, from the scheduler to the database, when
// every device is due every second.
func (b *bench) flatOut(ctx context.Context) error {
	c, stop, err := b.running(ctx, "1s")
	if err != nil {
		return err
	}
	defer stop()
	time.Sleep(10 * time.Second)
	before, start := c.Stats(), time.Now()
	time.Sleep(20 * time.Second)
	after, seconds := c.Stats(), time.Since(start).Seconds()
	b.add("engine flat out: walks of 64 values through the whole engine", float64(after.Fetches-before.Fetches)/seconds, "1/s", "")
	b.add("engine flat out: samples derived, stored and judged", float64(after.Samples-before.Samples)/seconds, "1/s", "")
	return nil
}
