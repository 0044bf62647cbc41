// Package spill keeps records on disk while the database does not take them:
// in order, durable, bounded, and with room that is reserved beforehand, since
// the disk that the database has filled may be the same.
package spill

import (
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"os"
	"sync"

	"golang.org/x/sys/unix"
)

// ErrFull tells that a record does not fit within the limit, or on the disk.
var ErrFull = errors.New("there is no room in the spill file")

// Options bound a file, in bytes.
type Options struct {
	Limit   int64 // never larger than this
	Reserve int64 // taken from the disk at once
}

// Record is what was spilled; numbers are the caller's.
type Record struct {
	Number int64
	Data   []byte
}

// File is a queue of records. Its methods are safe at any time, also on nil,
// which takes nothing.
//
//	head:   magic (8 bytes), generation (8)
//	record: length and checksum (4 bytes each), number (8), data
//
// The checksum begins with the generation, so that what was left behind by
// earlier ones is never taken for a record.
type File struct {
	mu         sync.Mutex
	file       *os.File
	opt        Options
	generation uint64
	first, end int64 // where the oldest record begins, and where the next goes
	count      int
}

const (
	magic      = "owlspil2"
	headSize   = 16
	recordHead = 16
)

// Open opens or makes a file. A record at its end that was not written whole
// was never accepted, and is left out. Where the room cannot be reserved, the
// file is used without, and short is the reason.
func Open(path string, opt Options) (f *File, short error, err error) {
	file, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, nil, err
	}
	f = &File{file: file, opt: opt}
	if err := f.find(); err != nil {
		file.Close()
		return nil, nil, fmt.Errorf("%s: %w", path, err)
	}
	if opt.Reserve > 0 {
		short = unix.Fallocate(int(file.Fd()), 0, 0, opt.Reserve)
	}
	return f, short, nil
}

// find reads the head and finds the end of the records.
func (f *File) find() error {
	var head [headSize]byte
	n, err := f.file.ReadAt(head[:], 0)
	switch {
	case err != nil && err != io.EOF:
		return err
	case n == headSize && string(head[:8]) == magic:
		f.generation = binary.LittleEndian.Uint64(head[8:])
		f.first = headSize
	case n > 0:
		// A file of the first releases begins with its first record.
	default:
		return f.begin()
	}
	for f.end = f.first; ; f.count++ {
		r, err := f.read(f.end)
		if errors.Is(err, errNone) {
			break
		}
		if err != nil {
			return err
		}
		f.end += recordHead + int64(len(r.Data))
	}
	if f.count == 0 {
		return f.begin()
	}
	return nil
}

// begin starts the next generation, in which there is no record yet.
func (f *File) begin() error {
	f.generation++
	head := binary.LittleEndian.AppendUint64([]byte(magic), f.generation)
	if _, err := f.file.WriteAt(head, 0); err != nil {
		return err
	}
	f.first, f.end, f.count = headSize, headSize, 0
	return f.sync()
}

func (f *File) sync() error { return unix.Fdatasync(int(f.file.Fd())) }

var errNone = errors.New("there is no record")

func (f *File) sum(rest []byte) uint32 {
	if f.generation == 0 {
		return crc32.ChecksumIEEE(rest)
	}
	seed := binary.LittleEndian.AppendUint64(nil, f.generation)
	return crc32.Update(crc32.ChecksumIEEE(seed), crc32.IEEETable, rest)
}

func (f *File) read(at int64) (Record, error) {
	var head [recordHead]byte
	if _, err := f.file.ReadAt(head[:], at); err == io.EOF {
		return Record{}, errNone
	} else if err != nil {
		return Record{}, err
	}
	size := int64(binary.LittleEndian.Uint32(head[:]))
	if size == 0 || at+recordHead+size > f.opt.Limit {
		return Record{}, errNone
	}
	rest := make([]byte, 8+size)
	if _, err := f.file.ReadAt(rest, at+8); err == io.EOF {
		return Record{}, errNone
	} else if err != nil {
		return Record{}, err
	}
	if f.sum(rest) != binary.LittleEndian.Uint32(head[4:]) {
		return Record{}, errNone
	}
	return Record{int64(binary.LittleEndian.Uint64(rest)), rest[8:]}, nil
}

// Add makes a record durable behind all others. Its data may not be empty.
func (f *File) Add(number int64, data []byte) error {
	if f == nil {
		return ErrFull
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if err := f.write(number, data); err != nil {
		return err
	}
	if err := f.sync(); err != nil {
		return err
	}
	f.end += recordHead + int64(len(data))
	f.count++
	return nil
}

// Note writes a record behind all others, where it outlives this process but not
// the machine, until Strike or until Add writes over it. It is for what should be
// in the database within a moment: a process that is killed meanwhile finds it as
// a record at its next start.
func (f *File) Note(number int64, data []byte) error {
	if f == nil {
		return ErrFull
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.write(number, data)
}

// Strike takes the note back.
func (f *File) Strike() error {
	if f == nil {
		return nil
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	_, err := f.file.WriteAt(make([]byte, 4), f.end) // a length of nothing
	return err
}

// write puts a record where the next one goes.
func (f *File) write(number int64, data []byte) error {
	size := recordHead + int64(len(data))
	if f.end+size > f.opt.Limit || len(data) == 0 {
		return ErrFull
	}
	record := make([]byte, recordHead, size)
	binary.LittleEndian.PutUint32(record, uint32(len(data)))
	binary.LittleEndian.PutUint64(record[8:], uint64(number))
	record = append(record, data...)
	binary.LittleEndian.PutUint32(record[4:], f.sum(record[8:]))
	if _, err := f.file.WriteAt(record, f.end); err != nil {
		return fmt.Errorf("%w: %w", ErrFull, err)
	}
	return nil
}

// Oldest returns the record that has waited longest; ok is false when there is
// none. It stays until Done.
func (f *File) Oldest() (r Record, ok bool, err error) {
	if f == nil {
		return r, false, nil
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.count == 0 {
		return r, false, nil
	}
	r, err = f.read(f.first)
	return r, err == nil, err
}

// Done drops the oldest record. What was dropped may come again after a crash,
// until all records are done: taking one twice must do no harm.
func (f *File) Done() error {
	f.mu.Lock()
	defer f.mu.Unlock()
	r, err := f.read(f.first)
	if err != nil {
		return err
	}
	if f.count == 1 {
		return f.begin()
	}
	f.first += recordHead + int64(len(r.Data))
	f.count--
	return nil
}

// Each reads all records from the oldest on; they stay.
func (f *File) Each(do func(Record) error) error {
	if f == nil {
		return nil
	}
	f.mu.Lock()
	at, end := f.first, f.end
	f.mu.Unlock()
	for at < end {
		r, err := f.read(at)
		if err != nil {
			return err
		}
		if err := do(r); err != nil {
			return err
		}
		at += recordHead + int64(len(r.Data))
	}
	return nil
}

// Len returns how many records wait.
func (f *File) Len() int {
	if f == nil {
		return 0
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.count
}

// Bytes returns the size of what waits.
func (f *File) Bytes() int64 {
	if f == nil {
		return 0
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.end - f.first
}

// Close closes the file; what waits stays in it.
func (f *File) Close() error {
	if f == nil {
		return nil
	}
	return f.file.Close()
}
