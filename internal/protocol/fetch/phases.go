// Package fetch is what all ways share that fetch pages.
package fetch

import (
	"context"
	"crypto/tls"
	"net/http/httptrace"
	"strings"
	"sync"
	"time"

	"tirelessowl/internal/core/units"
	"tirelessowl/internal/protocol/ways"
)

// Phases is how long each phase took, over all redirects. A phase that did not come to its end is not measured.
type Phases struct {
	mu    sync.Mutex // two addresses of a name are tried at once
	began map[string]time.Time
	took  map[string]time.Duration
}

func (p *Phases) begin(phase string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.began == nil {
		p.began, p.took = map[string]time.Time{}, map[string]time.Duration{}
	}
	if p.began[phase].IsZero() {
		p.began[phase] = time.Now()
	}
}

func (p *Phases) end(phase string, err error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if since := p.began[phase]; err == nil && !since.IsZero() {
		p.took[phase] += time.Since(since)
		delete(p.began, phase)
	}
}

// Watch has the phases of requests of a context measured.
func (p *Phases) Watch(ctx context.Context) context.Context {
	return httptrace.WithClientTrace(ctx, &httptrace.ClientTrace{
		DNSStart:             func(httptrace.DNSStartInfo) { p.begin("lookup") },
		DNSDone:              func(x httptrace.DNSDoneInfo) { p.end("lookup", x.Err) },
		ConnectStart:         func(string, string) { p.begin("connect") },
		ConnectDone:          func(_, _ string, err error) { p.end("connect", err) },
		TLSHandshakeStart:    func() { p.begin("tls") },
		TLSHandshakeDone:     func(_ tls.ConnectionState, err error) { p.end("tls", err) },
		WroteRequest:         func(httptrace.WroteRequestInfo) { p.begin("first") },
		GotFirstResponseByte: func() { p.end("first", nil) },
	})
}

// Note notes what was measured, each phase as a column of its name.
func (p *Phases) Note(c *ways.Checked) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for phase, took := range p.took {
		c.Seconds(phase, took)
	}
}

// inOrder are the phases as they come one after the other.
var inOrder = []struct{ phase, says string }{
	{"lookup", "lookup"}, {"connect", "connecting"}, {"tls", "TLS"}, {"first", "waiting for the first byte"},
}

// Words says how long each phase took, over all redirects.
func (p *Phases) Words() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	var out []string
	for _, x := range inOrder {
		if took, is := p.took[x.phase]; is {
			out = append(out, x.says+" "+units.Format(took.Seconds(), "s"))
		}
	}
	return strings.Join(out, ", ")
}
