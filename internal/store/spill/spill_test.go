package spill

import (
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func open(t *testing.T, path string, limit int64) *File {
	t.Helper()
	f, short, err := Open(path, Options{Limit: limit, Reserve: 4096})
	require.NoError(t, err)
	require.NoError(t, short)
	t.Cleanup(func() { f.Close() })
	return f
}

func all(t *testing.T, f *File) (out []string) {
	t.Helper()
	require.NoError(t, f.Each(func(r Record) error { out = append(out, fmt.Sprint(r.Number, " ", string(r.Data))); return nil }))
	return out
}

func TestRecordsComeBackInOrder(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	f := open(t, path, 1<<20)
	_, ok, err := f.Oldest()
	require.NoError(t, err)
	assert.False(t, ok)
	for i := range int64(4) {
		require.NoError(t, f.Add(i, fmt.Appendf(nil, "record %d", i)))
	}
	r, ok, err := f.Oldest()
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, "record 0", string(r.Data))
	require.NoError(t, f.Done())
	assert.Equal(t, []string{"1 record 1", "2 record 2", "3 record 3"}, all(t, f))
	assert.Equal(t, 3, f.Len())
	assert.Equal(t, int64(3*(16+8)), f.Bytes(), "a head of 16 bytes and 8 of text each")

	again := open(t, path, 1<<20) // the process was killed
	assert.Equal(t, 4, again.Len(), "what was done comes again until all is done")
	for range 4 {
		require.NoError(t, again.Done())
	}
	assert.Equal(t, 0, again.Len())
	require.NoError(t, again.Add(9, []byte("nine")))
	assert.Equal(t, []string{"9 nine"}, all(t, open(t, path, 1<<20)), "nothing of an earlier generation")
}

func TestATornRecordWasNeverAccepted(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	f := open(t, path, 1<<20)
	require.NoError(t, f.Add(1, []byte("whole")))
	require.NoError(t, f.Add(2, []byte("broken later")))
	_, err := f.file.WriteAt([]byte{'X'}, f.end-1)
	require.NoError(t, err)
	again := open(t, path, 1<<20)
	assert.Equal(t, []string{"1 whole"}, all(t, again))
	require.NoError(t, again.Add(3, []byte("over it")))
	assert.Equal(t, []string{"1 whole", "3 over it"}, all(t, open(t, path, 1<<20)))
}

func TestRoomIsReservedAndBounded(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	f := open(t, path, 16+2*(16+4))
	info, err := os.Stat(path)
	require.NoError(t, err)
	assert.Equal(t, int64(4096), info.Size())
	require.NoError(t, f.Add(1, []byte("four")))
	assert.ErrorIs(t, f.Add(1, []byte("fives")), ErrFull)
	require.NoError(t, f.Add(1, []byte("four")))
	assert.ErrorIs(t, f.Add(1, []byte("1")), ErrFull)
	assert.ErrorIs(t, f.Add(1, nil), ErrFull, "nothing is no record")
	assert.Equal(t, 2, f.Len())
	var none *File
	assert.ErrorIs(t, none.Add(1, []byte("x")), ErrFull)
	assert.Zero(t, none.Len()+int(none.Bytes()))
	_, ok, err := none.Oldest()
	assert.False(t, ok)
	assert.NoError(t, err)
	assert.NoError(t, none.Close())
	_, _, err = Open(filepath.Join(path, "below a file"), Options{Limit: 1})
	assert.Error(t, err)
}

// The first releases wrote records without a head before them.
func TestAFileOfTheFirstReleasesIsTakenUp(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	var old []byte
	for i, text := range []string{"one", "two"} {
		rest := append(binary.LittleEndian.AppendUint64(nil, uint64(i+1)), text...)
		old = binary.LittleEndian.AppendUint32(old, uint32(len(text)))
		old = binary.LittleEndian.AppendUint32(old, crc32.ChecksumIEEE(rest))
		old = append(old, rest...)
	}
	require.NoError(t, os.WriteFile(path, old, 0o600))
	f := open(t, path, 1<<20)
	assert.Equal(t, []string{"1 one", "2 two"}, all(t, f))
	require.NoError(t, f.Add(3, []byte("three")))
	for range 3 {
		require.NoError(t, f.Done())
	}
	require.NoError(t, f.Add(4, []byte("four")))
	assert.Equal(t, []string{"4 four"}, all(t, open(t, path, 1<<20)))
}

// A note is found by the next process, unless it was struck or written over.
func TestANoteOutlivesTheProcessUntilItIsStruck(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a")
	f := open(t, path, 1<<20)
	next := func() []string { // what the next process finds
		text, err := os.ReadFile(path)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(path+"-killed", text, 0o600))
		return all(t, open(t, path+"-killed", 1<<20))
	}
	require.NoError(t, f.Note(1, []byte("a first one")))
	assert.Zero(t, f.Len(), "it is no record for this process")
	assert.Equal(t, []string{"1 a first one"}, next())
	require.NoError(t, f.Strike())
	assert.Empty(t, next())

	require.NoError(t, f.Note(2, []byte("second")))
	require.NoError(t, f.Add(2, []byte("second")))
	require.NoError(t, f.Note(3, []byte("third")))
	assert.Equal(t, []string{"2 second"}, all(t, f))
	assert.Equal(t, []string{"2 second", "3 third"}, next())
	require.NoError(t, f.Strike())
	assert.Equal(t, []string{"2 second"}, next())
	require.NoError(t, f.Done())
	require.NoError(t, f.Strike())

	assert.ErrorIs(t, f.Note(4, nil), ErrFull)
	var none *File
	assert.ErrorIs(t, none.Note(1, []byte("x")), ErrFull)
	assert.NoError(t, none.Strike())
}
