package samples

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
)

// What a shard holds must be what a map of times holds, whatever the order of
// arrival, packing, sealing and imports.
func TestShardAgainstAMap(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	for range 200 {
		sh := &shard{}
		var pk packer
		want := map[int64]float64{}
		stored := map[int64]float64{} // what was sealed
		now := int64(1000)
		for i := range 300 {
			switch r.IntN(12) {
			case 0: // late
				p := codec.Point{T: now - r.Int64N(500), V: float64(i)}
				sh.add(codec.Tagged{Series: 5, Point: p})
				want[p.T] = p.V
			case 1: // the same time again
				sh.add(codec.Tagged{Series: 5, Point: codec.Point{T: now, V: float64(i)}})
				want[now] = float64(i)
			case 2: // sealed
				h := sh.headOf(5)
				for _, p := range inOrder(sh.unsealed(5, h, &pk.dec)) {
					stored[p.T] = p.V
				}
				h.packed.Reset()
				h.kept = len(h.tail)
				delete(sh.late, 5)
			case 3: // imported
				now += 10
				p := codec.Point{T: now, V: float64(i)}
				sh.headOf(5).show([]codec.Point{p})
				stored[p.T], want[p.T] = p.V, p.V
			default:
				now += 1 + r.Int64N(20)
				sh.add(codec.Tagged{Series: 5, Point: codec.Point{T: now, V: float64(i)}})
				want[now] = float64(i)
			}
			h := sh.headOf(5)
			require.True(t, slices.IsSortedFunc(h.tail, func(a, b codec.Point) int { return int(a.T - b.T) }))
			require.LessOrEqual(t, len(h.tail), KeepPoints+packPoints)
			if n := len(h.tail); n > 0 {
				require.Equal(t, want[h.tail[n-1].T], h.tail[n-1].V, "the newest is as it arrived last")
			}
		}
		got := map[int64]float64{}
		for at, v := range stored {
			got[at] = v
		}
		for _, p := range sh.unsealed(5, sh.headOf(5), &pk.dec) {
			got[p.T] = p.V
		}
		require.Equal(t, want, got)
	}
}

func TestInOrderKeepsTheLastOfEachTime(t *testing.T) {
	in := []codec.Point{{T: 3, V: 1}, {T: 1, V: 2}, {T: 3, V: 3}, {T: 2, V: 4}, {T: 1, V: 5}}
	assert.Equal(t, []codec.Point{{T: 1, V: 5}, {T: 2, V: 4}, {T: 3, V: 3}}, inOrder(in))
	assert.Empty(t, inOrder(nil))
	sorted := []codec.Point{{T: 1}, {T: 2}}
	assert.Equal(t, sorted, inOrder(sorted))
}

func TestNewestPointsSurviveInTheirBlob(t *testing.T) {
	sh := &shard{}
	var pk packer
	for id := int64(3); id < 3*shardCount*4; id += shardCount {
		for i := range int64(20) {
			sh.add(codec.Tagged{Series: id, Point: codec.Point{T: i * 1000, V: float64(id) + float64(i)/10}})
		}
	}
	blob := sh.appendHeads(nil, 3, &pk)
	again := &shard{}
	newest, err := again.loadHeads(blob, &pk.dec)
	require.NoError(t, err)
	assert.Equal(t, int64(19_000), newest)
	sh.each(3, func(id int64, h *head) {
		assert.Equal(t, h.tail[len(h.tail)-KeepPoints:], again.head(id).tail)
	})
	for n := 1; n < len(blob); n += 7 {
		_, err := (&shard{}).loadHeads(blob[:n], &pk.dec)
		_ = err // a cut between two series cannot be told; it must not panic
	}
	_, err = (&shard{}).loadHeads([]byte{0x80}, &pk.dec)
	assert.ErrorIs(t, err, codec.ErrCorrupt)
	_, err = (&shard{}).loadHeads([]byte{1, 200, 1, 1}, &pk.dec)
	assert.ErrorIs(t, err, codec.ErrCorrupt, "a negative id")
}

func TestPartitions(t *testing.T) {
	for day, want := range map[int]string{0: "days_k0_0", 6: "days_k0_0", 7: "days_k0_7", -1: "days_k0_m7", 20_781: "days_k0_20776"} {
		name, from, to := daysTable.partition(keepUsual, day)
		assert.Equal(t, want, name, day)
		assert.LessOrEqual(t, from, day)
		assert.Greater(t, to, day)
		assert.Equal(t, 7, to-from)
	}
	assert.Equal(t, []int{-28, -28, 0, 0, 28}, []int{monthOf(-28), monthOf(-1), monthOf(0), monthOf(27), monthOf(28)})
	for width, want := range map[int64]string{
		dayMillis: "rollup_1d", 3 * dayMillis: "rollup_1d", 6 * hourMillis: "rollup_1h", 45 * 60_000: "rollup_5m", 60_000: "",
		7000: "",
	} {
		table, _, ok := rollupFor(width)
		assert.Equal(t, want, table.name)
		assert.Equal(t, want != "", ok)
	}
}

// What comes for a day while it is folded is folded again; what comes for others is not held
// against it.
func TestOnlyWhatComesForTheDayIsNoted(t *testing.T) {
	var f folding
	f.note([]chunkRow{{day: 5, series: 1}})
	f.begin(5)
	f.note([]chunkRow{{day: 5, series: 2}, {day: 6, series: 3}})
	assert.Equal(t, map[int64]bool{2: true}, f.arrived)
}
