package store_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/testkit"
)

func TestRemovedDevicesAreFilteredSortedAndPaged(t *testing.T) {
	s, ctx := testkit.Store(t), t.Context()
	first, _ := world(t, s)
	ids := []domain.ID{first.ID}
	for i := range 3 {
		d, err := s.Devices.Add(
			ctx,
			domain.Device{
				PlaceID:   first.PlaceID,
				Name:      fmt.Sprint("np_", 2-i),
				Kind:      "switch",
				Address:   netip.MustParseAddr(fmt.Sprint("192.0.2.", 20+i)),
				CreatedAt: now,
			},
			"",
			nil,
		)
		require.NoError(t, err)
		ids = append(ids, d.ID)
	}
	for i, id := range ids[:3] {
		require.NoError(t, s.Devices.Remove(ctx, id, now.Add(time.Duration(i)*time.Minute)))
	}
	for name, c := range map[string]struct {
		f     domain.RemovedFilter
		want  []int // of ids
		total int64
	}{
		"the last first":     {domain.RemovedFilter{}, []int{2, 1, 0}, 3},
		"the first first":    {domain.RemovedFilter{Sort: "removed"}, []int{0, 1, 2}, 3},
		"by name":            {domain.RemovedFilter{Sort: "name"}, []int{0, 2, 1}, 3},
		"by history":         {domain.RemovedFilter{Sort: "-series"}, []int{0, 2, 1}, 3},
		"the second page":    {domain.RemovedFilter{Sort: "removed", Limit: 2, Offset: 2}, []int{2}, 3},
		"part of a name":     {domain.RemovedFilter{Search: "P_1"}, []int{2}, 1},
		"an address":         {domain.RemovedFilter{Search: "192.0.2.20"}, []int{1}, 1},
		"a place":            {domain.RemovedFilter{Search: "skerry"}, []int{2, 1, 0}, 3},
		"no order of theirs": {domain.RemovedFilter{Sort: "1; DROP TABLE places"}, []int{2, 1, 0}, 3},
	} {
		got, total, err := s.Devices.Removed(ctx, c.f)
		require.NoError(t, err, name)
		var have, want []domain.ID
		for _, x := range got {
			have = append(have, x.ID)
		}
		for _, i := range c.want {
			want = append(want, ids[i])
		}
		assert.Equal(t, want, have, name)
		assert.Equal(t, c.total, total, name)
	}
	gone, removed, err := s.Devices.Ever(ctx, ids[1])
	require.NoError(t, err)
	assert.True(t, removed)
	assert.Equal(t, "np_2", gone.Name)
	_, removed, err = s.Devices.Ever(ctx, ids[3])
	require.NoError(t, err)
	assert.False(t, removed)
	_, _, err = s.Devices.Ever(ctx, 999)
	assert.ErrorIs(t, err, domain.ErrNotFound)
	names, err := s.Devices.Names(ctx, ids)
	require.NoError(t, err)
	assert.Len(t, names, 4, "history keeps its names")
}
