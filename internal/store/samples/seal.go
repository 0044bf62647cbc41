package samples

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
)

// chunkRow is one chunk on its way into the database.
type chunkRow struct {
	series int64
	day    int
	data   []byte
}

// sealer seals one shard after the other, so that the work is even and each
// shard's turn comes once in Options.SealEvery.
func (s *Store) sealer(ctx context.Context) {
	tick := time.NewTicker(s.opt.SealEvery / shardCount)
	defer tick.Stop()
	var pk packer
	for i := 0; ; i = (i + 1) % shardCount {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		if err := s.keepLock(ctx); err != nil && ctx.Err() == nil {
			s.opt.Log.Error("the lock of the one writer is not held", "error", err)
			continue // what is sealed without it might overwrite what another sealed
		}
		if err := s.seal(ctx, i, &pk); err != nil && ctx.Err() == nil {
			s.opt.Log.Error("samples could not be sealed, trying again in turn", "shard", i, "error", err)
		}
		if i%16 == 15 {
			if err := s.empty(ctx); err != nil && ctx.Err() == nil {
				s.opt.Log.Error("the journal could not be emptied", "error", err)
			}
		}
	}
}

// seal turns all points of a shard that are in no chunk yet into chunks. The
// chunks, the block up to which they go and the newest points are stored in
// one transaction: a restart continues exactly behind it.
func (s *Store) seal(ctx context.Context, i int, pk *packer) error {
	sh := &s.shards[i]
	sh.sealing.Lock()
	defer sh.sealing.Unlock()
	rows, heads, seq := s.snapshot(i, pk)
	if heads == nil {
		return nil
	}
	if err := s.storeChunks(ctx, i, rows, heads, seq); err != nil {
		return err // sealing stays as it is, and is taken up again with the next turn
	}
	sh.mu.Lock()
	for _, r := range rows {
		if h := sh.head(r.series); h != nil {
			h.sealing = nil
		}
	}
	sh.sealed = max(sh.sealed, seq)
	sh.mu.Unlock()
	s.stats.chunks.Add(int64(len(rows)))
	return nil
}

// snapshot moves what is unsealed into sealing and returns it as chunks, one
// for each series and day.
func (s *Store) snapshot(i int, pk *packer) (rows []chunkRow, heads []byte, seq int64) {
	sh := &s.shards[i]
	sh.mu.Lock()
	defer sh.mu.Unlock()
	if sh.applied <= sh.sealed && !sh.imported {
		return nil, nil, 0
	}
	sh.each(i, func(id int64, h *head) {
		points := inOrder(sh.unsealed(id, h, &pk.dec))
		if len(points) == 0 {
			return
		}
		h.packed.Reset()
		h.kept = len(h.tail)
		delete(sh.late, id)
		h.sealing = nil
		for len(points) > 0 {
			n, day := sameDay(points), DayOf(points[0].T)
			h.sealing = appendPart(h.sealing, pk, points[:n])
			rows = append(rows, chunkRow{id, day, append([]byte(nil), pk.buf...)})
			points = points[n:]
		}
	})
	// A block that is being applied has been put into this shard whole or not at all.
	seq = max(sh.applied, s.applied.Load())
	sh.imported = false
	return rows, sh.appendHeads([]byte{}, i, pk), seq
}

func (s *Store) storeChunks(ctx context.Context, shard int, rows []chunkRow, heads []byte, seq int64) error {
	// Folding must not drop a table between its preparation and our rows.
	s.folding.RLock()
	defer s.folding.RUnlock()
	for _, r := range rows {
		if err := s.prepare(ctx, chunksTable, keepUsual, r.day); err != nil {
			return err
		}
	}
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"chunks"}, []string{"series_id", "day", "seq", "data"},
			pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
				return []any{rows[i].series, rows[i].day, seq, rows[i].data}, nil
			})); err != nil {
			return err
		}
		_, err := tx.Exec(
			ctx,
			"INSERT INTO sealed VALUES ($1, $2, $3) ON CONFLICT (shard) DO UPDATE SET seq = excluded.seq, heads = excluded.heads",
			shard,
			seq,
			heads,
		)
		return err
	})
	s.folding.note(rows) // an error may hide a commit: then they are stored twice, and read once
	return err
}

// sealWorkers is how many shards are sealed at once at a clean end.
const sealWorkers = 3

// Seal seals everything now, for a clean end or a backup, and empties the journal.
func (s *Store) Seal(ctx context.Context) error {
	var workers sync.WaitGroup
	var next atomic.Int32
	failed := make([]error, sealWorkers)
	for w := range sealWorkers {
		workers.Go(func() {
			var pk packer
			for i := int(next.Add(1)) - 1; i < shardCount && failed[w] == nil; i = int(next.Add(1)) - 1 {
				failed[w] = s.seal(ctx, i, &pk)
			}
		})
	}
	workers.Wait()
	if err := errors.Join(failed...); err != nil {
		return err
	}
	return s.empty(ctx)
}
