package sim

import (
	"bufio"
	"encoding/json"
	"net/http"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/gosnmp/gosnmp"
)

// Greeting is one answer to a request for a single object, such as one that only
// asks whether the device answers.
type Greeting struct {
	Address netip.Addr `json:"address"`
	At      time.Time  `json:"at"`
}

// mostGreetings bounds what is remembered.
const mostGreetings = 500_000

// greetings are the newest ones, for accounts of what was asked.
type greetings struct {
	mu  sync.Mutex
	all []Greeting
}

func (g *greetings) note(d *Device, in *gosnmp.SnmpPacket, now time.Time) {
	if in.PDUType != gosnmp.GetRequest || len(in.Variables) != 1 {
		return
	}
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.all) >= mostGreetings {
		g.all = slices.Delete(g.all, 0, mostGreetings/10)
	}
	g.all = append(g.all, Greeting{d.Address, now.UTC()})
}

// greetings tells all, a line each.
func (e *Estate) greetings(w http.ResponseWriter, _ *http.Request) {
	e.greeted.mu.Lock()
	all := slices.Clone(e.greeted.all)
	e.greeted.mu.Unlock()
	w.Header().Set("Content-Type", "application/x-ndjson")
	out := bufio.NewWriter(w)
	defer out.Flush()
	for _, g := range all {
		_ = json.NewEncoder(out).Encode(g)
	}
}
