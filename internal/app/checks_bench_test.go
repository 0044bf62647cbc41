package app

import (
	"context"
	"fmt"
	"net/netip"
	"runtime"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/sim"
)

// BenchmarkChecks asks the services of the simulated estate by all kinds of checks in turn, on one core that it shares with
// them: how many checks a minute that is.
func BenchmarkChecks(b *testing.B) {
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	base := netip.MustParseAddr("127.95.0.0")
	ctx, cancel := context.WithCancel(context.Background())
	up, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		settings := sim.Settings{Base: base, Port: 16395, Origin: time.Now(), Community: "c", DeskToken: "d",
			Watcher: sim.SignIn{User: lookout, Password: watchword}}
		if err := sim.Run(ctx, settings, func() { close(up) }); err != nil {
			b.Error(err)
		}
	}()
	defer func() { cancel(); <-ended }()
	<-up
	loopback, _ := ranges.Read("127.0.0.0/8")
	all := waysOf(nil, nil, dial.Through(guard.New(loopback, ranges.Set{})))
	questions := checksOf(b, all, base)
	waitFor(b, all, questions)
	var next, failed atomic.Int64
	b.ResetTimer()
	var workers sync.WaitGroup
	for range 32 {
		workers.Go(func() {
			for i := next.Add(1); i <= int64(b.N); i = next.Add(1) {
				got := all.Ask(ctx, questions[int(i)%len(questions)])
				if got.Error != "" || verdict.Verdict(got.Rows[0].Values[0].Num) != verdict.Passes {
					failed.Add(1)
				}
			}
		})
	}
	workers.Wait()
	b.ReportMetric(float64(b.N)/b.Elapsed().Minutes(), "checks/min")
	b.ReportMetric(float64(failed.Load()), "failed")
}

// checksOf is a question by each check to what answers it.
func checksOf(b *testing.B, all ways.List, base netip.Addr) (out []way.Question) {
	for _, x := range []struct {
		way           string
		third, fourth int
		ask, endpoint way.Settings
		credential    way.Opened
	}{
		{"http", 10, 31, way.Settings{"url": "http://{address}:8080/", "contains": "Book your crossing"}, nil, way.Opened{}},
		{"dns", 10, 37, way.Settings{"name": "log-1.kittiwake.example"}, way.Settings{"port": "10053"}, way.Opened{}},
		{"ldap", 10, 37, way.Settings{"port": "10389", "base": "ou=people,dc=kittiwake,dc=example", "filter": "(uid=*)"}, nil,
			way.Opened{Kind: "ldap-bind", Settings: way.Settings{"bind_name": "cn=" + lookout + ",ou=services,dc=kittiwake,dc=example"},
				Secrets: domain.Secrets{"password": watchword}}},
		{"sign-in", 20, 21, way.Settings{"url": "http://{address}:8081/", "success": "Welcome aboard"}, nil,
			way.Opened{Kind: "web-sign-in", Settings: way.Settings{"user": lookout}, Secrets: domain.Secrets{"password": watchword}}},
	} {
		w, ok := all.Described().Of(x.way)
		if !ok {
			b.Fatal(x.way)
		}
		ask, errs := field.Check(w.Ask, x.ask)
		endpoint, more := field.Check(w.Endpoint, x.endpoint)
		if len(errs)+len(more) > 0 {
			b.Fatal(errs, more)
		}
		out = append(out, way.Question{Way: x.way, Address: sim.Offset(base, x.third, x.fourth), Ask: ask, Endpoint: endpoint,
			Credential: x.credential, Columns: w.Columns(ask)})
	}
	return out
}

// waitFor waits until all pass: services begin to listen one after the other.
func waitFor(b *testing.B, all ways.List, questions []way.Question) {
	for _, q := range questions {
		said := ""
		for range 100 {
			got := all.Ask(context.Background(), q)
			if got.Error == "" && verdict.Verdict(got.Rows[0].Values[0].Num) == verdict.Passes {
				said = "passes"
				break
			}
			said = fmt.Sprint(got.Error, got.Rows)
			time.Sleep(50 * time.Millisecond)
		}
		if said != "passes" {
			b.Fatal(q.Way, said)
		}
	}
}
