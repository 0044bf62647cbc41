package main

import (
	"context"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"runtime/debug"
	"slices"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
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
	if _, err := b.db.Pool().Exec(ctx, "CREATE TABLE plain (series_id bigint, at timestamptz, value float8, PRIMARY KEY (series_id, at))"); err != nil {
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
			_, err := b.db.Pool().CopyFrom(ctx, pgx.Identifier{"plain"}, []string{"series_id", "at", "value"}, pgx.CopyFromSlice(len(part), func(i int) ([]any, error) {
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

// atRest measures bytes a sample of whole days, at regular seconds and with
// jittered milliseconds.
func (b *bench) atRest(ctx context.Context) error {
	const series, days = 500, 3
	for name, jitter := range map[string]int64{"regular seconds": 0, "milliseconds of jitter": 40} {
		if err := b.fresh(ctx); err != nil {
			return err
		}
		r := rand.New(rand.NewPCG(2, 2))
		first := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, -days)
		n := 0
		var past []samples.History
		for i := range series {
			h := samples.History{Series: int64(i + 1)}
			for step := range days * 1440 {
				at := first.Add(time.Duration(step) * time.Minute).UnixMilli()
				if jitter > 0 {
					at += r.Int64N(jitter)
				}
				h.Points = append(h.Points, codec.Point{T: at, V: value(i, step, r)})
				n++
			}
			past = append(past, h)
		}
		if err := b.db.Samples.Import(ctx, past); err != nil {
			return err
		}
		for table, target := range map[string]string{"days": "≤ 2.0", "rollup_5m": "", "rollup_1h": "", "rollup_1d": ""} {
			if jitter > 0 {
				if table != "days" {
					continue
				}
				target = "≤ 3.0"
			}
			var bytes float64
			err := b.db.Pool().QueryRow(ctx, "SELECT sum(pg_total_relation_size(inhrelid))::float8 FROM pg_inherits WHERE inhparent = $1::regclass", table).Scan(&bytes)
			if err != nil {
				return err
			}
			b.add(fmt.Sprintf("at rest with index, %s, %s", name, table), bytes/float64(n), "B/sample", target)
		}
		b.db.Close()
	}
	var err error
	b.db, err = b.open()
	return err
}

// reading measures the median of repeated reads, warm.
func (b *bench) reading(ctx context.Context) error {
	r := rand.New(rand.NewPCG(3, 3))
	const series, days = 20, 30
	today := time.Now().UTC().Truncate(24 * time.Hour)
	var past []samples.History
	for i := range series {
		h := samples.History{Series: int64(i + 1)}
		for step := range days * 1440 {
			h.Points = append(h.Points, codec.Point{T: today.AddDate(0, 0, -days).Add(time.Duration(step) * time.Minute).UnixMilli(), V: value(i, step, r)})
		}
		past = append(past, h)
	}
	long := samples.History{Series: 1000}
	for step := range 400 * 288 {
		long.Points = append(long.Points, codec.Point{T: today.AddDate(0, 0, -400).Add(time.Duration(step) * 5 * time.Minute).UnixMilli(), V: value(2, step, r)})
	}
	if err := b.db.Samples.Import(ctx, append(past, long)); err != nil {
		return err
	}
	if _, err := b.db.Pool().Exec(ctx, "ANALYZE"); err != nil {
		return err
	}
	ids := func(n int) (out []int64) {
		for i := range n {
			out = append(out, int64(i+1))
		}
		return out
	}
	nothing := func(int64, []codec.Step) error { return nil }
	from := today.AddDate(0, 0, -days)
	for _, x := range []struct {
		name, target string
		do           func() error
	}{
		{"30 days of 1 series at 60 s, to 45 min steps", "< 5", func() error {
			_, err := b.db.Samples.Range(ctx, ids(1), from, today, 45*time.Minute, nothing)
			return err
		}},
		{"30 days of 1 series at 60 s, to 44 min steps from every sample", "< 5", func() error {
			_, err := b.db.Samples.Range(ctx, ids(1), from, today, 44*time.Minute, nothing)
			return err
		}},
		{"30 days of 10 series at 60 s, to 45 min steps", "< 25", func() error {
			_, err := b.db.Samples.Range(ctx, ids(10), from, today, 45*time.Minute, nothing)
			return err
		}},
		{"400 days of 1 series from hourly steps, to 10 h steps", "< 10", func() error {
			_, err := b.db.Samples.Range(ctx, []int64{1000}, today.AddDate(0, 0, -400), today, 10*time.Hour, nothing)
			return err
		}},
	} {
		if err := b.median(x.name, x.target, x.do); err != nil {
			return err
		}
	}
	if err := b.db.Samples.Start(ctx, samples.Options{}); err != nil {
		return err
	}
	defer b.db.Samples.Stop()
	if err := b.db.Samples.Append(ctx, round(10_000, 0, today, r)); err != nil {
		return err
	}
	return b.median("the latest values of 10,000 series", "< 20", func() error {
		for id := range int64(10_000) {
			b.db.Samples.LastTwo(id + 1)
		}
		return nil
	})
}

func (b *bench) median(name, target string, do func() error) error {
	var took []float64
	for range 41 {
		began := time.Now()
		if err := do(); err != nil {
			return err
		}
		took = append(took, time.Since(began).Seconds()*1000)
	}
	slices.Sort(took)
	b.add(name, took[len(took)/2], "ms", target)
	return nil
}

// load keeps many series at 30 s each going for a while, then kills nothing but
// forgets everything and starts anew from the journal.
func (b *bench) load(ctx context.Context) error {
	debug.SetGCPercent(50)
	r := rand.New(rand.NewPCG(4, 4))
	if err := b.db.Samples.Start(ctx, samples.Options{}); err != nil {
		return err
	}
	// Half an hour of the past at full speed, so that heads and journal are as
	// they are in the long run.
	start := time.Now().UTC().Add(-30 * time.Minute)
	first := round(b.series, 0, start, r)
	began, warm := time.Now(), 0
	for step := range b.warm {
		for i := range first {
			first[i].At, first[i].Value = start.Add(time.Duration(step)*30*time.Second), value(i, step, r)
		}
		for part := range slices.Chunk(first, 50_000) {
			if err := b.db.Samples.Append(ctx, part); err != nil {
				return err
			}
			warm += len(part)
		}
	}
	b.add(fmt.Sprintf("%d series, at full speed, with making the values", b.series), float64(warm)/time.Since(began).Seconds(), "samples/s", "")
	runtime.GC()
	a := second{batch: first[:b.series/30]}
	usedBefore, dbBefore := cpu(), b.databaseCPU(ctx)
	began = time.Now()
	var took []float64
	taken := 0
	for tick := time.NewTicker(time.Second); time.Since(began) < b.sustained; {
		a.next(first, r)
		t := time.Now()
		if err := b.db.Samples.Append(ctx, a.batch); err != nil {
			return err
		}
		took = append(took, time.Since(t).Seconds()*1000)
		taken += len(a.batch)
		<-tick.C
	}
	seconds := time.Since(began).Seconds()
	slices.Sort(took)
	b.add(fmt.Sprintf("%d series at 30 s: taken", b.series), float64(taken)/seconds, "samples/s", "≥ 33,000")
	b.add("  commit, median", took[len(took)/2], "ms", "")
	b.add("  commit, longest", took[len(took)-1], "ms", "")
	b.add("  processor of the store, with making the values", (cpu()-usedBefore).Seconds()/seconds, "cores", "< 0.5")
	if d := b.databaseCPU(ctx); d > 0 {
		b.add("  processor of PostgreSQL", (d-dbBefore).Seconds()/seconds, "cores", "")
	}
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	b.add("  memory of the process", float64(m.Sys-m.HeapReleased)/1e9, "GB", "< 1.5")
	again, err := b.open()
	if err != nil {
		return err
	}
	defer again.Close()
	runtime.GC()
	began = time.Now()
	if err := again.Samples.Load(ctx); err != nil {
		return err
	}
	b.add("  start after a crash: journal replayed, all heads there", time.Since(began).Seconds(), "s", "< 10")
	b.db.Samples.Stop()
	again2, err := b.open()
	if err != nil {
		return err
	}
	defer again2.Close()
	began = time.Now()
	if err := again2.Samples.Load(ctx); err != nil {
		return err
	}
	b.add("  start after a clean end", time.Since(began).Seconds(), "s", "< 10")
	return nil
}

// second makes the load of one second: a thirtieth of all series.
type second struct {
	batch []domain.SeriesSample
	step  int
}

func (s *second) next(all []domain.SeriesSample, r *rand.Rand) {
	n := len(s.batch)
	at := time.Now().UTC()
	begin := (s.step % 30) * n
	s.batch = all[begin : begin+n]
	for i := range s.batch {
		s.batch[i].At, s.batch[i].Value = at, value(begin+i, s.step, r)
	}
	s.step++
}
