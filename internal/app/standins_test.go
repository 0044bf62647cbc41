package app

import (
	"context"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/sim"
)

// checked is what a service of the estate is asked, and what that comes to in each mode in which it can fail.
type checked struct {
	service, way  string
	ask, endpoint way.Settings
	credential    way.Opened
	modes         map[string]verdict.Verdict
}

func checkedServices(authority string) []checked {
	secrets := domain.Secrets{"password": watchword}
	return []checked{
		{"portal", "sign-in", way.Settings{"url": "http://{address}:8081/", "success": "Welcome aboard", "timeout": "1s"}, nil,
			way.Opened{Kind: "web-sign-in", Settings: way.Settings{"user": lookout}, Secrets: secrets},
			map[string]verdict.Verdict{
				"nobody": verdict.SignInFailed, "token": verdict.SignInFailed, "error": verdict.Unexpected, "broken up": verdict.Unexpected,
				"script": verdict.Unexpected, "loop": verdict.Unexpected, "away": verdict.Unexpected, "slow": verdict.TimedOut,
			}},
		{"booking page", "http", way.Settings{"url": "http://{address}:8080/", "contains": "Book your crossing", "timeout": "1s"},
			nil, way.Opened{},
			map[string]verdict.Verdict{
				"slow": verdict.TimedOut, "endless": verdict.TimedOut, "lies": verdict.Unexpected, "error": verdict.Unexpected,
				"loop": verdict.Unexpected, "away": verdict.Unexpected, "broken up": verdict.Unexpected,
				"nonsense": verdict.ProtocolError, "hangs up": verdict.ProtocolError,
			}},
		{"booking site", "tls", way.Settings{"port": "8443", "name": "book.kittiwake.example", "authorities": authority, "timeout": "1s"},
			nil, way.Opened{},
			map[string]verdict.Verdict{
				"expired": verdict.TLSFailed, "early": verdict.TLSFailed, "name": verdict.TLSFailed, "stranger": verdict.TLSFailed,
				"no chain": verdict.TLSFailed, "plain": verdict.TLSFailed, "old": verdict.TLSFailed, "client": verdict.SignInFailed,
				"weak": verdict.Passes, // and what is weak is a value of its own
			}},
		{"directory", "ldap",
			way.Settings{"port": "10389", "base": "ou=people,dc=kittiwake,dc=example", "filter": "(uid=*)", "timeout": "1s"},
			nil, way.Opened{Kind: "ldap-bind", Secrets: secrets,
				Settings: way.Settings{"bind_name": "cn=" + lookout + ",ou=services,dc=kittiwake,dc=example"}},
			map[string]verdict.Verdict{
				"nobody": verdict.SignInFailed, "careful": verdict.SignInFailed, "empty": verdict.Unexpected,
				"old": verdict.ProtocolError, "nonsense": verdict.ProtocolError, "slow": verdict.TimedOut,
			}},
		{"names", "dns", way.Settings{"name": "log-1.kittiwake.example", "expect": "127.96.10.40", "timeout": "1s"},
			way.Settings{"port": "10053"}, way.Opened{},
			map[string]verdict.Verdict{
				"lies": verdict.Unexpected, "unknown": verdict.NameNotFound, "fails": verdict.ProtocolError,
				"refuses": verdict.SignInFailed,
			}},
	}
}

// Each service of the simulated estate fails as it is told, over real sockets, and the check of it tells which way that is.
func TestEachFaultOfAServiceIsToldApart(t *testing.T) {
	base := netip.MustParseAddr("127.96.0.0")
	ctx, cancel := context.WithCancel(t.Context())
	up, ended := make(chan struct{}), make(chan error, 1)
	go func() {
		ended <- sim.Run(ctx, sim.Settings{Base: base, Port: 16396, Origin: time.Now(), Community: "c", DeskToken: "d",
			Watcher: sim.SignIn{User: lookout, Password: watchword}}, func() { close(up) })
	}()
	t.Cleanup(func() { cancel(); assert.NoError(t, <-ended) })
	<-up
	estate := &demo.Client{URL: sim.ControlURL(base)}
	authority, err := estate.Authority(t.Context())
	require.NoError(t, err)
	devices, err := estate.Devices(t.Context())
	require.NoError(t, err)
	services, err := estate.Services(t.Context())
	require.NoError(t, err)
	at, of := map[string]netip.Addr{}, map[string]domain.SimulatedService{}
	for _, d := range devices {
		at[d.Name] = d.Address
	}
	for _, s := range services {
		of[s.Name] = s
	}
	loopback, err := ranges.Read("127.0.0.0/8")
	require.NoError(t, err)
	all := waysOf(nil, nil, dial.Through(guard.New(loopback, ranges.Set{})))
	for _, c := range checkedServices(authority) {
		t.Run(c.service, func(t *testing.T) {
			q := c.question(t, all, at[of[c.service].Device])
			becomes(t, all, q, verdict.Passes)
			c.modes["closed"], c.modes["silent"] = verdict.Refused, verdict.TimedOut
			for _, m := range of[c.service].Modes {
				want, told := c.modes[m.Name]
				require.True(t, told, "%s: nothing says what the check comes to", m.Name)
				f, err := estate.Break(t.Context(), domain.Fault{Kind: "service", Target: c.service, Mode: m.Name})
				require.NoError(t, err)
				becomes(t, all, q, want)
				_, err = estate.Mend(t.Context(), f.ID)
				require.NoError(t, err)
			}
			becomes(t, all, q, verdict.Passes)
		})
	}
}

func (c checked) question(t *testing.T, all ways.List, to netip.Addr) way.Question {
	t.Helper()
	w, ok := all.Described().Of(c.way)
	require.True(t, ok)
	ask, errs := field.Check(w.Ask, c.ask)
	require.Empty(t, errs)
	endpoint, errs := field.Check(w.Endpoint, c.endpoint)
	require.Empty(t, errs)
	return way.Question{Way: c.way, Address: to, Ask: ask, Endpoint: endpoint, Credential: c.credential, Columns: w.Columns(ask)}
}

// becomes waits until a check comes to a verdict: ports are opened and closed a moment after they are told to.
func becomes(t *testing.T, all ways.List, q way.Question, want verdict.Verdict) {
	t.Helper()
	last := ""
	for range 40 {
		got := all.Ask(t.Context(), q)
		require.Empty(t, got.Error)
		v := verdict.Verdict(got.Rows[0].Values[0].Num)
		if last = v.String() + ": " + got.Rows[0].Values[1].Text; v == want {
			return
		}
		time.Sleep(50 * time.Millisecond)
	}
	assert.Failf(t, "another verdict", "%s, where %s is expected", last, want)
}
