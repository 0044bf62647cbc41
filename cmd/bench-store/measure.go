package main

import (
	"context"
	"math"
	"math/rand/v2"
	"syscall"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
)

type bench struct {
	series    int
	plain     int
	warm      int
	sustained time.Duration
	figures   []figure
	open      func() (*store.Store, error)
	db        *store.Store
}

// fresh makes the database empty and opens it.
func (b *bench) fresh(ctx context.Context) (err error) {
	if b.db, err = b.open(); err != nil {
		return err
	}
	if err := b.db.Wipe(ctx); err != nil {
		return err
	}
	b.db.Close()
	if b.db, err = b.open(); err != nil {
		return err
	}
	_, err = b.db.Migrate(ctx)
	return err
}

// cpu is the processor time that this process has used.
func cpu() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// value is realistic: constants, counters' rates with six digits, shares with
// one decimal, states, and answer times with three decimals.
func value(series int, step int, r *rand.Rand) float64 {
	wave := math.Sin(float64(step)/120 + float64(series))
	switch series % 5 {
	case 0:
		return 0
	case 1:
		return math.Round((3e8+2e8*wave+3e6*r.NormFloat64())/1e3) * 1e3
	case 2:
		return math.Round((40+20*wave+r.NormFloat64())*10) / 10
	case 3:
		return float64(1 + step/4000%2)
	}
	return math.Round((2+wave/2+r.NormFloat64()/10)*1000) / 1000
}

// round is one value of each series.
func round(n, step int, at time.Time, r *rand.Rand) []domain.SeriesSample {
	out := make([]domain.SeriesSample, n)
	for i := range out {
		out[i] = domain.SeriesSample{SeriesID: int64(i + 1), Sample: domain.Sample{At: at, Value: value(i, step, r)}}
	}
	return out
}
