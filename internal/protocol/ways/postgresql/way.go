// Package postgresql is the way to ask PostgreSQL servers, by protocol version 3.
package postgresql

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"net"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgproto3"
	"github.com/jackc/pgx/v5/pgtype"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/database"
)

// Driver is the kind of server.
var Driver = database.Driver{
	Name:    "postgresql",
	Title:   "PostgreSQL",
	Port:    "5432",
	Account: "postgresql-account",
	Example: "SELECT datname, numbackends FROM pg_stat_database WHERE datname IS NOT NULL",
	Open:    open,
}

// usual is the database that every server has.
const usual = "postgres"

// mostMessage bounds one message of a server, in bytes: room is made for it before it comes.
const mostMessage = 4 << 20

func open(ctx context.Context, t database.Target) (database.Session, error) {
	config, err := config(t)
	if err != nil {
		return nil, err
	}
	conn, err := pgconn.ConnectConfig(ctx, config)
	if err != nil {
		return nil, inWords(err, t)
	}
	return session{conn, t}, nil
}

// config takes nothing from the environment of this process, nor from files of who runs it.
func config(t database.Target) (*pgconn.Config, error) {
	c, err := pgconn.ParseConfig("host=127.0.0.1 port=5432 user=nobody password=none dbname=none sslmode=disable " +
		"passfile=/dev/null servicefile=/dev/null")
	if err != nil {
		return nil, fmt.Errorf("no connection can be prepared: %w", err)
	}
	c.Host, c.Port, c.User, c.Password, c.Database = t.Address.Addr().String(), t.Address.Port(), t.User, t.Password, t.Database
	if c.Database == "" {
		c.Database = usual
	}
	c.ConnectTimeout = t.Patience
	c.RuntimeParams = map[string]string{"application_name": "tireless-owl"}
	c.LookupFunc = func(context.Context, string) ([]string, error) { return []string{t.Address.Addr().String()}, nil }
	c.DialFunc = func(ctx context.Context, _, _ string) (net.Conn, error) { return t.Connect(ctx) }
	c.BuildFrontend = func(r io.Reader, w io.Writer) *pgproto3.Frontend {
		f := pgproto3.NewFrontend(r, w)
		f.SetMaxBodyLen(mostMessage)
		return f
	}
	c.Fallbacks = nil
	c.TLSConfig = encrypted(t)
	if t.Security == database.Offered {
		c.Fallbacks = []*pgconn.FallbackConfig{{Host: c.Host, Port: c.Port}}
	}
	if t.Security != database.Secured || !t.Verify {
		c.RequireAuth = "scram-sha-256,md5,none" // who listens, or is not who we think, is never told the password itself
	}
	return c, nil
}

// encrypted is how a connection is secured; nil for not at all.
func encrypted(t database.Target) *tls.Config {
	if t.Security == database.Plain {
		return nil
	}
	name := t.Name
	if name == "" {
		name = t.Address.Addr().String()
	}
	return &tls.Config{ServerName: name, MinVersion: tls.VersionTLS12,
		InsecureSkipVerify: t.Security == database.Offered || !t.Verify} //nolint:gosec // it was asked for
}

type session struct {
	conn *pgconn.PgConn
	t    database.Target
}

// Close ends it; what the transaction was in is forgotten by the server.
func (s session) Close() {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = s.conn.Close(ctx)
}

// Read runs one statement by the extended protocol, which takes no more than one, in a transaction that only reads.
func (s session) Read(ctx context.Context, statement string, most int) (table way.Table, err error) {
	limit := strconv.FormatInt(s.t.Patience.Milliseconds(), 10)
	begin := "BEGIN READ ONLY; SET LOCAL statement_timeout = " + limit + "; SET LOCAL lock_timeout = " + limit
	if _, err := s.conn.Exec(ctx, begin).ReadAll(); err != nil {
		return table, inWords(err, s.t)
	}
	r := s.conn.ExecParams(ctx, statement, nil, nil, nil, nil)
	for r.NextRow() {
		if len(table.Rows) == most {
			table.More = true
			return table, nil // the session is closed: the rest is not read
		}
		table.Rows = append(table.Rows, valuesOf(r.FieldDescriptions(), r.Values()))
	}
	for _, f := range r.FieldDescriptions() {
		table.Columns = append(table.Columns, f.Name)
	}
	if _, err := r.Close(); err != nil {
		return table, inWords(err, s.t)
	}
	if len(table.Columns) == 0 {
		return table, verdict.Fail(verdict.Unexpected, "the statement brings no columns")
	}
	return table, nil
}

func valuesOf(columns []pgconn.FieldDescription, values [][]byte) []derive.Value {
	out := make([]derive.Value, len(values))
	for i, v := range values {
		if v == nil {
			continue
		}
		switch columns[i].DataTypeOID {
		case pgtype.Int2OID, pgtype.Int4OID, pgtype.Int8OID, pgtype.Float4OID, pgtype.Float8OID, pgtype.NumericOID, pgtype.OIDOID:
			out[i] = database.Number(string(v))
		case pgtype.BoolOID:
			out[i] = database.Truth(string(v) == "t")
		default:
			out[i] = database.Text(string(v))
		}
	}
	return out
}

const rights = `SELECT rolsuper, pg_has_role('pg_monitor', 'USAGE'),
	EXISTS (SELECT 1 FROM pg_extension WHERE extname = 'pg_stat_statements') FROM pg_roles WHERE rolname = current_user`

// Rights says what the account may do beyond reading, and what it lacks.
func (s session) Rights(ctx context.Context) (out []string) {
	r := s.conn.ExecParams(ctx, rights, nil, nil, nil, nil).Read()
	if r.Err != nil || len(r.Rows) != 1 || len(r.Rows[0]) != 3 {
		return nil
	}
	is := func(i int) bool { return string(r.Rows[0][i]) == "t" }
	user := text.Brief(s.t.User, 60)
	switch {
	case is(0):
		out = append(out, user+" is a superuser, which is more than it needs: functions that a statement calls can have effects even "+
			"where it only reads")
	case !is(1):
		out = append(out, fmt.Sprintf("%s is missing a right: GRANT pg_monitor TO %s lets it see what others do", user, user))
	}
	if !is(2) {
		out = append(out, "pg_stat_statements is not in this database: slow statements are not told one by one")
	}
	return out
}

// inWords tells apart what a server says (PostgreSQL, appendix A).
func inWords(err error, t database.Target) error {
	var said *pgconn.PgError
	if !errors.As(err, &said) {
		return plainly(err)
	}
	return sqlState(said.Code, text.Brief(strings.TrimSpace(said.Message), 200), t)
}
