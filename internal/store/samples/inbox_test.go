package samples

import (
	"math"
	"testing"
	"testing/synctest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

// Whoever appends waits while too much is pending, and goes on when it was taken.
func TestTooMuchPendingWaits(t *testing.T) {
	for _, c := range []struct {
		name          string
		first, second int
		waits         bool
	}{
		{"just enough", maxPending - 3, 3, false},
		{"one too many", maxPending - 3, 4, true},
		{"a large one alone", 0, maxPending + 1, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			synctest.Test(t, func(t *testing.T) {
				var b inbox
				b.init()
				b.open()
				for _, n := range []int{c.first, c.second} {
					go func() { assert.NoError(t, b.put(t.Context(), make([]domain.SeriesSample, n))) }()
					synctest.Wait()
				}
				first := b.take()
				if !c.waits {
					assert.Len(t, first.points, c.first+c.second)
					close(first.done)
					return
				}
				assert.Len(t, first.points, c.first)
				close(first.done)
				synctest.Wait()
				second := b.take()
				require.NotNil(t, second)
				assert.Len(t, second.points, c.second)
				close(second.done)
			})
		})
	}
}

func TestMinusZeroIsZero(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		var b inbox
		b.init()
		b.open()
		go func() {
			_ = b.put(
				t.Context(),
				[]domain.SeriesSample{{SeriesID: 1, Sample: domain.Sample{At: time.UnixMilli(1), Value: math.Copysign(0, -1)}}},
			)
		}()
		synctest.Wait()
		taken := b.take()
		assert.False(t, math.Signbit(taken.points[0].V))
		close(taken.done)
	})
}
