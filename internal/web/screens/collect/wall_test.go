package collect

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
	"tirelessowl/internal/web/ui"
)

// Three hours are shown: half an hour is a sixth of them. Up for an hour, down for half of one, nothing for an hour, up again.
func TestBandsOfAWall(t *testing.T) {
	now := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	at := func(minutes int, v float64) domain.Rollup {
		return domain.Rollup{At: now.Add(time.Duration(minutes) * time.Minute), Count: 10, Min: v, Avg: v, Max: v}
	}
	rollups := []domain.Rollup{at(-180, 1), at(-150, 1), at(-120, 2), at(-90, 2), at(-30, 1)}
	codes := map[int]string{1: "up", 2: "down"}
	assert.Equal(t, []ui.Band{
		{From: 0, To: 2.0 / 6, Shade: 0, Title: "up"},
		{From: 2.0 / 6, To: 3.0 / 6, Shade: 1, Title: "down"},
		{From: 5.0 / 6, To: 1, Shade: 0, Title: "up"},
	}, bandsOf(rollups, codes, now, 40*time.Minute))
	assert.Empty(t, bandsOf(nil, codes, now, time.Minute))
}

func TestValuesOfAGroupStandTogether(t *testing.T) {
	v := valuesView{Filter: domain.ValueFilter{Group: "kit"}, counts: map[string]int64{"ups": 1200}}
	for _, k := range []string{"ups", "ups", "system"} {
		row := rowView{}
		row.Kit = k
		v.Rows = append(v.Rows, row)
	}
	groups := v.Groups()
	assert.Len(t, groups, 2)
	assert.Equal(t, "1,200 in all", groups[0].Said)
	assert.Len(t, groups[0].Rows, 2)
	assert.Equal(t, "", groups[1].Said)
}
