package engine

import (
	"context"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/store/spill"
)

// cupboard is a database that keeps numbered texts, as long as it wants to.
type cupboard struct {
	mu     sync.Mutex
	mood   func() error
	number int64
	kept   []string
}

func (c *cupboard) keep(_ context.Context, number int64, some []string) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.mood != nil {
		if err := c.mood(); err != nil {
			return err
		}
	}
	for _, x := range some {
		if x == "bad" {
			return refused
		}
	}
	if number > c.number {
		c.number, c.kept = number, append(c.kept, some...)
	}
	return nil
}

func (c *cupboard) is(mood func() error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.mood = mood
}

func (c *cupboard) all() []string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]string(nil), c.kept...)
}

func shelfOf(t *testing.T, c *cupboard, path string, durable bool) *shelf[string] {
	t.Helper()
	file, _, err := spill.Open(path, spill.Options{Limit: 1 << 20})
	require.NoError(t, err)
	t.Cleanup(func() { file.Close() })
	s := &shelf[string]{what: "texts", keep: c.keep, durable: durable, refused: func(string, error) {}}
	s.open(file, silent)
	return s
}

func gone() error { return errAway }

// While the database is away things go to the file within a second, in their
// order; whoever was killed then finds them there.
func TestAShelfKeepsInItsFileWhatTheDatabaseDoesNotTake(t *testing.T) {
	c, path := &cupboard{}, filepath.Join(t.TempDir(), "shelf")
	s := shelfOf(t, c, path, false)
	s.goOn(0)
	s.begin()
	s.add("a")
	require.Eventually(t, func() bool { return len(c.all()) == 1 }, 5*time.Second, time.Millisecond)
	assert.Zero(t, s.file.Len(), "a database that is there needs no file")
	c.is(gone)
	began := time.Now()
	s.add("b")
	s.add("bad")
	s.add("c")
	require.Eventually(t, func() bool { return s.file.Len() == 3 }, 5*time.Second, time.Millisecond)
	t.Logf("in the file after %s", time.Since(began))
	s.add("d")
	require.Eventually(t, func() bool { return s.file.Len() == 4 }, 5*time.Second, time.Millisecond)
	assert.NotNil(t, s.trouble.Load())
	s.stop() // killed
	s.running.Wait()

	again := shelfOf(t, c, path, false)
	assert.Equal(t, int64(4), again.waiting.Load())
	assert.ErrorIs(t, again.drain(t.Context()), errAway)
	c.is(nil)
	require.NoError(t, again.drain(t.Context()))
	assert.Equal(t, []string{"a", "b", "c", "d"}, c.all())
	assert.Equal(t, int64(1), again.setAside.Load(), "what is refused holds up nothing")
	again.goOn(c.number)
	again.begin()
	again.add("e")
	again.end(5 * time.Second)
	assert.Equal(t, []string{"a", "b", "c", "d", "e"}, c.all())
}

// The database comes and goes, answers are lost, the process is killed: each
// thing is kept once and in its order.
func TestAShelfKeepsEachThingOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 3))
	for _, durable := range []bool{false, true} {
		c, path := &cupboard{}, filepath.Join(t.TempDir(), fmt.Sprint("shelf", durable))
		var want []string
		for range 6 {
			s := shelfOf(t, c, path, durable)
			c.is(nil)
			require.NoError(t, s.drain(t.Context()))
			c.is(func() error {
				if r.IntN(3) == 0 {
					return errAway
				}
				return nil
			})
			s.goOn(c.number)
			s.begin()
			for range 40 {
				x := fmt.Sprint("thing ", len(want))
				want = append(want, x)
				s.add(x)
			}
			if durable {
				s.stop() // killed at once
				s.running.Wait()
			} else {
				s.end(time.Millisecond)
			}
			require.NoError(t, s.file.Close())
		}
		c.is(nil)
		require.NoError(t, shelfOf(t, c, path, durable).drain(t.Context()))
		assert.Equal(t, want, c.all())
	}
}

// Without a file, or when it is full, things wait in memory.
func TestAShelfWithoutRoomWaits(t *testing.T) {
	c := &cupboard{mood: gone}
	s := &shelf[string]{what: "texts", keep: c.keep, refused: func(string, error) {}}
	s.open(nil, silent)
	s.goOn(0)
	s.begin()
	s.add("a")
	require.Eventually(t, func() bool { return s.trouble.Load() != nil }, 5*time.Second, time.Millisecond)
	assert.Equal(t, 1, s.inMemory())
	c.is(nil)
	s.end(5 * time.Second)
	assert.Equal(t, []string{"a"}, c.all())
}
