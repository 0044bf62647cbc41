// Package reference measures fixed things, so that figures of different days
// and machines can be compared: each bench prints them with its own.
package reference

import (
	"context"
	"crypto/sha256"
	"slices"
	"time"

	"tirelessowl/internal/store"
)

// Figure is one reference.
type Figure struct {
	Name  string
	Value float64
	Unit  string
}

// Measure measures a fixed calculation, the round trip to PostgreSQL, and a
// fixed query. Each is a median.
func Measure(ctx context.Context, s *store.Store) ([]Figure, error) {
	trip, err := median(101, func() error {
		_, err := s.Pool().Exec(ctx, "SELECT 1")
		return err
	})
	if err != nil {
		return nil, err
	}
	query, err := median(11, func() error {
		_, err := s.Pool().Exec(ctx, "SELECT sum(i * i) FROM generate_series(1::bigint, 200000) i")
		return err
	})
	if err != nil {
		return nil, err
	}
	data := make([]byte, 16<<20)
	calculation, err := median(5, func() error { _ = sha256.Sum256(data); return nil })
	return []Figure{
		{"reference: SHA-256 of 16 MiB", 1000 * calculation.Seconds(), "ms"},
		{"reference: round trip to PostgreSQL", 1000 * trip.Seconds(), "ms"},
		{"reference: sum of 200,000 squares in PostgreSQL", 1000 * query.Seconds(), "ms"},
	}, err
}

func median(n int, f func() error) (time.Duration, error) {
	var took []time.Duration
	for range n {
		start := time.Now()
		if err := f(); err != nil {
			return 0, err
		}
		took = append(took, time.Since(start))
	}
	slices.Sort(took)
	return took[n/2], nil
}
