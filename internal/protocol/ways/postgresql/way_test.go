package postgresql

import (
	"context"
	"encoding/binary"
	"fmt"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/localpg"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

const lamp = "a lamp on the pier"

var port string

// TestMain runs a real server, which knows the owl with the rights that it needs, and the gull with none.
func TestMain(m *testing.M) { os.Exit(run(m)) }

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "owl-sql-")
	must(err)
	defer os.RemoveAll(dir)
	must(os.Chmod(dir, 0o755))
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	server, err := localpg.Start(ctx, filepath.Join(dir, "pg"), localpg.Options{Throwaway: true})
	must(err)
	defer server.Stop()
	conn, err := pgx.Connect(ctx, server.URL)
	must(err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `CREATE ROLE keeper LOGIN PASSWORD 'a lamp on the pier'; GRANT pg_monitor TO keeper;
		CREATE ROLE gull LOGIN PASSWORD 'a lamp on the pier'; CREATE TABLE fares (ship text, pence int);
		ALTER ROLE owl PASSWORD 'a lamp on the pier'`)
	must(err)
	port = fmt.Sprint(conn.Config().Port)
	return m.Run()
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

// statement asks for some columns of a statement.
func statement(t *testing.T, user, password, query string, columns []way.Column, endpoint way.Settings) (way.Question, derive.Fetched) {
	t.Helper()
	w := Driver.Way(waytest.Loopback(t))
	q := waytest.Question(t, w, way.Settings{"query": query, "timeout": "2s", "rows": "50"})
	usual, errs := field.Check(w.Endpoint, way.Settings{"port": port})
	require.Empty(t, errs)
	for name, value := range endpoint {
		usual[name] = value
	}
	q.Endpoint, q.Columns = usual, columns
	secrets := domain.Secrets{"password": domain.Secret(password)}
	q.Credential = way.Opened{Kind: Driver.Account, Settings: way.Settings{"user": user}, Secrets: secrets}
	got := ways.List{w}.Ask(t.Context(), q)
	assert.NotContains(t, fmt.Sprint(got, q.Exchange.Lines), password)
	return q, got
}

var checked = []way.Column{{As: "verdict", Of: "@verdict"}, {As: "says", Of: "@says"}, {As: "total", Of: "@total"},
	{As: "connect", Of: "@connect"}, {As: "n", Of: "n"}}

func check(t *testing.T, user, password, query string, endpoint way.Settings) (verdict.Verdict, string, derive.Row) {
	t.Helper()
	_, got := statement(t, user, password, query, checked, endpoint)
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 1)
	return verdict.Verdict(got.Rows[0].Values[0].Num), got.Rows[0].Values[1].Text, got.Rows[0]
}

func TestAServerLetsInAndAnswers(t *testing.T) {
	v, says, row := check(t, "keeper", lamp, "SELECT 7 AS n", nil)
	assert.Equal(t, verdict.Passes, v, says)
	assert.Equal(t, "lets in, and answers", says)
	assert.Equal(t, 7.0, row.Values[4].Num)
	assert.Positive(t, row.Values[3].Num)
	assert.Greater(t, row.Values[2].Num, row.Values[3].Num, "all of it takes longer than signing in")
}

func TestRowsAndTheirTypes(t *testing.T) {
	columns := []way.Column{{As: "ship", Of: "ship"}, {As: "n", Of: "n"}, {As: "sold", Of: "counter:sold"}, {As: "ok", Of: "ok"},
		{As: "none", Of: "none"}, {As: "odd", Of: "odd"}, {As: "late", Of: "late"}}
	q, got := statement(t, "keeper", lamp, `SELECT * FROM (VALUES ('Tern', 1.5::numeric, 9007199254740992::bigint, true, NULL,
		'NaN'::float8, interval '90 s'), ('Skua', -2, 5, false, NULL, 'Infinity', NULL)) 
		AS x (ship, n, sold, ok, none, odd, late)`, columns, nil)
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 2)
	assert.Equal(t, "Tern", got.Rows[0].Index)
	assert.Equal(t, []derive.Value{
		{Kind: derive.Text, Text: "Tern"}, {Kind: derive.Gauge, Num: 1.5}, {Kind: derive.Counter64, Count: 1 << 53},
		{Kind: derive.Gauge, Num: 1}, {}, {}, {Kind: derive.Text, Text: "00:01:30"},
	}, got.Rows[0].Values)
	assert.Equal(t, derive.Value{Kind: derive.Gauge}, got.Rows[1].Values[3])
	told := fmt.Sprint(q.Exchange.Lines)
	assert.Contains(t, told, "pg_stat_statements is not in this database")
	assert.NotContains(t, told, "missing a right")
	assert.Contains(t, told, "2 rows: ship, n, sold")
}

func TestWhatTheAccountMayDoIsTold(t *testing.T) {
	q, _ := statement(t, "owl", lamp, "SELECT 1 AS n", checked, nil)
	assert.Contains(t, fmt.Sprint(q.Exchange.Lines), "owl is a superuser, which is more than it needs")
	q, _ = statement(t, "gull", lamp, "SELECT 1 AS n", checked, nil)
	assert.Contains(t, fmt.Sprint(q.Exchange.Lines), "gull is missing a right: GRANT pg_monitor TO gull")
}

func TestWhatIsWrongIsToldApart(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	_, closed, _ := net.SplitHostPort(l.Addr().String())
	l.Close()
	for name, c := range map[string]struct {
		user, password, query string
		endpoint              way.Settings
		verdict               verdict.Verdict
		says                  string
	}{
		"password": {"keeper", "another rope", "SELECT 1 AS n", nil, verdict.SignInFailed, "the user or its password is not taken"},
		"nobody":   {"ghost", "another rope", "SELECT 1 AS n", nil, verdict.SignInFailed, "the user or its password is not taken"},
		"database": {"keeper", lamp, "SELECT 1 AS n", way.Settings{"database": "boats"}, verdict.Unexpected,
			"there is no database “boats”"},
		"closed": {"keeper", lamp, "SELECT 1 AS n", way.Settings{"port": closed}, verdict.Refused, "the connection is refused"},
		"no TLS": {"keeper", lamp, "SELECT 1 AS n", way.Settings{"security": "TLS"}, verdict.TLSFailed, "it offers no TLS"},
		"slow":   {"keeper", lamp, "SELECT pg_sleep(60), 1 AS n", nil, verdict.TimedOut, "2s"},
		"right": {"gull", lamp, "SELECT count(*) AS n FROM fares", nil, verdict.Unexpected,
			"a right is missing: permission denied for table fares"},
		"two":      {"keeper", lamp, "SELECT 1 AS n; SELECT 2 AS n", nil, verdict.Unexpected, "the statement is not understood"},
		"nonsense": {"keeper", lamp, "SELEKT 1", nil, verdict.Unexpected, "the statement is not understood"},
		"change": {"owl", lamp, "INSERT INTO fares VALUES ('Tern', 1) RETURNING 1 AS n", nil, verdict.Unexpected,
			"the statement would change something, and was not run"},
		"make": {"owl", lamp, "CREATE TABLE x ()", nil, verdict.Unexpected,
			"the statement would change something, and was not run"},
		"end":   {"owl", lamp, "COMMIT", nil, verdict.Unexpected, "the statement brings no columns"},
		"shape": {"keeper", lamp, "SELECT 1 AS m", nil, verdict.Unexpected, "it brings no column “n”; it brings m"},
		"many": {"keeper", lamp, "SELECT n FROM generate_series(1, 2) AS n", nil, verdict.Unexpected,
			"it brings 2 rows, where one is expected"},
		"none": {"keeper", lamp, "SELECT 1 AS n WHERE false", nil, verdict.Unexpected,
			"it brings 0 rows, where one is expected"},
		"too many": {"keeper", lamp, "SELECT n FROM generate_series(1, 9000) AS n", nil, verdict.Unexpected,
			"it brings more than 50 rows"},
		"large":   {"keeper", lamp, "SELECT repeat('x', 6000000) AS n", nil, verdict.ProtocolError, "which is more than is read"},
		"by zero": {"keeper", lamp, "SELECT 1/0 AS n", nil, verdict.Unexpected, "it refuses: division by zero (22012)"},
		"many things": {"keeper", lamp, "SELECT repeat('x', 3000000) AS n FROM generate_series(1, 3)", nil, verdict.ProtocolError,
			"8 MiB"},
	} {
		v, says, row := check(t, c.user, c.password, c.query, c.endpoint)
		assert.Equal(t, c.verdict, v, "%s: %s", name, says)
		assert.Contains(t, says, c.says, name)
		assert.Equal(t, derive.Missing, row.Values[2].Kind, name)
	}
}

// Without a verdict, what is wrong is a failure of asking, of a kind.
func TestWithoutAVerdictItIsAFailure(t *testing.T) {
	columns := []way.Column{{As: "n", Of: "n"}}
	for kind, c := range map[derive.Failure]struct{ password, query string }{
		derive.Denied: {"another rope", "SELECT 1 AS n"},
		derive.Silent: {lamp, "SELECT pg_sleep(60), 1 AS n"},
		derive.Wrong:  {lamp, "SELECT 1 AS m"},
	} {
		_, got := statement(t, "keeper", c.password, c.query, columns, nil)
		assert.Equal(t, kind, got.Kind(), got.Error)
	}
	_, got := statement(t, "keeper", lamp, "SELECT 'a' AS n UNION ALL SELECT 'a'", columns, nil)
	assert.Contains(t, got.Error, "two rows begin with “a”")
	w := Driver.Way(waytest.Loopback(t))
	q := waytest.Question(t, w, way.Settings{"query": "SELECT 1"})
	assert.Equal(t, derive.Withheld, ways.List{w}.Ask(t.Context(), q).Failure, "without a credential nothing is asked")
	q.Credential = way.Opened{Kind: Driver.Account, Settings: way.Settings{"user": "keeper"}}
	q.Endpoint, q.Address = way.Settings{"port": port}, netip.MustParseAddr("169.254.169.254")
	assert.Equal(t, derive.Unable, ways.List{w}.Ask(t.Context(), q).Failure, "what may not be talked to says nothing of the server")
}

// message is one of the protocol: a kind, and how long it says that it is.
func message(kind byte, length uint32, body string) string {
	return string(append([]byte{kind}, binary.BigEndian.AppendUint32(nil, length)...)) + body
}

func TestAHostileServer(t *testing.T) {
	for name, c := range map[string]struct {
		answer  string
		verdict verdict.Verdict
		says    string
	}{
		"it wants the password itself": {message('R', 8, "\x00\x00\x00\x03"), verdict.SignInFailed, "it wants the password itself"},
		"a message of two gigabytes":   {message('R', 0x7fffffff, "x"), verdict.ProtocolError, "more than is read"},
		"another protocol":             {"HTTP/1.1 400 Bad Request\r\n\r\n", verdict.ProtocolError, ""},
		"nothing":                      {"", verdict.TimedOut, "it does not answer within 2s"},
	} {
		var heard strings.Builder
		at := waytest.Serve(t, func(conn net.Conn) {
			buf := make([]byte, 4096)
			n, _ := conn.Read(buf)
			heard.Write(buf[:n])
			_, _ = conn.Write([]byte(c.answer))
			n, _ = conn.Read(buf)
			heard.Write(buf[:n])
		})
		v, says, _ := check(t, "keeper", lamp, "SELECT 1 AS n", way.Settings{"port": at, "security": "plain"})
		assert.Equal(t, c.verdict, v, "%s: %s", name, says)
		assert.Contains(t, says, c.says, name)
		assert.NotContains(t, heard.String(), lamp)
	}
}
