package ui

import (
	"net/url"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestFillSearchesSortsAndPages(t *testing.T) {
	type row struct {
		name string
		n    int
		at   time.Time
	}
	at := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	all := []row{{"pier", 2, at}, {"Quay", 1, at.Add(time.Hour)}, {"anchor", 2, at.Add(2 * time.Hour)}, {"buoy", 3, at}}
	columns := Columns[row]{
		"":     ByText(func(r row) string { return r.name }),
		"n":    ByNumber(func(r row) int { return r.n }),
		"time": Latest(func(r row) time.Time { return r.at }),
	}
	filled := func(query string) Filled[row] {
		q, err := url.ParseQuery(query)
		assert.NoError(t, err)
		return Fill("/list", q, 3, all, func(r row) string { return r.name }, columns)
	}
	names := func(f Filled[row]) (out []string) {
		for _, r := range f.Rows {
			out = append(out, r.name)
		}
		return out
	}
	assert.Equal(t, []string{"anchor", "buoy", "pier"}, names(filled("")))
	assert.Equal(t, []string{"Quay"}, names(filled("page=1")))
	assert.Equal(t, []string{"Quay", "anchor", "pier"}, names(filled("sort=n")), "those alike by name")
	assert.Equal(t, []string{"buoy", "pier", "anchor"}, names(filled("sort=-n")))
	assert.Equal(t, []string{"anchor", "Quay", "buoy"}, names(filled("sort=time")))
	assert.Equal(t, []string{"buoy", "Quay"}, names(filled("q=+U")))
	assert.Equal(t, names(filled("")), names(filled("sort=nothing")))
	assert.Equal(t, int64(4), filled("").Total)
	assert.Empty(t, names(filled("q=zzz")))
}
