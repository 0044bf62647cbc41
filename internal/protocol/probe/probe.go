// Package probe learns what can be known of a device over SNMP.
package probe

import (
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"net/netip"
	"strings"
	"time"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/identity"
	"tirelessowl/internal/core/kit"
	ways "tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/snmp"
	way "tirelessowl/internal/protocol/ways/snmp"
)

// Prober asks addresses.
type Prober struct{ SNMP *snmp.Client }

const (
	hello    = "1.3.6.1.2.1.1.2.0" // sysObjectID
	storage  = "1.3.6.1.2.1.25.2.3.1.2"
	diskType = "1.3.6.1.2.1.25.2.1.4"
)

var about = []string{
	"1.3.6.1.2.1.1.1.0", "1.3.6.1.2.1.1.2.0", "1.3.6.1.2.1.1.5.0", "1.3.6.1.2.1.1.6.0", "1.3.6.1.2.1.1.7.0",
	"1.3.6.1.6.3.10.2.1.1.0", // snmpEngineID
	"1.3.6.1.2.1.2.1.0",      // ifNumber
}

// Way implements find.Prober.
func (Prober) Way() string { return way.Name }

// Credential implements find.Prober: what is typed is a community.
func (Prober) Credential(text domain.Secret) (kind string, secrets domain.Secrets) {
	return way.V2c, domain.Secrets{"community": text}
}

// Hello tells whether a device answers SNMP with a credential. An agent that refuses a
// community says nothing at all.
func (p Prober) Hello(ctx context.Context, at netip.AddrPort, c ways.Opened, timeout time.Duration) identity.Heard {
	_, err := p.SNMP.Get(ctx, way.With(c, snmp.Target{Address: at, Timeout: timeout}), []string{hello})
	switch {
	case err == nil:
		return identity.Heard{Answers: true}
	case errors.Is(err, snmp.ErrDenied):
		return identity.Heard{Denied: true, Said: "an SNMP engine answers, and does not take the credential: " + reason(err)}
	case errors.Is(err, snmp.ErrRefused):
		return identity.Heard{Said: fmt.Sprintf("the machine is up, and nothing listens on its port %d", at.Port())}
	case errors.Is(err, snmp.ErrNoAnswer), errors.Is(err, snmp.ErrUnreachable), ctx.Err() != nil:
		return identity.Heard{} // what says that there is no way is another machine
	}
	return identity.Heard{Said: "it answers, and not as expected: " + err.Error()}
}

// reason is what an agent reports, without that it denies.
func reason(err error) string { return strings.TrimPrefix(err.Error(), snmp.ErrDenied.Error()+": ") }

// Present asks an address that answered no credential whether there is an SNMP engine: one of
// version 3 tells its id to everybody.
func (p Prober) Present(ctx context.Context, at netip.AddrPort, timeout time.Duration) (said string) {
	id, err := p.SNMP.EngineID(ctx, snmp.Target{Address: at, Timeout: timeout})
	if err != nil {
		return ""
	}
	return fmt.Sprintf("an SNMP engine answers (version 3, id %x), and none of the credentials did", id)
}

// Learn asks a device that answers for all that a find shows.
func (p Prober) Learn(ctx context.Context, at netip.AddrPort, c ways.Opened) (identity.Answer, error) {
	t := way.With(c, snmp.Target{Address: at, Timeout: 3 * time.Second, Retries: 2})
	values, err := p.SNMP.Get(ctx, t, about)
	if err != nil {
		return identity.Answer{}, err
	}
	a := identity.Answer{Responder: identity.Responder{Address: at.Addr(), ObjectID: values[1].String(), Name: values[2].String()},
		Description: values[0].String(), Location: values[3].String(), Parts: map[string]int{}, Facts: []string{"answers:snmp"}}
	services, _ := values[4].Number()
	interfaces, _ := values[6].Number()
	a.Services = int(services)
	a.EngineID = values[5].Text // in hexadecimal: its first bit is set, so it never is text
	if t.User != nil && a.EngineID == "" {
		if id, err := p.SNMP.EngineID(ctx, t); err == nil { // the view may hide what every message tells
			a.EngineID = hex.EncodeToString(id)
		}
	}
	if interfaces > 0 {
		a.Parts[string(kit.Interfaces)] = int(interfaces)
		a.Facts = append(a.Facts, "mib:interfaces")
	}
	p.tables(ctx, t, &a)
	return a, nil
}

// tables reads addresses, what the whole is, what stands next to it, and volumes; a device without them is no error.
func (p Prober) tables(ctx context.Context, t snmp.Target, a *identity.Answer) {
	p.addresses(ctx, t, a)
	p.whole(ctx, t, a)
	p.neighbours(ctx, t, a)
	p.has(ctx, t, a)
	table, err := p.SNMP.Walk(ctx, t, []string{storage})
	if err != nil || len(table.Rows) == 0 {
		return
	}
	a.Facts = append(a.Facts, "mib:host")
	for _, row := range table.Rows {
		if row.Values[0].Kind == derive.Text && row.Values[0].Text == diskType {
			a.Parts[string(kit.Volumes)]++
		}
	}
}
