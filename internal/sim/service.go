package sim

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"time"
)

// Mode is a way in which a service can fail.
type Mode struct {
	Name  string `json:"name"`
	Title string `json:"title"` // what is the matter then
}

// Every service that answers by itself can fail so.
var commonModes = []Mode{
	{"closed", "nothing listens there any more"},
	{"silent", "it takes connections and says nothing"},
}

// service is what a device serves besides its agent, by the real protocol.
type service struct {
	Name   string `json:"name"`
	Title  string `json:"title"`
	Device string `json:"device"`
	Port   int    `json:"port"`
	Modes  []Mode `json:"modes"`

	device *Device
	// take serves one connection, in a mode ("" for as it should be), and closes it.
	take func(c net.Conn, mode string)
}

func (s *service) has(mode string) bool {
	for _, m := range s.Modes {
		if m.Name == mode {
			return true
		}
	}
	return false
}

// offer adds a service of a device to the estate.
func (e *Estate) offer(name, title, device string, port int, take func(net.Conn, string), own ...Mode) {
	e.services = append(e.services, &service{Name: name, Title: title, Device: device, Port: port, device: e.byName[device], take: take,
		Modes: append(append([]Mode{}, own...), commonModes...)})
}

func (e *Estate) service(name string) *service {
	for _, s := range e.services {
		if s.Name == name {
			return s
		}
	}
	return nil
}

// serveServices opens and closes the ports of services as their devices come and go, until the context ends. Databases
// listen by themselves.
func (e *Estate) serveServices(ctx context.Context) {
	var doors []door
	for _, s := range e.services {
		if s.take == nil {
			continue
		}
		doors = append(doors, door{
			at:     net.JoinHostPort(s.device.Address.String(), fmt.Sprint(s.Port)),
			wanted: func() bool { return s.device.Answers(time.Now()) && e.faults.mode(s.Name) != "closed" },
			accept: func(l net.Listener) { e.accept(ctx, s, l) },
		})
	}
	keepDoors(ctx, 200*time.Millisecond, doors)
}

// silence is how long a service that says nothing keeps a connection.
const silence = 90 * time.Second

func (e *Estate) accept(ctx context.Context, s *service, l net.Listener) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		mode := e.faults.mode(s.Name)
		go func() {
			stop := context.AfterFunc(ctx, func() { c.Close() })
			defer stop()
			if mode == "silent" {
				defer c.Close()
				_ = c.SetReadDeadline(time.Now().Add(silence))
				for buf := make([]byte, 512); err == nil; {
					_, err = c.Read(buf)
				}
				return
			}
			s.take(c, mode)
		}()
	}
}

// single is a listener that has one connection to give.
type single struct {
	net.Listener
	conn chan net.Conn
	addr net.Addr
}

func (s single) Accept() (net.Conn, error) {
	if c, ok := <-s.conn; ok {
		return c, nil
	}
	return nil, net.ErrClosed
}
func (s single) Close() error   { return nil }
func (s single) Addr() net.Addr { return s.addr }

// overHTTP serves connections by handlers that differ by the mode.
func overHTTP(handler func(mode string) http.Handler) func(net.Conn, string) {
	return func(c net.Conn, mode string) {
		srv := &http.Server{Handler: handler(mode), ReadHeaderTimeout: 10 * time.Second,
			ErrorLog: slog.NewLogLogger(slog.DiscardHandler, 0)}
		srv.SetKeepAlivesEnabled(false)
		one := single{conn: make(chan net.Conn, 1), addr: c.LocalAddr()}
		one.conn <- c
		close(one.conn)
		if err := srv.Serve(one); !errors.Is(err, net.ErrClosed) {
			slog.Debug("simulated service", "error", err)
		}
	}
}
