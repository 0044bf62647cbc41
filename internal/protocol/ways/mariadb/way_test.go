package mariadb

import (
	"encoding/binary"
	"fmt"
	"net"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/protocol/ways"
	"tirelessowl/internal/protocol/ways/waytest"
)

const lamp = "a lamp on the pier"

// server speaks as much of the protocol as is needed here: packets of three bytes of length and a number.
type server struct {
	net.Conn
	next byte
}

func (s *server) write(body string) {
	head := binary.LittleEndian.AppendUint32(nil, uint32(len(body)))
	head[3] = s.next
	s.next++
	_, _ = s.Conn.Write(append(head, body...))
}

func (s *server) read() string {
	head := make([]byte, 4)
	if _, err := s.Conn.Read(head); err != nil {
		return ""
	}
	s.next = head[3] + 1
	body := make([]byte, int(head[0])|int(head[1])<<8|int(head[2])<<16)
	_, _ = s.Conn.Read(body)
	return string(body)
}

const (
	salt = "12345678" + "123456789012"
	ok   = "\x00\x00\x00\x02\x00\x00\x00"
	end  = "\xfe\x00\x00\x02\x00"
)

func refusal(code uint16, text string) string {
	return "\xff" + string(binary.LittleEndian.AppendUint16(nil, code)) + "#HY000" + text
}

func long(s string) string { return string(rune(len(s))) + s }

// greet says who is there (protocol version 10), and reads who comes.
func (s *server) greet(plugin string) {
	capabilities := "\x00\xa2" + "\x21\x02\x00" + "\x08\x00" // 4.1, secure connection, plug-ins; with a database
	s.write("\x0a10.11.0-pier\x00" + "\x01\x00\x00\x00" + salt[:8] + "\x00" + capabilities + "\x15" + strings.Repeat("\x00", 10) +
		salt[8:] + "\x00" + plugin + "\x00")
	s.read()
}

// column describes one of a result: its name and its type.
func column(name string, kind byte) string {
	return long("def") + long("") + long("") + long("") + long(name) + long(name) + "\x0c\x21\x00\xff\x00\x00\x00" + string([]byte{kind}) +
		"\x00\x00\x00\x00\x00"
}

// answers serves what statements bring; what is not among them is taken.
func answers(t *testing.T, by map[string]func(*server)) string {
	return waytest.Serve(t, func(c net.Conn) {
		s := &server{Conn: c}
		s.greet("mysql_native_password")
		s.write(ok)
		for {
			said := s.read()
			if len(said) < 2 || said[0] != 3 { // COM_QUERY
				return
			}
			if f, there := by[said[1:]]; there {
				f(s)
			} else {
				s.write(ok)
			}
		}
	})
}

func ask(t *testing.T, port, query string, columns []way.Column) (way.Question, derive.Fetched) {
	t.Helper()
	w := Driver.Way(waytest.Loopback(t))
	q := waytest.Question(t, w, way.Settings{"query": query, "timeout": "2s", "rows": "2"})
	endpoint, errs := field.Check(w.Endpoint, way.Settings{"port": port, "database": "boats"})
	require.Empty(t, errs)
	q.Endpoint, q.Columns = endpoint, columns
	q.Credential = way.Opened{Kind: Driver.Account, Settings: way.Settings{"user": "keeper"}, Secrets: domain.Secrets{"password": lamp}}
	got := ways.List{w}.Ask(t.Context(), q)
	assert.NotContains(t, fmt.Sprint(got, q.Exchange.Lines), lamp)
	return q, got
}

var checked = []way.Column{{As: "verdict", Of: "@verdict"}, {As: "says", Of: "@says"}, {As: "n", Of: "n"}}

func TestRowsAndTheirTypes(t *testing.T) {
	port := answers(t, map[string]func(*server){
		"SHOW GRANTS": func(s *server) {
			s.write("\x01")
			s.write(column("Grants", 0xfd))
			s.write(end)
			s.write(long("GRANT PROCESS ON *.* TO `keeper`@`%`"))
			s.write(end)
		},
		"SELECT ship, n FROM fares": func(s *server) {
			s.write("\x02")
			s.write(column("ship", 0xfd)) // VARCHAR
			s.write(column("n", 0x03))    // INT
			s.write(end)
			s.write(long("Tern") + long("12"))
			s.write(long("Skua") + "\xfb") // NULL
			s.write(end)
		},
	})
	columns := []way.Column{{As: "ship", Of: "ship"}, {As: "n", Of: "n"}}
	q, got := ask(t, port, "SELECT ship, n FROM fares", columns)
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 2)
	assert.Equal(t, "Tern", got.Rows[0].Index)
	assert.Equal(t, []derive.Value{{Kind: derive.Text, Text: "Tern"}, {Kind: derive.Gauge, Num: 12}}, got.Rows[0].Values)
	assert.Equal(t, derive.Missing, got.Rows[1].Values[1].Kind)
	told := fmt.Sprint(q.Exchange.Lines)
	assert.Contains(t, told, "keeper is missing a right: GRANT REPLICA MONITOR ON *.* TO keeper")
	assert.NotContains(t, told, "GRANT PROCESS")
}

func TestWhatIsWrongIsToldApart(t *testing.T) {
	for code, c := range map[uint16]struct {
		verdict verdict.Verdict
		says    string
	}{
		1045: {verdict.SignInFailed, "the user or its password is not taken"},
		1130: {verdict.SignInFailed, "it lets nobody in from this machine"},
		1049: {verdict.Unexpected, "the database “boats” is not there for this user"},
		1040: {verdict.Unexpected, "it has as many connections as it allows, and lets in no further one"},
		1227: {verdict.Unexpected, "a right is missing: said so"},
		1969: {verdict.TimedOut, "the statement takes longer than 2s, and was stopped"},
		1205: {verdict.TimedOut, "the statement waited too long for a lock, and was stopped"},
		1792: {verdict.Unexpected, "the statement would change something, and was not run: said so"},
		1064: {verdict.Unexpected, "the statement is not understood: said so"},
		1690: {verdict.Unexpected, "it refuses: said so (1690)"},
	} {
		port := answers(t, map[string]func(*server){"SELECT 1 AS n": func(s *server) { s.write(refusal(code, "said so")) }})
		_, got := ask(t, port, "SELECT 1 AS n", checked)
		require.Empty(t, got.Error)
		assert.Equal(t, float64(c.verdict), got.Rows[0].Values[0].Num, code)
		assert.Equal(t, c.says, got.Rows[0].Values[1].Text)
	}
}

func TestAHostileServer(t *testing.T) {
	for name, c := range map[string]struct {
		serve   func(net.Conn)
		verdict verdict.Verdict
		says    string
	}{
		"it wants the password itself": {func(conn net.Conn) {
			s := &server{Conn: conn}
			s.greet("mysql_native_password")
			s.write("\xfemysql_clear_password\x00")
			assert.NotContains(t, s.read(), lamp)
		}, verdict.SignInFailed, "it wants the password itself"},
		"another protocol": {func(conn net.Conn) { _, _ = conn.Write([]byte("HTTP/1.1 400 Bad Request\r\n\r\n")) },
			verdict.ProtocolError, ""},
		"endless": {func(conn net.Conn) {
			s := &server{Conn: conn}
			s.greet("mysql_native_password")
			for range 100 {
				s.write(strings.Repeat("x", 1<<20))
			}
		}, verdict.ProtocolError, ""},
		"silent": {func(conn net.Conn) { _, _ = conn.Read(make([]byte, 1)) }, verdict.TimedOut, "it does not answer within 2s"},
	} {
		_, got := ask(t, waytest.Serve(t, c.serve), "SELECT 1 AS n", checked)
		require.Empty(t, got.Error, name)
		assert.Equal(t, float64(c.verdict), got.Rows[0].Values[0].Num, "%s: %s", name, got.Rows[0].Values[1].Text)
		assert.Contains(t, got.Rows[0].Values[1].Text, c.says, name)
	}
}
