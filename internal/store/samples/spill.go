package samples

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"io"
	"os"
	"sync/atomic"
	"time"
)

var (
	errStillAway = errors.New("the database was away a moment ago")
	errNoSpill   = errors.New("there is no room in the spill file")
)

// spill is a file that takes blocks while the database is away. It is used
// by the writer only; others may ask whether it holds any.
//
//	record: length and checksum (4 bytes each), block number (8), block
type spill struct {
	path  string
	limit int64
	file  *os.File
	bytes atomic.Int64
	tried time.Time
}

const recordHead = 16

// retryEvery is how often the database is tried while blocks are spilled.
const retryEvery = time.Second

func (f *spill) holds() bool { return f.bytes.Load() > 0 }

func (f *spill) tooSoon() bool {
	if time.Since(f.tried) < retryEvery {
		return true
	}
	f.tried = time.Now()
	return false
}

// add makes a block durable in the file.
func (f *spill) add(seq int64, data []byte) error {
	if f.path == "" || f.bytes.Load()+int64(len(data)) > f.limit {
		return errNoSpill
	}
	if f.file == nil {
		file, err := os.OpenFile(f.path, os.O_RDWR|os.O_CREATE, 0o600)
		if err != nil {
			return err
		}
		f.file = file
	}
	record := make([]byte, recordHead, recordHead+len(data))
	binary.LittleEndian.PutUint32(record, uint32(len(data)))
	binary.LittleEndian.PutUint64(record[8:], uint64(seq))
	record = append(record, data...)
	binary.LittleEndian.PutUint32(record[4:], crc32.ChecksumIEEE(record[8:]))
	if _, err := f.file.WriteAt(record, f.bytes.Load()); err != nil {
		return err
	}
	if err := f.file.Sync(); err != nil {
		return err
	}
	f.bytes.Add(int64(len(record)))
	return nil
}

// each reads all whole records; a torn one at the end was never accepted.
func (f *spill) each(do func(seq int64, data []byte) error) error {
	in, err := os.Open(f.path)
	if errors.Is(err, os.ErrNotExist) || f.path == "" {
		return nil
	}
	if err != nil {
		return err
	}
	defer in.Close()
	r := bufio.NewReader(in)
	var head [recordHead]byte
	for {
		if _, err := io.ReadFull(r, head[:]); err != nil {
			return nil
		}
		size := binary.LittleEndian.Uint32(head[:])
		if int64(size) > f.limit {
			return nil
		}
		data := make([]byte, size)
		if _, err := io.ReadFull(r, data); err != nil {
			return nil
		}
		sum := crc32.Update(crc32.ChecksumIEEE(head[8:]), crc32.IEEETable, data)
		if sum != binary.LittleEndian.Uint32(head[4:]) {
			return nil
		}
		if err := do(int64(binary.LittleEndian.Uint64(head[8:])), data); err != nil {
			return err
		}
	}
}

// clear empties the file once everything in it is in the database.
func (f *spill) clear() error {
	if f.file != nil {
		if err := f.file.Close(); err != nil {
			return err
		}
		f.file = nil
	}
	f.bytes.Store(0)
	err := os.Remove(f.path)
	if errors.Is(err, os.ErrNotExist) || f.path == "" {
		return nil
	}
	return err
}

// unspill brings the spilled blocks into the journal.
func (s *Store) unspill(ctx context.Context) error {
	err := s.journal.spill.each(func(seq int64, data []byte) error { return s.insert(ctx, seq, data) })
	if err != nil {
		return err
	}
	return s.journal.spill.clear()
}
