// Package mariadb is the way to ask MariaDB servers, and those that are compatible with them.
package mariadb

import (
	"context"
	"crypto/tls"
	"database/sql"
	"fmt"
	"io"
	"log"
	"net"
	"regexp"
	"strings"

	"github.com/go-sql-driver/mysql"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/text"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/database"
)

// Driver is the kind of server.
var Driver = database.Driver{
	Name:    "mariadb",
	Title:   "MariaDB",
	Port:    "3306",
	Account: "mariadb-account",
	Example: "SELECT table_schema, SUM(data_length) AS bytes FROM information_schema.tables GROUP BY table_schema",
	Open:    open,
}

func open(ctx context.Context, t database.Target) (database.Session, error) {
	connector, err := mysql.NewConnector(config(t))
	if err != nil {
		return nil, fmt.Errorf("no connection can be prepared: %w", err)
	}
	db := sql.OpenDB(connector)
	conn, err := db.Conn(ctx)
	if err != nil {
		db.Close()
		return nil, inWords(err, t)
	}
	return session{db, conn, t}, nil
}

func config(t database.Target) *mysql.Config {
	c := mysql.NewConfig()
	c.User, c.Passwd, c.DBName = t.User, t.Password, t.Database
	c.Net, c.Addr = "tcp", t.Address.String()
	c.DialFunc = func(ctx context.Context, _, _ string) (net.Conn, error) { return t.Connect(ctx) }
	c.Logger = log.New(io.Discard, "", 0)
	c.CheckConnLiveness = false // what connections are here tells no file descriptor, and each is used once
	if t.Security == database.Plain {
		return c
	}
	name := t.Name
	if name == "" {
		name = t.Address.Addr().String()
	}
	c.TLS = &tls.Config{ServerName: name, MinVersion: tls.VersionTLS12,
		InsecureSkipVerify: t.Security == database.Offered || !t.Verify} //nolint:gosec // it was asked for
	c.AllowFallbackToPlaintext = t.Security == database.Offered
	c.AllowCleartextPasswords = t.Security == database.Secured && t.Verify
	return c
}

type session struct {
	db   *sql.DB
	conn *sql.Conn
	t    database.Target
}

// Close ends it; what the transaction was in is forgotten by the server.
func (s session) Close() {
	_ = s.conn.Close()
	_ = s.db.Close()
}

// Read runs one statement, of which the protocol takes no more than one, in a transaction that only reads.
func (s session) Read(ctx context.Context, statement string, most int) (table way.Table, err error) {
	_, _ = s.conn.ExecContext(ctx, fmt.Sprintf("SET SESSION max_statement_time = %g", s.t.Patience.Seconds())) // not all know it
	for _, first := range []string{"SET SESSION TRANSACTION READ ONLY", "START TRANSACTION READ ONLY"} {
		if _, err := s.conn.ExecContext(ctx, first); err != nil {
			return table, inWords(err, s.t)
		}
	}
	rows, err := s.conn.QueryContext(ctx, statement)
	if err != nil {
		return table, inWords(err, s.t)
	}
	defer rows.Close()
	types, err := rows.ColumnTypes()
	if err != nil {
		return table, inWords(err, s.t)
	}
	for _, c := range types {
		table.Columns = append(table.Columns, c.Name())
	}
	for rows.Next() {
		if len(table.Rows) == most {
			table.More = true
			return table, nil
		}
		row, err := valuesOf(rows, types)
		if err != nil {
			return table, inWords(err, s.t)
		}
		table.Rows = append(table.Rows, row)
	}
	if err := rows.Err(); err != nil {
		return table, inWords(err, s.t)
	}
	if len(table.Columns) == 0 {
		return table, verdict.Fail(verdict.Unexpected, "the statement brings no columns")
	}
	return table, nil
}

// numbers are the types whose values are numbers, as the driver names them.
var numbers = regexp.MustCompile(`^(UNSIGNED )?(TINYINT|SMALLINT|MEDIUMINT|INT|BIGINT|YEAR|DECIMAL|FLOAT|DOUBLE)$`)

func valuesOf(rows *sql.Rows, types []*sql.ColumnType) ([]derive.Value, error) {
	raw := make([]sql.RawBytes, len(types))
	into := make([]any, len(types))
	for i := range raw {
		into[i] = &raw[i]
	}
	if err := rows.Scan(into...); err != nil {
		return nil, err
	}
	out := make([]derive.Value, len(types))
	for i, v := range raw {
		switch {
		case v == nil:
		case numbers.MatchString(types[i].DatabaseTypeName()):
			out[i] = database.Number(string(v))
		default:
			out[i] = database.Text(string(v))
		}
	}
	return out, nil
}

// Rights says what the account may do beyond reading, and what it lacks.
func (s session) Rights(ctx context.Context) (out []string) {
	granted := ""
	rows, err := s.conn.QueryContext(ctx, "SHOW GRANTS")
	if err != nil {
		return nil
	}
	defer rows.Close()
	for rows.Next() {
		var line string
		if rows.Scan(&line) == nil && len(granted) < 1<<16 {
			granted += strings.ToUpper(line) + "\n"
		}
	}
	if rows.Err() != nil {
		return nil
	}
	user := text.Brief(s.t.User, 60)
	all := strings.Contains(granted, "ALL PRIVILEGES ON *.*")
	if all || strings.Contains(granted, "SUPER") {
		out = append(out, user+" may do everything, which is more than it needs: functions that a statement calls can have effects")
	}
	for right, names := range lacking {
		if !all && !names.MatchString(granted) {
			out = append(out, fmt.Sprintf("%s is missing a right: GRANT %s ON *.* TO %s", user, right, user))
		}
	}
	return out
}

// lacking are the rights that are needed, with the names under which servers grant them.
var lacking = map[string]*regexp.Regexp{
	"PROCESS":         regexp.MustCompile(`\bPROCESS\b`),
	"REPLICA MONITOR": regexp.MustCompile(`\b(REPLICA MONITOR|SLAVE MONITOR|REPLICATION CLIENT|BINLOG MONITOR)\b`),
}
