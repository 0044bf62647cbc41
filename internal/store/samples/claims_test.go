package samples

import (
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
)

// No series is ever held by two, whoever waits gets its turn, and nobody
// waits for one who works at other series.
func TestClaims(t *testing.T) {
	var c claims
	free := c.take([]int64{1, 2})
	c.take([]int64{3})() // does not wait
	taken := make(chan struct{})
	go func() {
		c.take([]int64{2, 4})()
		close(taken)
	}()
	c.take([]int64{4})()
	select {
	case <-taken:
		t.Fatal("series 2 was held by two")
	default:
	}
	free()
	<-taken

	var holders [8]atomic.Int32
	var workers sync.WaitGroup
	for w := range 4 {
		workers.Go(func() {
			r := rand.New(rand.NewPCG(uint64(w), 3))
			for range 2000 {
				first := r.Int64N(8)
				ids := []int64{first, (first + 1 + r.Int64N(7)) % 8}
				release := c.take(ids)
				for _, id := range ids {
					assert.Equal(t, int32(1), holders[id].Add(1))
				}
				for _, id := range ids {
					holders[id].Add(-1)
				}
				release()
			}
		})
	}
	workers.Wait()
	assert.Empty(t, c.held)
}
