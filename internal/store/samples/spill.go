package samples

import (
	"context"
	"time"

	"tirelessowl/internal/store/spill"
)

// What the spill file may take, and what it takes from the disk beforehand: at
// 10 kB a second, which 2,000 devices make, that is two hours.
const (
	usualSpillLimit   = 512 << 20
	usualSpillReserve = 64 << 20
)

// retryEvery is how often the database is tried while blocks are spilled.
const retryEvery = 500 * time.Millisecond

// openSpill opens the spill file, where there is to be one.
func (s *Store) openSpill() error {
	if s.opt.SpillFile == "" {
		return nil
	}
	file, short, err := spill.Open(
		s.opt.SpillFile,
		spill.Options{Limit: s.opt.SpillBytes, Reserve: min(s.opt.SpillReserve, s.opt.SpillBytes)},
	)
	if err != nil {
		return err
	}
	if short != nil {
		s.opt.Log.Warn("no room could be reserved for samples while the database is away", "file", s.opt.SpillFile, "error", short)
	}
	s.journal.spill = file
	return nil
}

// drainer brings what was spilled into the journal as soon as the database
// takes it, block by block; meanwhile new blocks go behind it.
func (s *Store) drainer(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-s.journal.spilled:
		}
		for s.journal.spill.Len() > 0 {
			if err := s.drain(ctx); err != nil && ctx.Err() == nil {
				s.opt.Log.Debug("the database does not take spilled samples yet", "blocks", s.journal.spill.Len(), "error", err)
			}
			select {
			case <-ctx.Done():
				return
			case <-time.After(retryEvery):
			}
		}
	}
}

// drainLimit is how long one block may take, and tellEvery how often the
// progress is told.
const (
	drainLimit = 30 * time.Second
	tellEvery  = 5 * time.Second
)

// drain inserts all spilled blocks, each in its own time. Broken off, it goes on
// where it was; a block that is inserted again does no harm.
func (s *Store) drain(ctx context.Context) error {
	file, told, done := s.journal.spill, time.Now(), 0
	for {
		r, ok, err := file.Oldest()
		if err != nil {
			return err
		}
		if !ok {
			break
		}
		if err := s.insertWithin(ctx, drainLimit, r.Number, r.Data); err != nil {
			return err
		}
		if err := file.Done(); err != nil {
			return err
		}
		done++
		if time.Since(told) > tellEvery {
			told = time.Now()
			s.opt.Log.Info("bringing spilled samples in", "blocks", done, "left", file.Len())
		}
	}
	if done > 0 {
		s.opt.Log.Info("spilled samples are in the database", "blocks", done)
		s.journal.away.Store(nil)
	}
	return nil
}

func (s *Store) insertWithin(ctx context.Context, limit time.Duration, seq int64, data []byte) error {
	ctx, cancel := context.WithTimeout(ctx, limit)
	defer cancel()
	return s.insert(ctx, seq, data)
}
