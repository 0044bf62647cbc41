// Package waytest asks services on loopback as the tests of ways that check them do.
package waytest

import (
	"net"
	"net/netip"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/core/field"
	"tirelessowl/internal/core/guard"
	"tirelessowl/internal/core/ranges"
	"tirelessowl/internal/core/verdict"
	"tirelessowl/internal/core/way"
	"tirelessowl/internal/protocol/dial"
	"tirelessowl/internal/protocol/ways"
)

// Loopback connects to loopback addresses, and to others that are not our own.
func Loopback(t testing.TB) dial.Func {
	t.Helper()
	loopback, err := ranges.Read("127.0.0.0/8")
	require.NoError(t, err)
	return dial.Through(guard.New(loopback, ranges.Set{}))
}

// Serve lets connections in, each served by itself and closed then, and returns the port.
func Serve(t testing.TB, serve func(net.Conn)) (port string) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go func() {
				defer conn.Close()
				serve(conn)
			}()
		}
	}()
	return strconv.Itoa(l.Addr().(*net.TCPAddr).Port)
}

// Question is a question by a way to 127.0.0.1, with settings beyond the usual ones.
func Question(t testing.TB, w ways.Way, ask way.Settings) way.Question {
	t.Helper()
	usual, errs := field.Check(w.Way.Ask, ask)
	require.Empty(t, errs)
	return way.Question{Way: w.Name, Address: netip.MustParseAddr("127.0.0.1"), Ask: usual, Exchange: way.NewExchange(time.Now())}
}

// Seen is what a check came to.
type Seen struct {
	Verdict verdict.Verdict
	Says    string
	By      map[string]derive.Value // all of it, by the names of the columns
}

// Has tells whether something was measured.
func (s Seen) Has(column string) bool { return s.By[column].Kind != derive.Missing }

// Look reads an answer, which must be one row and no failure of asking.
func Look(t testing.TB, w ways.Way, got derive.Fetched) Seen {
	t.Helper()
	require.Empty(t, got.Error)
	require.Len(t, got.Rows, 1)
	by := map[string]derive.Value{}
	for i, c := range w.Columns(nil) {
		by[c.As] = got.Rows[0].Values[i]
	}
	return Seen{verdict.Verdict(by[verdict.Column].Num), by["says"].Text, by}
}
