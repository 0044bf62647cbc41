package sim

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/localpg"
)

// Where the booking database is.
const (
	databasePort    = 5432
	databaseActive  = "booking-db-1"
	databaseStandby = "booking-db-2"
)

var (
	activeModes = []Mode{
		{"long", "a statement runs and does not end"},
		{"locks", "a transaction is left open, and others wait for its locks"},
		{"full", "its connections are used up"},
		{"closed", "the server is stopped"},
	}
	standbyModes = []Mode{
		{"apply", "it applies nothing"},
		{"receiver", "it receives nothing"},
		{"closed", "the server is stopped"},
	}
)

// booking is the booking database: a real pair of PostgreSQL servers, the second of which follows the first, with people
// who book. What is wrong with it is really wrong.
type booking struct {
	estate *Estate
	dir    string
	who    SignIn
	origin string // where the active server is reached, also while it does not run

	mu              sync.Mutex
	active, standby *localpg.Server
	harmed          map[string]func() // what ends what is being done to it, by mode
}

func (b *booking) options(device string) localpg.Options {
	return localpg.Options{
		Throwaway: true,
		Adopt:     true,
		Host:      b.estate.byName[device].Address.String(),
		Port:      databasePort,
		Settings: []string{"max_wal_senders=4", "max_connections=30", "shared_buffers=16MB", "max_wal_size=128MB", "wal_keep_size=32MB",
			"shared_preload_libraries=pg_stat_statements", "hot_standby=on", "wal_receiver_timeout=10s", "wal_receiver_status_interval=2s"},
	}
}

// run keeps the pair as drills want it, until the context ends.
func (b *booking) run(ctx context.Context) {
	defer b.stop()
	if err := b.start(ctx); err != nil {
		slog.Error("the booking database of the estate does not run", "error", err)
		return
	}
	if err := hold(ctx, b.active, 6, "SET application_name = 'booking web'", ""); err != nil { // a pool, mostly idle
		slog.Error("nobody waits to book", "error", err)
	}
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		b.keep(ctx)
		if err := b.book(ctx); err != nil && ctx.Err() == nil {
			slog.Debug("nobody books", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func (b *booking) start(ctx context.Context) (err error) {
	if err := os.MkdirAll(b.dir, localpg.ThroughOnly()); err != nil {
		return err
	}
	if b.active, err = localpg.Start(ctx, filepath.Join(b.dir, "active"), b.options(databaseActive)); err != nil {
		return err
	}
	b.origin = b.active.URL
	if err := b.prepare(ctx); err != nil {
		return err
	}
	opt := b.options(databaseStandby)
	opt.CopyOf = b.active
	b.standby, err = localpg.Start(ctx, filepath.Join(b.dir, "standby"), opt)
	return err
}

// prepare makes what people book in, and whoever watches over it.
func (b *booking) prepare(ctx context.Context) error {
	for _, statement := range []string{
		"CREATE TABLE IF NOT EXISTS bookings (id bigserial PRIMARY KEY, sailing text NOT NULL, booked timestamptz NOT NULL DEFAULT now())",
		"CREATE TABLE IF NOT EXISTS backups (ended timestamptz NOT NULL, good boolean NOT NULL)",
		"INSERT INTO backups VALUES (date_trunc('day', now()) + interval '3 h 12 min' - interval '1 day', true)",
		"CREATE EXTENSION IF NOT EXISTS pg_stat_statements",
		fmt.Sprintf(`DO $$ BEGIN CREATE ROLE %q LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$`, b.who.User),
		fmt.Sprintf("ALTER ROLE %q PASSWORD '%s'", b.who.User, b.who.Password),
		fmt.Sprintf("GRANT pg_monitor TO %q", b.who.User),
		fmt.Sprintf("GRANT SELECT ON bookings, backups TO %q", b.who.User),
		fmt.Sprintf(`DO $$ BEGIN CREATE ROLE %q LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$`, bookingClerk.User),
		fmt.Sprintf("ALTER ROLE %q PASSWORD '%s'", bookingClerk.User, bookingClerk.Password),
		fmt.Sprintf("GRANT ALL ON bookings, backups TO %q", bookingClerk.User),
	} {
		if err := b.do(ctx, b.active, statement); err != nil {
			return err
		}
	}
	return nil
}

func (b *booking) stop() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, end := range b.harmed {
		end()
	}
	b.standby.Stop()
	b.active.Stop()
}

func (b *booking) do(ctx context.Context, s *localpg.Server, statement string) error {
	if s == nil {
		return errors.New("it does not run")
	}
	ctx, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, statement)
	return err
}

// book has people book, a few in a second; old bookings go, and each night a back-up is made.
func (b *booking) book(ctx context.Context) error {
	b.mu.Lock()
	active := b.active
	b.mu.Unlock()
	return b.do(ctx, active, `INSERT INTO bookings (sailing) SELECT 'Sandhaven ' || n FROM generate_series(1, 1 + (random() * 6)::int) AS n;
		DELETE FROM bookings WHERE booked < now() - interval '1 h';
		INSERT INTO backups SELECT done, true FROM (SELECT date_trunc('day', now()) + interval '3 h 12 min' AS done) last_night
			WHERE done <= now() AND done NOT IN (SELECT ended FROM backups)`)
}

// conninfo is where the standby receives from.
func (b *booking) conninfo() string {
	u, err := url.Parse(b.origin)
	if err != nil {
		return ""
	}
	password, _ := u.User.Password()
	return fmt.Sprintf("host=%s port=%s user=%s password=%s", u.Hostname(), u.Port(), u.User.Username(), password)
}
