// Package fetch turns the sources of kits into requests of the protocols.
package fetch

import (
	"context"
	"errors"
	"net/netip"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/protocol/snmp"
	"tirelessowl/internal/protocol/tcp"
)

const sysUpTime = "1.3.6.1.2.1.1.3.0"

// Fetcher asks devices.
type Fetcher struct {
	SNMP    *snmp.Client
	Timeout time.Duration // for one try of SNMP
	Retries int
}

// Fetch sends one request and returns what came of it; failures are part of
// the result.
func (f Fetcher) Fetch(ctx context.Context, r kit.Request) derive.Fetched {
	got := derive.Fetched{At: time.Now().UTC()}
	start := time.Now()
	var err error
	switch {
	case r.Source.Probe != nil:
		f.probe(ctx, r, &got)
	case len(r.Source.Get) > 0:
		err = f.get(ctx, r, &got)
	default:
		err = f.walk(ctx, r, &got)
	}
	got.Took = time.Since(start)
	if err != nil {
		got.Error, got.NoAnswer = err.Error(), errors.Is(err, snmp.ErrNoAnswer)
	}
	return got
}

func (f Fetcher) target(r kit.Request) snmp.Target {
	return snmp.Target{Address: netip.AddrPortFrom(r.Address, uint16(r.Port)), Community: r.Community, Timeout: f.Timeout, Retries: f.Retries}
}

// probe asks several times: the mean answer time in s, and the loss in %.
func (f Fetcher) probe(ctx context.Context, r kit.Request, got *derive.Fetched) {
	answered, total := 0, time.Duration(0)
	for range r.Source.Probe.Count {
		took, err := f.once(ctx, r)
		if err != nil {
			got.Error = err.Error()
			if answered == 0 && ctx.Err() != nil {
				break
			}
			continue
		}
		answered++
		total += took
	}
	count := float64(r.Source.Probe.Count)
	row := derive.Row{Values: make([]derive.Value, 2)}
	if answered > 0 {
		row.Values[0] = derive.Value{Kind: derive.Gauge, Num: total.Seconds() / float64(answered)}
		got.Error = ""
	}
	row.Values[1] = derive.Value{Kind: derive.Gauge, Num: 100 * (count - float64(answered)) / count}
	got.NoAnswer = answered == 0
	got.Rows = []derive.Row{row}
}

func (f Fetcher) once(ctx context.Context, r kit.Request) (time.Duration, error) {
	timeout := r.Source.Probe.Timeout
	if r.Method == "tcp" {
		return tcp.Connect(ctx, netip.AddrPortFrom(r.Address, uint16(r.ProbePort)), timeout)
	}
	t := f.target(r)
	t.Timeout, t.Retries = timeout, 0
	start := time.Now()
	_, err := f.SNMP.Get(ctx, t, []string{sysUpTime})
	return time.Since(start), err
}

func (f Fetcher) get(ctx context.Context, r kit.Request, got *derive.Fetched) error {
	oids := []string{sysUpTime}
	for _, c := range r.Source.Get {
		oids = append(oids, c.OID)
	}
	values, err := f.SNMP.Get(ctx, f.target(r), oids)
	if err != nil {
		return err
	}
	if up, ok := values[0].Number(); ok {
		got.Uptime, got.UptimeKnown = uint32(up), true
	}
	got.Rows = []derive.Row{{Values: values[1:]}}
	return nil
}

func (f Fetcher) walk(ctx context.Context, r kit.Request, got *derive.Fetched) error {
	oids := make([]string, len(r.Source.Walk))
	for i, c := range r.Source.Walk {
		oids[i] = c.OID
	}
	table, err := f.SNMP.Walk(ctx, f.target(r), oids)
	if err != nil {
		return err
	}
	got.Rows, got.Uptime, got.UptimeKnown = table.Rows, table.Uptime, table.UptimeKnown
	return nil
}
