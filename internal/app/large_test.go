package app

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/sim"
)

// Several workers bring in the past of many devices at once: every series has
// all of it.
func TestLoadLarge(t *testing.T) {
	r := build(t)
	const devices, days = 5 * largeBatch / 2, 16
	world := demo.Large{
		World:   demo.World{Store: r.Store, People: r.People, Kits: r.Kits, Community: "c", Port: 161},
		Devices: devices,
		Days:    days,
		At:      func(i int) netip.Addr { return sim.Offset(r.base, 1, i) },
	}
	var said []string
	require.NoError(
		t,
		r.loadLarge(t.Context(), world, func(format string, args ...any) { said = append(said, fmt.Sprintf(format, args...)) }),
	)
	assert.Contains(t, said[len(said)-1], "20 of 20 devices")

	all, err := r.Store.Series.Of(t.Context(), 0)
	require.NoError(t, err)
	byDevice := map[int64]int{}
	var ids []int64
	for _, x := range all {
		byDevice[x.DeviceID]++
		ids = append(ids, x.ID)
	}
	assert.Len(t, byDevice, devices)
	// 2 days of 96 quarters of an hour and 14 of 288 times five minutes; the
	// begin is rounded down to a quarter, which adds at most two steps.
	const least = 2*96 + 14*288
	counted := 0
	require.NoError(
		t,
		r.Store.Samples.Points(t.Context(), ids, time.Now().AddDate(0, 0, -days-1), time.Now(), func(id int64, p []codec.Point) error {
			counted++
			assert.GreaterOrEqual(t, len(p), least, id)
			assert.LessOrEqual(t, len(p), least+3, id)
			for i := 1; i < len(p); i++ {
				if p[i].T <= p[i-1].T {
					t.Errorf("series %d goes back at %d", id, i)
				}
			}
			return nil
		}),
	)
	assert.Equal(t, len(all), counted)
}
