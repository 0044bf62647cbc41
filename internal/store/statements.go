package store

import (
	"context"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
)

// Statements counts what the database is asked on behalf of one context, such
// as a page: how often, what, and how long that took in all.
type Statements struct {
	mu   sync.Mutex
	SQL  []string
	Took time.Duration
}

// Count returns how many statements there were.
func (s *Statements) Count() int {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.SQL)
}

type statementsKey struct{}

// CountStatements returns a context whose statements are counted.
func CountStatements(ctx context.Context) (context.Context, *Statements) {
	s := &Statements{}
	return context.WithValue(ctx, statementsKey{}, s), s
}

// tracer notes statements of contexts that ask for it.
type tracer struct{}

type startedKey struct{}

// TraceQueryStart implements pgx.QueryTracer.
func (tracer) TraceQueryStart(ctx context.Context, _ *pgx.Conn, q pgx.TraceQueryStartData) context.Context {
	s, ok := ctx.Value(statementsKey{}).(*Statements)
	if !ok {
		return ctx
	}
	s.mu.Lock()
	s.SQL = append(s.SQL, q.SQL)
	s.mu.Unlock()
	return context.WithValue(ctx, startedKey{}, time.Now())
}

// TraceQueryEnd implements pgx.QueryTracer.
func (tracer) TraceQueryEnd(ctx context.Context, _ *pgx.Conn, _ pgx.TraceQueryEndData) {
	s, ok := ctx.Value(statementsKey{}).(*Statements)
	began, timed := ctx.Value(startedKey{}).(time.Time)
	if ok && timed {
		s.mu.Lock()
		s.Took += time.Since(began)
		s.mu.Unlock()
	}
}
