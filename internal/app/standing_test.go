package app

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/codec"
	"tirelessowl/internal/demo"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/store"
	"tirelessowl/internal/store/samples"
)

// pastOf brings in ten days of a series, a sample each five minutes, until
// a day ago.
func (r *running) pastOf(t *testing.T, id domain.ID, value func(hour int) float64) {
	t.Helper()
	h := samples.History{Series: id}
	begin := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, -11)
	for m := 0; m < 10*1440; m += 5 {
		h.Points = append(h.Points, codec.Point{T: begin.Add(time.Duration(m) * time.Minute).UnixMilli(), V: value(m / 60)})
	}
	require.NoError(t, r.Store.Samples.Import(t.Context(), []samples.History{h}))
}

func TestStatesAndTextsTellSinceWhenTheyStand(t *testing.T) {
	r, _ := world(t)
	c, ctx := browser(t), t.Context()
	r.signIn(t, c, demo.Password)
	find := func(device, part, reading string) store.NamedSeries {
		named, err := r.Store.Series.Named(ctx, store.NamedFilter{Device: device, Part: part, Reading: reading})
		require.NoError(t, err)
		require.Len(t, named, 1)
		return named[0]
	}
	about, port := find("host-1", "", "description"), find("hq-core-1", "port33", "state")
	coded, _, err := r.Store.Words.Code(
		ctx,
		[]domain.SeriesText{{SeriesID: about.ID, Text: "Fathom Systems FH-2 hypervisor host, build 7714"}},
	)
	require.NoError(t, err)
	r.pastOf(t, about.ID, func(int) float64 { return coded[0].Value })
	r.pastOf(t, port.ID, func(hour int) float64 { return float64(1 + hour/12%2*4) }) // up until noon, then dormant
	_, body, _ := get(t, c, r.url+fmt.Sprintf("/series/%d?span=14d", about.ID))
	assert.Contains(t, body, "build 7714")
	assert.Contains(t, body, "build 7731")
	assert.Equal(t, 2, strings.Count(body, "<title>Fathom"), "two bands")
	_, body, _ = get(t, c, r.url+fmt.Sprintf("/series/%d?span=14d&only=Fathom+Systems+FH-2+hypervisor+host%%2C+build+7714", about.ID))
	assert.Contains(t, body, "When it was “Fathom")
	_, body, _ = get(t, c, r.url+fmt.Sprintf("/series/%d?span=14d&only=%%3Cb%%3Ezzz", about.ID))
	assert.Contains(t, body, "did not have this value in this time")
	assert.Contains(t, body, "“&lt;b&gt;zzz”")
	assert.NotContains(t, body, "1–0 of 0")
	_, body, _ = get(t, c, r.url+fmt.Sprintf("/series/%d?span=1h", about.ID))
	assert.Contains(t, body, "build 7731")
	assert.NotContains(t, body, "build 7714")
	_, body, _ = get(t, c, r.url+fmt.Sprintf("/series/%d?span=14d", port.ID))
	assert.Contains(t, body, "State of port33")
	assert.Contains(t, body, "Stood in all")

	type stood struct {
		Runs   []domain.Run
		Shares []struct {
			Text  string
			Share float64
			Times int
		}
		Known float64 `json:"known_seconds"`
	}
	var got stood
	require.Equal(t, 200, r.call(t, http.MethodGet, fmt.Sprintf("/series/%d/runs?hours=300", port.ID), nil, &got))
	require.Len(t, got.Shares, 2)
	assert.ElementsMatch(t, []string{"up", "dormant"}, []string{got.Shares[0].Text, got.Shares[1].Text})
	assert.InDelta(t, 1, got.Shares[0].Share+got.Shares[1].Share, 1e-9)
	assert.Greater(t, got.Shares[0].Times, 8, "twice a day it changed")
	assert.Greater(t, got.Known, 230.0*3600)
	assert.Equal(t, 409, r.call(t, http.MethodGet, fmt.Sprintf("/series/%d/runs", find("host-1", "", "cpu").ID), nil, nil))

	var keep struct {
		Usual    domain.KeepDays
		Readings []struct {
			Kit  string
			Keep domain.KeepDays
		}
	}
	assert.Equal(t, 200, r.call(t, http.MethodPut, "/samples/keep/system/description", map[string]int{"hours": 900}, nil))
	assert.Equal(t, 422, r.call(t, http.MethodPut, "/samples/keep/system/description", map[string]int{"points": 9000}, nil))
	assert.Equal(t, 404, r.call(t, http.MethodPut, "/samples/keep/system/wobble", map[string]int{"points": 9}, nil))
	require.Equal(t, 200, r.call(t, http.MethodGet, "/samples/keep", nil, &keep))
	require.Len(t, keep.Readings, 1)
	assert.Equal(t, domain.KeepDays{Hours: 900}, keep.Readings[0].Keep)
	assert.Equal(t, 14, keep.Usual.Points)
}
