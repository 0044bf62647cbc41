package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"runtime"
	"runtime/debug"
	"slices"
	"time"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/store/samples"
)

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
	b.add(
		fmt.Sprintf("%d series, at full speed, with making the values", b.series),
		float64(warm)/time.Since(began).Seconds(),
		"samples/s",
		"",
	)
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
