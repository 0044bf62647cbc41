// Package database asks databases by SQL: one statement that only reads, within bounds of time, rows and bytes, whatever
// the kind of server. A kind of server is a Driver.
package database

import (
	"context"
	"net"
	"net/netip"
	"time"

	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
)

// How a connection is secured.
const (
	Offered = "offered" // by TLS where the server offers it, whoever it is
	Secured = "TLS"
	Plain   = "plain"
)

// Driver is a kind of server.
type Driver struct {
	// Name and Title are those of the way, Port is the usual one.
	Name, Title, Port string
	// Account is the kind of its credentials, Example a statement that it understands.
	Account, Example string
	// Open signs in. Errors that the server told are put into words.
	Open func(ctx context.Context, t Target) (Session, error)
}

// Target is where to sign in, and as whom.
type Target struct {
	Address  netip.AddrPort
	By       dial.Func
	Database string // empty for the usual one of the server
	User     string
	Password string
	// Security is one of the constants; Name is that of the certificate, Verify whether it must hold.
	Security, Name string
	Verify         bool
	Patience       time.Duration
}

// Session is a connection that has signed in.
type Session interface {
	// Read runs one statement that can change nothing, up to a number of rows.
	Read(ctx context.Context, statement string, most int) (way.Table, error)
	// Rights says what is to be known of the rights of the account, for people.
	Rights(ctx context.Context) []string
	Close()
}

// mostBytes bounds what a server may send for one question.
const mostBytes = 8 << 20

// bounded is a connection that ends when a server sends too much.
type bounded struct {
	net.Conn
	left int
}

// Read reads, as long as there is room.
func (b *bounded) Read(p []byte) (int, error) {
	if b.left <= 0 {
		return 0, errTooMuch
	}
	n, err := b.Conn.Read(p[:min(len(p), b.left)])
	b.left -= n
	return n, err
}

// Connect opens a connection to a target, with a bound to what comes over it.
func (t Target) Connect(ctx context.Context) (net.Conn, error) {
	conn, err := t.By(ctx, "tcp", t.Address.String())
	if err != nil {
		return nil, err
	}
	return &bounded{Conn: conn, left: mostBytes}, nil
}

// target is where a question leads.
func target(by dial.Func, q way.Question) (Target, error) {
	at, err := q.At(q.Endpoint["port"])
	return Target{
		Address:  at,
		By:       by,
		Database: q.Endpoint["database"],
		User:     q.Credential.Settings["user"],
		Password: q.Credential.Secrets["password"].Reveal(),
		Security: q.Endpoint["security"],
		Name:     q.Endpoint["name"],
		Verify:   q.Endpoint["verify"] != "no",
		Patience: q.Ask.Duration("timeout"),
	}, err
}
