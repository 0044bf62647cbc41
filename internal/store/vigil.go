package store

import (
	"context"
	"errors"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// How often the database is looked at, and how long it may take to answer until
// it counts as away.
const (
	vigilEvery = 500 * time.Millisecond
	vigilLimit = 2 * time.Second
)

var errWentAway = errors.New("the database went away")

// Vigil looks at the database again and again, on a connection of its own, so
// that others know at once when it is away.
type Vigil struct {
	// Explain tells what is being done about it, in words; may be nil.
	Explain func() string

	config *pgx.ConnConfig
	conn   *pgx.Conn
	mu     sync.Mutex
	since  time.Time     // when it went away; zero while it is there
	cause  error         // why
	turned chan struct{} // closed when it comes or goes
}

func newVigil(config *pgx.ConnConfig) *Vigil {
	config = config.Copy()
	config.ConnectTimeout = vigilLimit
	config.Tracer = nil
	return &Vigil{config: config, turned: make(chan struct{})}
}

// Run looks until the context ends.
func (v *Vigil) Run(ctx context.Context) {
	tick := time.NewTicker(vigilEvery)
	defer tick.Stop()
	for {
		began := time.Now()
		err := v.look(ctx)
		if ctx.Err() == nil {
			v.found(began, err)
		}
		select {
		case <-ctx.Done():
			v.close()
			return
		case <-tick.C:
		}
	}
}

func (v *Vigil) look(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, vigilLimit)
	defer cancel()
	if v.conn == nil || v.conn.IsClosed() {
		conn, err := pgx.ConnectConfig(ctx, v.config)
		if err != nil {
			return err
		}
		v.conn = conn
	}
	return v.conn.Ping(ctx)
}

func (v *Vigil) close() {
	if v.conn != nil {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		_ = v.conn.Close(ctx)
	}
}

func (v *Vigil) found(at time.Time, err error) {
	v.mu.Lock()
	defer v.mu.Unlock()
	before := v.cause
	v.cause = err
	if (before == nil) == (err == nil) {
		return
	}
	v.since = time.Time{}
	if err != nil {
		v.since = at.UTC()
	}
	close(v.turned)
	v.turned = make(chan struct{})
}

// Away returns since when the database is away, and why; ok is false while it
// is there.
func (v *Vigil) Away() (since time.Time, cause error, ok bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	return v.since, v.cause, v.cause != nil
}

// Explanation tells what is being done about a database that is away; it may be
// empty.
func (v *Vigil) Explanation() string {
	if v.Explain == nil {
		return ""
	}
	return v.Explain()
}

// While returns a context that ends also when the database goes away, or is
// away already.
func (v *Vigil) While(ctx context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancelCause(ctx)
	v.mu.Lock()
	away, turned := v.cause, v.turned
	v.mu.Unlock()
	if away != nil {
		cancel(away)
		return ctx, func() {}
	}
	done := make(chan struct{})
	go func() {
		select {
		case <-turned:
			cancel(errWentAway)
		case <-done:
		}
	}()
	return ctx, sync.OnceFunc(func() { close(done); cancel(nil) })
}
