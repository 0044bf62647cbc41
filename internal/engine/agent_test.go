package engine_test

import (
	"fmt"
	"net"
	"net/netip"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/gosnmp/gosnmp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/engine"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/ways"
	snmpway "tirelessowl/internal/protocol/ways/snmp"
	"tirelessowl/internal/service/respond"
)

// ifRow is an interface as an agent counts it.
type ifRow struct {
	index   int
	name    string
	in, out uint64
}

// agent is an SNMP agent with a table of interfaces that behaves like those
// met in the field, as a test tells it.
type agent struct {
	mu      sync.Mutex
	uptime  uint32 // hundredths of a second
	rows    []ifRow
	hidden  []string                  // columns outside its view
	delay   func(n int) time.Duration // before the nth answer
	copies  int                       // of each answer
	asked   int
	objects []object // in their order; nil when something changed
}

type object struct {
	id  []uint32
	pdu gosnmp.SnmpPDU
}

func (a *agent) change(f func(a *agent)) {
	a.mu.Lock()
	defer a.mu.Unlock()
	f(a)
	a.objects = nil
}

func (a *agent) requests() int {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.asked
}

// view lists all objects in lexicographic order.
func (a *agent) view() []object {
	if a.objects != nil {
		return a.objects
	}
	add := func(name string, kind gosnmp.Asn1BER, value any) {
		a.objects = append(a.objects, object{numbers(name), gosnmp.SnmpPDU{Name: name, Type: kind, Value: value}})
	}
	add(".1.3.6.1.2.1.1.3.0", gosnmp.TimeTicks, a.uptime)
	for _, r := range a.rows {
		for column, x := range map[string]struct {
			kind  gosnmp.Asn1BER
			value any
		}{
			"2.2.1.2": {gosnmp.OctetString, r.name}, "2.2.1.3": {gosnmp.Integer, 6}, "2.2.1.5": {gosnmp.Gauge32, uint32(1_000_000_000)},
			"2.2.1.7": {gosnmp.Integer, 1}, "2.2.1.8": {gosnmp.Integer, 1}, "2.2.1.10": {gosnmp.Counter32, uint32(r.in)},
			"2.2.1.14": {gosnmp.Counter32, uint32(0)},
			"2.2.1.16": {gosnmp.Counter32, uint32(r.out)}, "2.2.1.20": {gosnmp.Counter32, uint32(0)},
			"31.1.1.1.1": {gosnmp.OctetString, r.name},
			"31.1.1.1.6": {gosnmp.Counter64, r.in}, "31.1.1.1.10": {gosnmp.Counter64, r.out}, "31.1.1.1.15": {gosnmp.Gauge32, uint32(1000)},
		} {
			if !slices.Contains(a.hidden, column) {
				add(fmt.Sprintf(".1.3.6.1.2.1.%s.%d", column, r.index), x.kind, x.value)
			}
		}
	}
	slices.SortFunc(a.objects, func(x, y object) int { return slices.Compare(x.id, y.id) })
	return a.objects
}

func numbers(name string) (out []uint32) {
	for _, c := range name {
		if c == '.' {
			out = append(out, 0)
		} else {
			out[len(out)-1] = out[len(out)-1]*10 + uint32(c-'0')
		}
	}
	return out
}

// after returns the object behind a name (RFC 3416 section 4.2.2).
func (a *agent) after(name string) gosnmp.SnmpPDU {
	view, id := a.view(), numbers(name)
	i, found := slices.BinarySearchFunc(view, id, func(x object, id []uint32) int { return slices.Compare(x.id, id) })
	if found {
		i++
	}
	if i == len(view) {
		return gosnmp.SnmpPDU{Name: name, Type: gosnmp.EndOfMibView}
	}
	return view[i].pdu
}

func (a *agent) answer(req *gosnmp.SnmpPacket) []byte {
	out := gosnmp.SnmpPacket{Version: gosnmp.Version2c, Community: "c", PDUType: gosnmp.GetResponse, RequestID: req.RequestID}
	fixed := min(int(req.NonRepeaters), len(req.Variables))
	for _, v := range req.Variables[:fixed] {
		out.Variables = append(out.Variables, a.after(v.Name))
	}
	at := req.Variables[fixed:]
	for range req.MaxRepetitions {
		next := make([]gosnmp.SnmpPDU, len(at))
		for i, v := range at {
			next[i] = a.after(v.Name)
		}
		out.Variables = append(out.Variables, next...)
		at = next
	}
	data, err := out.MarshalMsg()
	if err != nil {
		panic(err)
	}
	return data
}

func (a *agent) serve(t *testing.T) int {
	t.Helper()
	conn, err := net.ListenUDP("udp4", &net.UDPAddr{IP: net.IPv4(127, 0, 0, 1)})
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	go func() {
		codec := &gosnmp.GoSNMP{Version: gosnmp.Version2c}
		buffer := make([]byte, 65535)
		for {
			n, from, err := conn.ReadFromUDPAddrPort(buffer)
			if err != nil {
				return
			}
			req, err := codec.SnmpDecodePacket(buffer[:n])
			if err != nil {
				continue
			}
			a.mu.Lock()
			a.asked++
			data, copies, delay := a.answer(req), max(1, a.copies), time.Duration(0)
			if a.delay != nil {
				delay = a.delay(a.asked)
			}
			a.mu.Unlock()
			time.AfterFunc(delay, func() {
				for range copies {
					_, _ = conn.WriteToUDPAddrPort(data, from)
				}
			})
		}
	}()
	return conn.LocalAddr().(*net.UDPAddr).Port
}

// facing is a collector that asks the agent by the real way.
func facing(t *testing.T, a *agent) world {
	t.Helper()
	w, ctx := setup(t, "interfaces"), t.Context()
	c, err := w.store.Credentials.Add(
		ctx,
		domain.Credential{Name: "read", Kind: "snmp-v2c", Ranges: "192.0.2.0/24, 127.0.0.0/8"},
		domain.Secrets{"community": "c"},
	)
	require.NoError(t, err)
	settings := map[string]string{"port": fmt.Sprint(a.serve(t)), "timeout": "300ms", "retries": "2"}
	require.NoError(
		t,
		w.store.Endpoints.Save(
			ctx,
			domain.Endpoint{
				DeviceID:     w.device.ID,
				Way:          "snmp",
				Address:      netip.MustParseAddr("127.0.0.1"),
				CredentialID: c.ID,
				Settings:     settings,
			},
		),
	)
	client, err := snmp.NewClient()
	require.NoError(t, err)
	t.Cleanup(client.Close)
	judge := engine.NewJudge(w.store, respond.New(w.store, nil, nil, nil, "", func() {}), engine.NewHub(), quiet)
	w.collector = engine.NewCollector(w.store, w.kits, ways.List{snmpway.Way(client)}, judge, engine.Files{}, quiet)
	require.NoError(t, w.collector.Start(ctx))
	t.Cleanup(w.collector.Stop)
	return w
}

// look collects once more and waits for what came of it.
func (w world) look(t *testing.T) {
	t.Helper()
	before := w.collector.Stats()
	require.Eventually(t, func() bool {
		w.collector.CollectNow(w.device.ID, "")
		now := w.collector.Stats()
		return now.Fetches > before.Fetches && now.Buffered == 0
	}, 20*time.Second, 10*time.Millisecond)
}

// rates are all values that were ever stored of a series.
func (w world) rates(t *testing.T, name string) (out []float64) {
	t.Helper()
	x, ok := w.series(t)[name]
	require.True(t, ok, name)
	got, err := w.store.Values.Of(t.Context(), x.ID, time.Now().Add(-time.Hour), time.Now().Add(time.Hour))
	require.NoError(t, err)
	for _, s := range got {
		out = append(out, s.Value)
	}
	return out
}

// moves lets time pass at the agent: a little traffic everywhere.
func (a *agent) moves() {
	a.change(func(a *agent) {
		a.uptime += 10
		for i := range a.rows {
			a.rows[i].in += 1000
			a.rows[i].out += 500
		}
	})
}

// sane tells that no rate is one that a line of 1 Gbit/s cannot have.
func sane(t *testing.T, rates []float64) {
	t.Helper()
	require.NotEmpty(t, rates)
	for _, r := range rates {
		assert.GreaterOrEqual(t, r, 0.0)
		assert.LessOrEqual(t, r, 1e9)
	}
}

func twoPorts() *agent {
	return &agent{uptime: 360_000, rows: []ifRow{{1, "wan0", 1 << 50, 7}, {2, "lan1", 5, 1 << 40}}}
}

// After a restart an agent numbers its rows anew, and counts from nothing:
// histories go on, and neither becomes a burst of traffic.
func TestAnAgentThatRestartsAndReindexes(t *testing.T) {
	a := twoPorts()
	w := facing(t, a)
	w.look(t)
	a.moves()
	w.look(t)
	require.Eventually(t, func() bool { w.look(t); a.moves(); return len(w.rates(t, "wan0/in")) > 1 }, 10*time.Second, time.Millisecond)
	before := w.series(t)
	a.change(func(a *agent) { a.rows[0].index, a.rows[1].index = 2, 1 }) // the same names, the other way round
	for range 3 {
		a.moves()
		w.look(t)
	}
	a.change(func(a *agent) {
		a.uptime = 100
		a.rows = []ifRow{{11, "wan0", 0, 0}, {12, "lan1", 0, 0}}
	})
	for range 3 {
		a.moves()
		w.look(t)
	}
	w.collector.Stop()
	after := w.series(t)
	for _, name := range []string{"wan0/in", "lan1/in", "wan0/out", "lan1/out"} {
		assert.Equal(t, before[name].ID, after[name].ID, "its history goes on")
		sane(t, w.rates(t, name))
	}
	assert.Len(t, after, 10)
}

// An agent that answers late is asked again, and then answers twice, and each
// answer comes three times: nothing is counted twice.
func TestAnAgentThatIsSlowAndRepeatsItself(t *testing.T) {
	a := twoPorts()
	a.copies = 3
	a.delay = func(n int) time.Duration {
		if n%3 == 1 {
			return 400 * time.Millisecond // beyond the time-out
		}
		return 0
	}
	w := facing(t, a)
	for range 4 {
		w.look(t)
		a.moves()
	}
	w.collector.Stop()
	fetches := w.collector.Stats().Fetches
	assert.Zero(t, w.collector.Stats().Failures)
	assert.Greater(t, a.requests(), int(fetches), "it was asked again")
	sane(t, w.rates(t, "wan0/in"))
	assert.LessOrEqual(t, len(w.rates(t, "wan0/state")), int(fetches), "one value an answer at most")
}

// An agent may show only a part: no 64-bit counters, no names.
func TestAnAgentWithAPartialView(t *testing.T) {
	a := twoPorts()
	a.hidden = []string{"31.1.1.1.1", "31.1.1.1.6", "31.1.1.1.10", "31.1.1.1.15", "2.2.1.14"}
	w := facing(t, a)
	for range 4 {
		w.look(t)
		a.moves()
	}
	w.collector.Stop()
	sane(t, w.rates(t, "lan1/in"))
	all := w.series(t)
	assert.Equal(t, domain.SeriesOK, all["lan1/state"].State)
	assert.NotEqual(t, domain.SeriesOK, all["lan1/in_errors"].State, "what it does not show is told to be missing")
}

// Agents with a cache count in jumps: the sum must still be what was counted.
func TestAnAgentThatCachesItsCounters(t *testing.T) {
	a := twoPorts()
	w := facing(t, a)
	w.look(t)
	for i := range 12 {
		if i%3 == 0 {
			a.moves()
		} else {
			a.change(func(a *agent) { a.uptime += 10 })
		}
		w.look(t)
	}
	w.collector.Stop()
	rates := w.rates(t, "wan0/in")
	sane(t, rates)
	assert.Contains(t, rates, 0.0, "nothing was counted in between")
}

// Two rows of one name are two interfaces, and stay apart.
func TestAnAgentWithDuplicateNames(t *testing.T) {
	a := &agent{uptime: 360_000, rows: []ifRow{{1, "eth", 1 << 50, 0}, {2, "eth", 3, 0}, {3, "eth", 9, 0}}}
	w := facing(t, a)
	for range 4 {
		w.look(t)
		a.moves()
	}
	w.collector.Stop()
	parts, err := w.store.Parts.Of(t.Context(), w.device.ID)
	require.NoError(t, err)
	assert.Len(t, parts, 3)
	list, err := w.store.Series.Of(t.Context(), w.device.ID)
	require.NoError(t, err)
	assert.Len(t, list, 15)
	for _, x := range list {
		got, err := w.store.Values.Of(t.Context(), x.ID, time.Now().Add(-time.Hour), time.Now().Add(time.Hour))
		require.NoError(t, err)
		for _, s := range got {
			assert.LessOrEqual(t, s.Value, 1e9)
		}
	}
}

func TestAnAgentWithTenThousandRows(t *testing.T) {
	a := &agent{
		uptime: 360_000,
		hidden: []string{"2.2.1.5", "2.2.1.7", "2.2.1.14", "2.2.1.20", "31.1.1.1.1", "31.1.1.1.6", "31.1.1.1.10", "31.1.1.1.15"},
	}
	for i := range 10_000 {
		a.rows = append(a.rows, ifRow{i + 1, fmt.Sprintf("port%d", i+1), uint64(i), 0})
	}
	w := facing(t, a)
	w.look(t)
	require.Eventually(
		t,
		func() bool { n, err := w.store.Series.Count(t.Context()); return err == nil && n == 50_000 },
		60*time.Second,
		50*time.Millisecond,
	)
	a.change(func(a *agent) { a.rows = a.rows[:9_999] })
	w.look(t)
	require.Eventually(t, func() bool {
		parts, err := w.store.Parts.Of(t.Context(), w.device.ID)
		return err == nil && slices.ContainsFunc(parts, func(p domain.Part) bool { return p.Name == "port10000" && !p.GoneAt.IsZero() })
	}, 30*time.Second, 50*time.Millisecond)
}
