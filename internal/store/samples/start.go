package samples

import (
	"context"
	"errors"
	"fmt"
	"runtime"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgtype"
	"github.com/klauspost/compress/s2"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/store/spill"
)

// ErrOtherWriter tells that somebody else writes samples to this database already.
var ErrOtherWriter = errors.New("somebody else writes samples to this database")

// writerLock is the advisory lock of the one writer.
const writerLock = 0x6f776c31

// Start takes up the journal and begins to take samples. Only one process can
// do that on a database.
func (s *Store) Start(ctx context.Context, opt Options) error {
	if s.stop != nil {
		return ErrOtherWriter
	}
	s.opt = opt.withDefaults()
	if err := s.claim(ctx); err != nil {
		return err
	}
	err := s.openSpill()
	if err == nil {
		err = s.takeOver(ctx)
	}
	if err == nil {
		err = s.Load(ctx)
	}
	if err != nil {
		s.release()
		_ = s.journal.spill.Close()
		s.journal.spill = nil
		return err
	}
	ctx, s.stop = context.WithCancel(context.WithoutCancel(ctx))
	s.inbox.open()
	s.running.Go(func() { s.write(ctx) })
	s.running.Go(func() { s.drainer(ctx) })
	s.running.Go(func() { s.sealer(ctx) })
	return nil
}

// Stop ends taking samples, and seals everything so that the next start has
// nothing to replay. It may be called twice.
func (s *Store) Stop() {
	if s.stop == nil {
		return
	}
	s.inbox.close()
	s.stop()
	s.running.Wait()
	ctx, cancel := context.WithTimeout(context.Background(), sealPatience)
	defer cancel()
	if s.journal.away.Load() != nil {
		s.opt.Log.Warn("the database is away: what it did not take is in the spill file")
	} else if err := s.Seal(ctx); err != nil {
		s.opt.Log.Warn("the journal keeps what could not be sealed", "error", err)
	}
	s.release()
	_ = s.journal.spill.Close()
	s.stop = nil
}

// sealPatience is how long the end may wait for the newest points to become
// chunks; what is left is replayed from the journal at the next start.
const sealPatience = 3 * time.Second

// release gives the lock up by ending the connection that holds it.
func (s *Store) release() {
	if s.lock == nil {
		return
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = s.lock.Conn().Close(ctx)
	s.lock.Release()
	s.lock = nil
}

// claimPatience is how long another writer may take to be gone.
const claimPatience = 2 * time.Second

func (s *Store) claim(ctx context.Context) (err error) {
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return err
	}
	ours := false
	for began := time.Now(); ; time.Sleep(50 * time.Millisecond) {
		err = conn.QueryRow(ctx, "SELECT pg_try_advisory_lock($1)", writerLock).Scan(&ours)
		// The server may need a moment to see that an ended process is gone.
		if err != nil || ours || time.Since(began) > claimPatience {
			break
		}
	}
	if err == nil && !ours {
		err = ErrOtherWriter
	}
	if err != nil {
		conn.Release()
		return err
	}
	s.lock = conn
	return nil
}

// keepLock takes the lock again when its connection was lost. Should another
// process have it by then, nothing more is accepted.
func (s *Store) keepLock(ctx context.Context) error {
	if s.lock != nil && s.lock.Ping(ctx) == nil {
		return nil
	}
	s.release()
	err := s.claim(ctx)
	if errors.Is(err, ErrOtherWriter) {
		s.inbox.close()
	}
	return err
}

// Load takes up what the database and the spill file hold, for reading.
func (s *Store) Load(ctx context.Context) error {
	if err := s.refresh(ctx); err != nil {
		return err
	}
	if err := s.loadSealed(ctx); err != nil {
		return err
	}
	if err := s.findJournal(ctx); err != nil {
		return err
	}
	last := s.journal.seq
	if err := s.journal.spill.Each(func(r spill.Record) error { last = max(last, r.Number); return nil }); err != nil {
		return err
	}
	if err := s.drain(ctx); err != nil {
		return fmt.Errorf("spilled samples: %w", err)
	}
	s.journal.seq = last
	return s.replay(ctx)
}

// loadSealed reads how far each shard is sealed, and its newest points.
func (s *Store) loadSealed(ctx context.Context) error {
	rows, err := s.pool.Query(ctx, "SELECT shard, seq, heads FROM sealed")
	if err != nil {
		return err
	}
	defer rows.Close()
	var dec codec.Decoder
	for rows.Next() {
		var i int
		var seq int64
		var heads pgtype.DriverBytes
		if err := rows.Scan(&i, &seq, &heads); err != nil {
			return err
		}
		if i < 0 || i >= shardCount {
			return fmt.Errorf("shard %d: %w", i, codec.ErrCorrupt)
		}
		newest, err := s.shards[i].loadHeads(heads, &dec)
		if err != nil {
			return fmt.Errorf("newest points of shard %d: %w", i, err)
		}
		s.shards[i].sealed, s.shards[i].applied = seq, seq
		s.journal.seq = max(s.journal.seq, seq)
		s.newest.Store(max(s.newest.Load(), newest))
	}
	return rows.Err()
}

// findJournal learns what the tables of the ring hold.
func (s *Store) findJournal(ctx context.Context) error {
	for i := range s.journal.tables {
		t := &s.journal.tables[i]
		err := s.pool.QueryRow(ctx, "SELECT coalesce(min(seq), 0), coalesce(max(seq), 0), "+
			"coalesce(sum(length(data)), 0) FROM "+tableName(i)).
			Scan(&t.first, &t.last, &t.bytes)
		if err != nil {
			return err
		}
		if t.last > s.journal.seq {
			s.journal.seq = t.last
		}
		if t.last > 0 && t.last >= s.journal.tables[s.journal.current].last {
			s.journal.current = i
		}
	}
	s.journal.began = time.Now()
	return nil
}

// replay applies the blocks of the journal that are not in chunks yet. A
// block is unpacked once, and applied by one goroutine for each part of the
// shards.
func (s *Store) replay(ctx context.Context) error {
	workers := min(4, runtime.GOMAXPROCS(0))
	var wait sync.WaitGroup
	queues, spare := make([]chan replayed, workers), make(chan []codec.Tagged, 8*workers)
	for w := range queues {
		queues[w] = make(chan replayed, 4)
		wait.Go(func() { s.replayPart(queues[w], spare) })
	}
	newest := s.newest.Load()
	parts := make([][]codec.Tagged, workers)
	err := s.eachBlock(ctx, func(seq int64, block []byte) error {
		for w := range parts {
			select {
			case parts[w] = <-spare:
			default:
				parts[w] = make([]codec.Tagged, 0, blockPoints/workers)
			}
		}
		err := codec.EachOfBlock(block, func(p codec.Tagged) {
			w := shardOf(p.Series) % workers
			parts[w] = append(parts[w], p)
			newest = max(newest, p.T)
		})
		for w, q := range queues {
			q <- replayed{seq, parts[w]}
		}
		return err
	})
	for _, q := range queues {
		close(q)
	}
	wait.Wait()
	s.newest.Store(newest)
	s.applied.Store(s.journal.seq)
	return err
}

type replayed struct {
	seq    int64
	points []codec.Tagged
}

// replayPart applies points of shards that nobody else has.
func (s *Store) replayPart(queue <-chan replayed, spare chan<- []codec.Tagged) {
	for b := range queue {
		for _, p := range b.points {
			if sh := &s.shards[shardOf(p.Series)]; b.seq > sh.sealed {
				sh.add(p)
				sh.applied = b.seq
			}
		}
		select {
		case spare <- b.points[:0]:
		default:
		}
	}
}

// eachBlock reads the journal from its oldest block on. block is valid during
// the call only.
func (s *Store) eachBlock(ctx context.Context, f func(seq int64, block []byte) error) error {
	oldest := s.sealedBefore()
	for k := range journalTables {
		i := (s.journal.current + 1 + k) % journalTables
		if s.journal.tables[i].first == 0 {
			continue
		}
		rows, err := s.pool.Query(ctx, "SELECT seq, data FROM "+tableName(i)+" WHERE seq > $1 ORDER BY seq", oldest)
		if err != nil {
			return err
		}
		var raw []byte
		for rows.Next() {
			var seq int64
			var data pgtype.DriverBytes
			if err = rows.Scan(&seq, &data); err != nil {
				break
			}
			if raw, err = s2.Decode(raw[:cap(raw)], data); err != nil {
				break
			}
			if err = f(seq, raw); err != nil {
				break
			}
		}
		rows.Close()
		if err == nil {
			err = rows.Err()
		}
		if err != nil {
			return fmt.Errorf("the journal: %w", err)
		}
	}
	return nil
}

// sealedBefore is the block up to which all shards are sealed; blocks before
// it need not be looked at.
func (s *Store) sealedBefore() int64 {
	lowest := s.shards[0].sealed
	for i := range s.shards {
		lowest = min(lowest, s.shards[i].sealed)
	}
	return lowest
}
