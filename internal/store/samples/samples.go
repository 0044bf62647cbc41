// Package samples is the sample store: a journal that is committed before a
// sample counts as accepted, heads in memory, chunks and days at rest, and
// rollups beside them. docs/sample-store.md describes it as a whole.
//
//	Append → journal (committed) → heads → chunks (each half hour) → days and rollups
package samples

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/domain"
)

// Options are the settings of a store; the zero value is replaced by what
// suits the application.
type Options struct {
	// SealEvery is the time in which every series' newest points become a chunk.
	SealEvery time.Duration
	// FoldAfter is how long after its end a day is folded.
	FoldAfter time.Duration
	// SpillFile takes blocks while the database is away; none when empty.
	SpillFile string
	// SpillBytes bounds the spill file, and SpillReserve is taken from the disk
	// for it beforehand.
	SpillBytes, SpillReserve int64
	Log                      *slog.Logger
}

func (o Options) withDefaults() Options {
	if o.SealEvery <= 0 {
		o.SealEvery = 30 * time.Minute
	}
	if o.FoldAfter <= 0 {
		o.FoldAfter = time.Hour
	}
	if o.SpillBytes <= 0 {
		o.SpillBytes = usualSpillLimit
	}
	if o.SpillReserve <= 0 {
		o.SpillReserve = usualSpillReserve
	}
	if o.Log == nil {
		o.Log = slog.New(slog.DiscardHandler)
	}
	return o
}

// Store is the sample store. Reading is safe at any time; Append works
// between Start and Stop.
type Store struct {
	pool  *pgxpool.Pool
	plans Plans
	opt   Options

	shards  [shardCount]shard
	applied atomic.Int64 // all blocks up to this one are in the heads
	newest  atomic.Int64 // time of the newest point, in milliseconds

	inbox   inbox
	journal journal
	// tables guards the making and dropping of partitions against each other;
	// open are the days that have chunks which are not folded yet.
	tables  sync.Mutex
	known   map[string]bool
	openMu  sync.RWMutex
	folding folding
	// rewriting keeps imports and folding from joining the same series at once.
	rewriting claims
	open      map[int]bool

	stop    context.CancelFunc
	running sync.WaitGroup
	lock    *pgxpool.Conn
	stats   stats
}

type stats struct{ accepted, blocks, chunks, days, spilled atomic.Int64 }

// Stats are figures since the start.
type Stats struct {
	Accepted int64 // points
	Blocks   int64 // of the journal
	Chunks   int64 // sealed
	Days     int64 // folded, one for each series and day
	Spilled  int64 // blocks that went to the spill file
	Away     bool  // the database does not take blocks now
	// AwaySince is since when it does not, and AwayError why.
	AwaySince time.Time
	AwayError error
	// Waiting is how many blocks, and WaitingBytes how much, is in the spill file.
	Waiting      int
	WaitingBytes int64
}

// ErrNotFinite refuses values that are no numbers or without bound.
var ErrNotFinite = errors.New("a value is not a finite number")

// ErrStopped is returned by Append outside of Start and Stop.
var ErrStopped = errors.New("the sample store is not running")

// New returns a store that reads; it takes samples after Start. Without plans
// all series are kept by the settings.
func New(pool *pgxpool.Pool, plans Plans) *Store {
	if plans == nil {
		plans = noPlans
	}
	s := &Store{pool: pool, plans: plans, opt: Options{}.withDefaults(), known: map[string]bool{}, open: map[int]bool{}}
	s.inbox.init()
	s.journal.spilled = make(chan struct{}, 1)
	return s
}

// Stats returns figures about the work.
func (s *Store) Stats() Stats {
	out := Stats{Accepted: s.stats.accepted.Load(), Blocks: s.stats.blocks.Load(), Chunks: s.stats.chunks.Load(),
		Days: s.stats.days.Load(), Spilled: s.stats.spilled.Load(), Waiting: s.journal.spill.Len(), WaitingBytes: s.journal.spill.Bytes()}
	if away := s.journal.away.Load(); away != nil {
		out.Away, out.AwaySince, out.AwayError = true, away.since, away.cause
	}
	return out
}

// Resolution is that of stored times; finer parts of a time are cut off.
const Resolution = time.Millisecond

const dayMillis = 86_400_000

// DayOf returns the day that a time in milliseconds lies in, counted from 1970.
func DayOf(t int64) int { return int(codec.Begin(t, dayMillis) / dayMillis) }

// sameDay is how many of the first points, of which there is one at least, lie
// in the same day.
func sameDay(points []codec.Point) int {
	end := (int64(DayOf(points[0].T)) + 1) * dayMillis
	n := 1
	for n < len(points) && points[n].T < end {
		n++
	}
	return n
}

// Append takes samples. They are accepted, and survive any crash, when it
// returns nil; after an error none or all of them may have been. The later of
// two samples of one series and time replaces the earlier.
func (s *Store) Append(ctx context.Context, samples []domain.SeriesSample) error {
	if len(samples) == 0 {
		return nil
	}
	for _, x := range samples {
		if math.IsNaN(x.Value) || math.IsInf(x.Value, 0) {
			return fmt.Errorf("series %d: %w", x.SeriesID, ErrNotFinite)
		}
		if x.SeriesID < 0 || x.SeriesID > maxSeries {
			return fmt.Errorf("series %d: %w", x.SeriesID, domain.ErrNotFound)
		}
	}
	return s.inbox.put(ctx, samples)
}
