package main

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

// batch is how many samples one commit takes with the plain table: larger
// ones made it no faster. flush is what the application commits in a second at
// a million series.
const (
	batch = 10_000
	flush = 33_334
)

// compare writes the same samples into a table with a primary key and into the
// sample store, a commit for each batch.
func (b *bench) compare(ctx context.Context) error {
	r := rand.New(rand.NewPCG(1, 1))
	start := time.Now().UTC().Truncate(time.Hour)
	var rounds [][]domain.SeriesSample
	for step := range 12 {
		rounds = append(rounds, round(b.plain, step, start.Add(time.Duration(step)*30*time.Second), r))
	}
	if _, err := b.db.Pool().Exec(ctx, "CREATE TABLE plain (series_id bigint, at timestamptz, value float8, PRIMARY KEY "+
		"(series_id, at))"); err != nil {
		return err
	}
	write := func(writers, times, size int, do func([]domain.SeriesSample) error) (float64, error) {
		began, n := time.Now(), 0
		for step := 0; step < times; step += len(rounds) {
			for k, all := range rounds {
				for i := range all {
					all[i].At = start.Add(time.Duration(step+k) * 30 * time.Second)
				}
				if err := inTurn(writers, all, size, do); err != nil {
					return 0, err
				}
				n += len(all)
			}
		}
		return float64(n) / time.Since(began).Seconds(), nil
	}
	var plain [3]float64 // by number of connections
	for _, writers := range []int{1, 2} {
		if _, err := b.db.Pool().Exec(ctx, "TRUNCATE plain"); err != nil {
			return err
		}
		var err error
		plain[writers], err = write(writers, 60, batch, func(part []domain.SeriesSample) error {
			_, err := b.db.Pool().
				CopyFrom(ctx, pgx.Identifier{"plain"}, []string{"series_id", "at", "value"},
					pgx.CopyFromSlice(len(part), func(i int) ([]any, error) {
						return []any{part[i].SeriesID, part[i].At, part[i].Value}, nil
					}))
			return err
		})
		if err != nil {
			return err
		}
		b.add(fmt.Sprintf("plain table with primary key, COPY, %d connections", writers), plain[writers], "samples/s", "")
	}
	// A chunk holds 60 samples of each series, as with one in 30 s.
	const chunks = 4
	if err := b.db.Samples.Start(ctx, samples.Options{SealEvery: time.Duration(60*b.plain/3_000) * time.Millisecond}); err != nil {
		return err
	}
	began := time.Now()
	if _, err := write(2, chunks*60, flush, func(part []domain.SeriesSample) error { return b.db.Samples.Append(ctx, part) }); err != nil {
		return err
	}
	b.db.Samples.Stop() // sealing is part of the work
	ours := float64(chunks*60*b.plain) / time.Since(began).Seconds()
	b.add("sample store, commit for each batch, sealed to chunks", ours, "samples/s", "")
	b.add("  ratio to the plain table with one connection", ours/plain[1], "×", "≥ 8")
	b.add("  ratio to the plain table with two", ours/plain[2], "×", "")
	return nil
}

// inTurn gives parts of a size to some goroutines.
func inTurn(writers int, all []domain.SeriesSample, size int, do func([]domain.SeriesSample) error) error {
	parts, failed := make(chan []domain.SeriesSample), make(chan error, writers)
	for range writers {
		go func() {
			var err error
			for part := range parts {
				if err == nil {
					err = do(part)
				}
			}
			failed <- err
		}()
	}
	for part := range slices.Chunk(all, size) {
		parts <- part
	}
	close(parts)
	var err error
	for range writers {
		err = errors.Join(err, <-failed)
	}
	return err
}
