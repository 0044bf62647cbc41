package sim

import (
	"context"
	"net/netip"
	"os"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/localpg"
)

// What is wrong with the booking database is really wrong: a standby that applies nothing, or receives nothing, and a
// statement that runs on; and all of it is mended.
func TestTheBookingDatabaseIsHarmedAndMended(t *testing.T) {
	dir, err := os.MkdirTemp("", "owl-booking-") // below it the user of the server gets through
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	require.NoError(t, os.Chmod(dir, 0o755))
	e := NewEstate(netip.MustParseAddr("127.94.0.0"), time.Now().UTC())
	require.NoError(t, e.serve(Settings{Watcher: keeper, Databases: true}))
	b := &booking{estate: e, dir: dir + "/booking", who: keeper, harmed: map[string]func(){}}
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { b.run(ctx); close(ended) }()
	t.Cleanup(func() { cancel(); <-ended })
	is := func(of func() *localpg.Server, question, want string) {
		t.Helper()
		require.Eventually(t, func() bool {
			b.mu.Lock()
			s := of()
			b.mu.Unlock()
			return s != nil && scalar(ctx, s.URL, question) == want
		}, 60*time.Second, 100*time.Millisecond, question)
	}
	active := func() *localpg.Server { return b.active }
	standby := func() *localpg.Server { return b.standby }
	harm := func(service, mode string) (mend func()) {
		t.Helper()
		f, err := e.faults.add(Fault{Kind: FaultService, Target: service, Mode: mode}, time.Now())
		require.NoError(t, err)
		return func() { e.faults.remove(f.ID, time.Now()) }
	}
	const receives = "SELECT count(*)::text FROM pg_stat_wal_receiver WHERE status = 'streaming'"
	is(standby, receives, "1")
	is(active, "SELECT (count(*) > 3)::text FROM bookings", "true")

	mend := harm("standby database", "apply")
	is(standby, "SELECT pg_is_wal_replay_paused()::text", "true")
	mend()
	is(standby, "SELECT pg_is_wal_replay_paused()::text", "false")
	mend = harm("standby database", "receiver")
	is(standby, receives, "0")
	mend()
	is(standby, receives, "1")

	const long = "SELECT count(*)::text FROM pg_stat_activity WHERE state = 'active' AND application_name = 'year-end report'"
	mend = harm("database", "long")
	is(active, long, "1")
	mend()
	is(active, long, "0")
	mend = harm("database", "closed")
	require.Eventually(t, func() bool { b.mu.Lock(); defer b.mu.Unlock(); return b.active == nil }, 30*time.Second, 50*time.Millisecond)
	mend()
	is(active, "SELECT 'back'", "back")
	is(standby, receives, "1")
	assert.NotContains(t, scalar(ctx, b.active.URL, "SELECT rolsuper::text FROM pg_roles WHERE rolname = 'keeper'"), "true")
}

func scalar(ctx context.Context, address, question string) (text string) {
	ctx, cancel := context.WithTimeout(ctx, 3*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, address)
	if err != nil {
		return err.Error()
	}
	defer conn.Close(ctx)
	if err := conn.QueryRow(ctx, question).Scan(&text); err != nil {
		return err.Error()
	}
	return text
}
