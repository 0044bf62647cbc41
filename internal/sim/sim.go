// Package sim is the simulated estate: SNMP agents, a ticket desk and a mail
// sink that speak the real protocols on loopback addresses. It runs as a
// process of its own and shares no code with the product.
package sim

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"path/filepath"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
	"github.com/go-chi/chi/v5"
)

// Settings say where the estate stands.
type Settings struct {
	Base      netip.Addr // first simulated address, such as 127.77.0.0
	Port      int        // UDP and TCP port of every device
	Origin    time.Time  // moment of set-up that the stories refer to
	Community string
	// User is whom the engines of version 3 know.
	User      SNMPUser
	DeskToken string
	// ClientID and ClientSecret are what the provider of accounts knows us by.
	ClientID, ClientSecret string
	DataDir                string // where desk, sink and databases keep their records; may be empty
	// Watcher is who may sign in at the services of devices. Databases are started where it is asked for: they are real ones.
	Watcher   SignIn
	Databases bool
}

// Addresses of the stand-ins, above the base.
const (
	httpPort = 8080
	mailPort = 2525
)

// DeskURL returns where the desk of an estate is reached.
func DeskURL(base netip.Addr) string {
	return fmt.Sprintf("http://%s:%d", Offset(base, 0, 2), httpPort)
}

// ControlURL returns where drills are commanded.
func ControlURL(base netip.Addr) string {
	return fmt.Sprintf("http://%s:%d", Offset(base, 0, 1), httpPort)
}

// MailURL returns where the taken mails are shown.
func MailURL(base netip.Addr) string {
	return fmt.Sprintf("http://%s:%d", Offset(base, 0, 3), httpPort)
}

// MailHost returns host and port of the SMTP server.
func MailHost(base netip.Addr) (string, int) { return Offset(base, 0, 3).String(), mailPort }

// Run serves the estate until the context ends. ready is called once
// everything listens.
func Run(ctx context.Context, s Settings, ready func()) error {
	estate := NewEstate(s.Base, s.Origin)
	agents, err := listenAgents(s.Port, s.Community, s.User, estate.Find)
	if err != nil {
		return fmt.Errorf("agents: %w", err)
	}
	agents.greeted = estate.greeted
	taken := newSink(file(s.DataDir, "mail.json"), estate.faults)
	accounts, err := newProvider(ProviderURL(s.Base), s.ClientID, s.ClientSecret)
	if err != nil {
		return fmt.Errorf("provider: %w", err)
	}
	if err := estate.serve(s); err != nil {
		return fmt.Errorf("services: %w", err)
	}
	sites := map[int]http.Handler{
		1: estate.control(),
		2: newDesk(file(s.DataDir, "tickets.json"), s.DeskToken, DeskURL(s.Base), estate.faults).handler(),
		3: mailSite(taken),
		4: accounts.handler(),
	}
	host, port := MailHost(s.Base)
	mailServer := taken.server(fmt.Sprintf("%s:%d", host, port))
	mailListener, err := net.Listen("tcp", mailServer.Addr)
	if err != nil {
		return fmt.Errorf("mail sink: %w", err)
	}
	var wg sync.WaitGroup
	wg.Go(func() { agents.serve(ctx) })
	wg.Go(func() { serveTCP(ctx, estate, s.Port) })
	wg.Go(func() { serveMail(ctx, mailServer, mailListener) })
	wg.Go(func() { estate.serveServices(ctx) })
	wg.Go(func() { estate.serveNames(ctx) })
	if s.Databases {
		wg.Go(func() { estate.bookings(s).run(ctx) })
	}
	for fourth, h := range sites {
		l, err := net.Listen("tcp", fmt.Sprintf("%s:%d", Offset(s.Base, 0, fourth), httpPort))
		if err != nil {
			return fmt.Errorf("site %d: %w", fourth, err)
		}
		wg.Go(func() { serveHTTP(ctx, l, h) })
	}
	ready()
	wg.Wait()
	return nil
}

func file(dir, name string) string {
	if dir == "" {
		return ""
	}
	return filepath.Join(dir, name)
}

func mailSite(s *sink) http.Handler {
	r := chi.NewRouter()
	r.Get("/", s.page)
	return r
}

func serveHTTP(ctx context.Context, l net.Listener, h http.Handler) {
	srv := &http.Server{Handler: h, ReadHeaderTimeout: 5 * time.Second}
	context.AfterFunc(ctx, func() { srv.Close() })
	if err := srv.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		slog.Error("simulated site ended", "error", err)
	}
}

func serveMail(ctx context.Context, srv *smtp.Server, l net.Listener) {
	context.AfterFunc(ctx, func() { srv.Close() })
	if err := srv.Serve(l); err != nil && ctx.Err() == nil {
		slog.Error("mail sink ended", "error", err)
	}
}

// serveTCP opens and closes the TCP port of each device as it comes and goes.
func serveTCP(ctx context.Context, e *Estate, port int) {
	var doors []door
	for _, d := range e.Devices {
		if d.TCP {
			wanted := func() bool { return d.Answers(time.Now()) }
			doors = append(doors, door{fmt.Sprintf("%s:%d", d.Address, port), wanted, acceptAndClose})
		}
	}
	keepDoors(ctx, time.Second, doors)
}

func acceptAndClose(l net.Listener) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		c.Close()
	}
}
