package sim

import (
	"context"
	"fmt"
	"log/slog"
	"path/filepath"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/localpg"
)

// keep starts, stops, harms and mends the pair, as drills want it.
func (b *booking) keep(ctx context.Context) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.active = b.kept(ctx, b.active, "active", databaseActive, "database")
	b.standby = b.kept(ctx, b.standby, "standby", databaseStandby, "standby database")
	for _, h := range []harm{
		{"database", "long", b.active, b.long},
		{"database", "locks", b.active, b.locks},
		{"database", "full", b.active, b.full},
		{"standby database", "apply", b.standby, b.noApply},
		{"standby database", "receiver", b.standby, b.noReceiver},
	} {
		end, harmed := b.harmed[h.mode]
		switch wanted := h.to != nil && b.estate.faults.broken(h.service, h.mode); {
		case harmed && !wanted:
			end()
			delete(b.harmed, h.mode)
		case !harmed && wanted:
			b.harmed[h.mode] = h.begin(ctx)
		}
	}
}

// harm is something that is done to a server until it is ended.
type harm struct {
	service, mode string
	to            *localpg.Server
	do            func(ctx context.Context, to *localpg.Server) error
}

// begin does it, and returns what ends it.
func (h harm) begin(ctx context.Context) (end func()) {
	ctx, end = context.WithCancel(ctx)
	go func() {
		if err := h.do(ctx, h.to); err != nil && ctx.Err() == nil {
			slog.Error("the booking database is not harmed as it was told", "mode", h.mode, "error", err)
		}
	}()
	return end
}

// kept is a server that runs or is stopped, as its device and drills want it.
func (b *booking) kept(ctx context.Context, s *localpg.Server, dir, device, service string) *localpg.Server {
	up := b.estate.byName[device].Answers(time.Now()) && !b.estate.faults.broken(service, "closed")
	switch {
	case s != nil && !up:
		for mode, end := range b.harmed { // whatever it was: it begins anew with the server
			end()
			delete(b.harmed, mode)
		}
		s.Stop()
		return nil
	case s == nil && up:
		s, err := localpg.Start(ctx, filepath.Join(b.dir, dir), b.options(device))
		if err != nil {
			slog.Error("the booking database does not start again", "error", err)
			return nil
		}
		return s
	}
	return s
}

// long runs a statement that does not end by itself.
func (b *booking) long(ctx context.Context, to *localpg.Server) error {
	return hold(ctx, to, 1, "SET application_name = 'year-end report'", "SELECT pg_sleep(1e6), count(*) FROM bookings")
}

// locks leaves a transaction open, and has others wait for it.
func (b *booking) locks(ctx context.Context, to *localpg.Server) error {
	err := hold(ctx, to, 1, "SET application_name = 'timetable editor'", "BEGIN; LOCK TABLE backups IN ACCESS EXCLUSIVE MODE", "")
	if err != nil {
		return err
	}
	return hold(ctx, to, 8, "SET application_name = 'booking web'", "SELECT count(*) FROM backups")
}

// full uses up the connections that are allowed.
func (b *booking) full(ctx context.Context, to *localpg.Server) error {
	return hold(ctx, to, 40, "SET application_name = 'booking web'", "")
}

// hold keeps connections open, each with what it does, until the context ends. An empty statement waits.
func hold(ctx context.Context, to *localpg.Server, connections int, statements ...string) error {
	address, err := pgx.ParseConfig(to.URL)
	if err != nil {
		return err
	}
	address.User, address.Password = bookingClerk.User, bookingClerk.Password
	for range connections {
		go func() {
			for ctx.Err() == nil {
				_ = held(ctx, address, statements)
				select {
				case <-ctx.Done():
				case <-time.After(2 * time.Second):
				}
			}
		}()
	}
	return nil
}

func held(ctx context.Context, address *pgx.ConnConfig, statements []string) error {
	conn, err := pgx.ConnectConfig(ctx, address)
	if err != nil {
		return err
	}
	defer conn.Close(context.Background())
	for _, s := range statements {
		if s == "" {
			<-ctx.Done()
			return nil
		}
		if _, err := conn.Exec(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// bookingClerk is as whom the booking programs sign in, with no rights beyond theirs.
var bookingClerk = SignIn{"clerk", "crossing-by-night"}

// noApply pauses applying, until the context ends.
func (b *booking) noApply(ctx context.Context, standby *localpg.Server) error {
	err := b.do(ctx, standby, "SELECT pg_wal_replay_pause()")
	<-ctx.Done()
	_ = b.do(context.Background(), standby, "SELECT pg_wal_replay_resume()")
	return err
}

// noReceiver takes away where it receives from, until the context ends.
func (b *booking) noReceiver(ctx context.Context, standby *localpg.Server) error {
	from := b.conninfo()
	err := b.receiveFrom(ctx, standby, "")
	<-ctx.Done()
	_ = b.receiveFrom(context.Background(), standby, from)
	return err
}

func (b *booking) receiveFrom(ctx context.Context, standby *localpg.Server, conninfo string) error {
	if err := b.do(ctx, standby, fmt.Sprintf("ALTER SYSTEM SET primary_conninfo = '%s'", conninfo)); err != nil {
		return err
	}
	return b.do(ctx, standby, "SELECT pg_reload_conf()")
}
