package samples

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"github.com/klauspost/compress/s2"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/store/spill"
)

// The journal is a ring of tables: one is written, full ones wait until all
// their points are in chunks and are truncated then, which is cheaper than
// deleting rows.
const (
	journalTables = 8
	// blockPoints bounds a block, and with it a row.
	blockPoints = 32_768
	// segmentBytes and segmentAge are when the next table is begun.
	segmentBytes = 64 << 20
	segmentAge   = 5 * time.Minute
)

type journal struct {
	seq     int64 // of the newest block; used by the writer only
	away    atomic.Pointer[away]
	spill   *spill.File
	spilled chan struct{} // something was spilled
	mu      sync.Mutex    // guards the ring
	current int
	began   time.Time
	tables  [journalTables]segment
}

// away is that the database does not take blocks.
type away struct {
	since time.Time
	cause error
}

// segment is one table of the ring.
type segment struct {
	first, last int64 // blocks; first is 0 when it is empty
	bytes       int64
}

func tableName(i int) string { return fmt.Sprintf("journal_%d", i) }

// writer is the one goroutine that commits blocks and applies them.
func (s *Store) write(ctx context.Context) {
	w := &writer{Store: s, committed: make(chan committed, 4)}
	applied := make(chan struct{})
	go func() { w.applyAll(); close(applied) }()
	defer func() { close(w.committed); <-applied }()
	for {
		select {
		case <-s.inbox.waiting:
			w.all(ctx)
		case <-ctx.Done():
			w.all(ctx)
			return
		}
	}
}

// writer makes blocks durable; while one is applied to the heads it commits
// the next.
type writer struct {
	*Store
	raw, packed []byte
	committed   chan committed
}

// committed is a block that is durable, or, with batch, the end of a batch.
type committed struct {
	seq    int64
	points []codec.Tagged
	batch  *batch
}

func (w *writer) all(ctx context.Context) {
	for b := w.inbox.take(); b != nil; b = w.inbox.take() {
		for points := b.points; len(points) > 0 && b.err == nil; {
			n := min(len(points), blockPoints)
			b.err = w.block(ctx, points[:n])
			points = points[n:]
		}
		w.committed <- committed{batch: b}
	}
}

// block makes points durable, and hands them on to become visible.
func (w *writer) block(ctx context.Context, points []codec.Tagged) error {
	w.raw = codec.AppendBlock(w.raw[:0], points)
	w.packed = s2.Encode(w.packed[:cap(w.packed)], w.raw)
	seq := w.journal.seq + 1
	if err := w.commit(ctx, seq, w.packed); err != nil {
		return err
	}
	w.journal.seq = seq
	w.committed <- committed{seq: seq, points: points}
	w.stats.accepted.Add(int64(len(points)))
	w.stats.blocks.Add(1)
	return nil
}

// applyAll puts committed blocks into the heads, in order, and tells those
// who wait.
func (w *writer) applyAll() {
	var buckets [shardCount][]int32
	for c := range w.committed {
		if c.batch != nil {
			close(c.batch.done)
			continue
		}
		w.apply(c.seq, c.points, &buckets)
	}
}

// insertLimit is how long the database may take for a block before it goes to
// the spill file: within a second of its coming it is durable in one of them.
const insertLimit = 500 * time.Millisecond

// commit stores a block in the journal, or in the spill file while the
// database is away. Without a spill file, or when it is full, it waits for the
// database: an accepted block is never lost. A block on its way to the database
// is noted in the spill file, so that it outlives a kill meanwhile.
func (w *writer) commit(ctx context.Context, seq int64, data []byte) error {
	for began := time.Now(); ; {
		err := errSpilled
		if w.journal.spill.Len() == 0 { // else it must wait behind those
			_ = w.journal.spill.Note(seq, data) // without room for it the database is all there is
			err = w.insertWithin(context.Background(), insertLimit, seq, data)
		}
		switch {
		case err == nil:
			w.journal.away.Store(nil)
			_ = w.journal.spill.Strike() // what stays is taken as the same block again, which does no harm
			return nil
		case errors.Is(err, ErrOtherWriter):
			w.inbox.close() // nothing that we accept would be safe
			_ = w.journal.spill.Strike()
			return err
		case w.journal.away.CompareAndSwap(nil, &away{time.Now().UTC(), err}):
			w.opt.Log.Error("the database does not take samples", "error", err)
		}
		if full := w.keepAside(seq, data); full == nil {
			return nil
		}
		if ctx.Err() != nil && time.Since(began) > endPatience {
			return fmt.Errorf("the samples could not be stored before the end: %w", err)
		}
		time.Sleep(fullPause)
	}
}

var errSpilled = errors.New("earlier samples wait for the database")

const (
	fullPause   = 100 * time.Millisecond
	endPatience = 3 * time.Second
)

// keepAside spills a block and lets the drainer know.
func (w *writer) keepAside(seq int64, data []byte) error {
	if err := w.journal.spill.Add(seq, data); err != nil {
		return err
	}
	w.stats.spilled.Add(1)
	select {
	case w.journal.spilled <- struct{}{}:
	default:
	}
	return nil
}

// insert stores one block; the same block again, after a lost answer, does no
// harm.
func (s *Store) insert(ctx context.Context, seq int64, data []byte) error {
	j := &s.journal
	j.mu.Lock()
	defer j.mu.Unlock()
	if t := &j.tables[j.current]; t.first > 0 && (t.bytes > segmentBytes || time.Since(j.began) > segmentAge) {
		if next := (j.current + 1) % journalTables; j.tables[next].first == 0 {
			j.current, j.began = next, time.Now()
		}
	}
	name := tableName(j.current)
	tag, err := s.pool.Exec(
		ctx,
		"INSERT INTO "+name+" AS j VALUES ($1, $2) ON CONFLICT (seq) DO UPDATE SET seq = excluded.seq WHERE j.data = excluded.data",
		seq,
		data,
	)
	if err != nil {
		return err
	}
	if tag.RowsAffected() == 0 { // the number is taken by a block that is not ours
		return ErrOtherWriter
	}
	t := &j.tables[j.current]
	if t.first == 0 {
		t.first, j.began = seq, time.Now()
	}
	t.last = max(t.last, seq)
	t.bytes += int64(len(data))
	return nil
}

// empty truncates the tables whose points are all in chunks.
func (s *Store) empty(ctx context.Context) error {
	sealed := s.sealedThrough()
	j := &s.journal
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.spill.Len() > 0 {
		return nil // its blocks may be in a table already
	}
	for i := range j.tables {
		t := &j.tables[i]
		if t.first == 0 || t.last > sealed {
			continue
		}
		if _, err := s.pool.Exec(ctx, "TRUNCATE "+tableName(i)); err != nil {
			return err
		}
		*t = segment{}
	}
	return nil
}

// sealedThrough is the block up to which every point is in a chunk.
func (s *Store) sealedThrough() int64 {
	lowest := s.applied.Load()
	for i := range s.shards {
		sh := &s.shards[i]
		sh.mu.RLock()
		if sh.applied > sh.sealed {
			lowest = min(lowest, sh.sealed)
		}
		sh.mu.RUnlock()
	}
	return lowest
}
