package sim

import (
	"context"
	"fmt"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"time"
)

// Where services are, of which each device has one of a kind.
const (
	portalPort    = 8081
	webPort       = 8080
	securePort    = 8443
	directoryPort = 10389
	namesPort     = 10053
)

// runsOut is how long after the origin the certificate of the booking site runs out: a story.
const runsOut = 12 * 24 * time.Hour

// serve adds what devices serve.
func (e *Estate) serve(s Settings) (err error) {
	if e.authority, err = newAuthority(file(s.DataDir, "authority.pem"), e.origin); err != nil {
		return err
	}
	until := e.origin.Add(runsOut).Truncate(time.Second)
	e.offer("portal", "Sign-in portal of np-kiosk-1", "np-kiosk-1", portalPort, overHTTP(portal(s.Watcher)), portalModes...)
	e.offer("second portal", "Sign-in portal of sh-kiosk-1", "sh-kiosk-1", portalPort, overHTTP(portal(s.Watcher)), portalModes...)
	e.offer("booking page", "Booking page on booking-web-1", "booking-web-1", webPort, overHTTP(bookingPage), webModes...)
	e.offer("booking site", "Booking site by TLS on booking-web-1", "booking-web-1", securePort,
		e.authority.secured(e.origin, until, bookingPage), secureModes...)
	e.offer("directory", "Directory on directory-1", "directory-1", directoryPort, directory(s.Watcher), directoryModes...)
	e.offer("names", "Name server on directory-1", "directory-1", namesPort, e.names().overTCP, namesModes...)
	if s.Databases { // they listen by themselves
		e.services = append(e.services,
			&service{Name: "database", Title: "Booking database on booking-db-1", Device: databaseActive, Port: databasePort,
				Modes: activeModes, device: e.byName[databaseActive]},
			&service{Name: "standby database", Title: "Standby of it on booking-db-2", Device: databaseStandby, Port: databasePort,
				Modes: standbyModes, device: e.byName[databaseStandby]})
	}
	return nil
}

func (e *Estate) names() names {
	return names{
		mode: func() string { return e.faults.mode("names") },
		find: func(name string) (netip.Addr, bool) {
			d := e.byName[strings.TrimSuffix(strings.ToLower(name), domainName)]
			if d == nil {
				return netip.Addr{}, false
			}
			return d.Address, true
		},
	}
}

// serveNames keeps the socket of the name server open while its device is there, until the context ends.
func (e *Estate) serveNames(ctx context.Context) {
	s, udp := e.service("names"), &overUDP{}
	at := net.JoinHostPort(s.device.Address.String(), fmt.Sprint(s.Port))
	tick := time.NewTicker(200 * time.Millisecond)
	defer tick.Stop()
	for ctx.Err() == nil {
		udp.set(s.device.Answers(time.Now()) && e.faults.mode(s.Name) != "closed", at, e.names())
		select {
		case <-ctx.Done():
		case <-tick.C:
		}
	}
	udp.set(false, at, nil)
}

// bookings is the booking database, below the data of the estate, or for this run alone.
func (e *Estate) bookings(s Settings) *booking {
	dir := file(s.DataDir, "booking")
	if dir == "" {
		dir = filepath.Join(os.TempDir(), fmt.Sprintf("owl-booking-%d", os.Getpid()))
	}
	return &booking{estate: e, dir: dir, who: s.Watcher, harmed: map[string]func(){}}
}
