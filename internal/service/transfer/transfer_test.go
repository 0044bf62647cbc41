package transfer_test

import (
	"context"
	"errors"
	"math"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/store"
	"tirelessowl/internal/testkit"
)

func TestMain(m *testing.M) { testkit.Main(m) }

var noon = time.Now().UTC().Truncate(24 * time.Hour).Add(-36 * time.Hour)

// world is a device with a volume and two series.
func world(t *testing.T) (*transfer.Service, *store.Store, []domain.Series) {
	t.Helper()
	s, ctx := testkit.Store(t), t.Context()
	p, err := s.Places.Save(ctx, domain.Place{Name: "Pier", Kind: domain.Site})
	require.NoError(t, err)
	d, err := s.Devices.Add(
		ctx,
		domain.Device{PlaceID: p.ID, Name: "log-1", Address: netip.MustParseAddr("192.0.2.1"), CreatedAt: noon},
		"",
		nil,
	)
	require.NoError(t, err)
	parts, err := s.Parts.Add(ctx, []domain.Part{{DeviceID: d.ID, Kit: "h", Kind: "volume", Key: "/data", Index: "1", Name: "/data"}})
	require.NoError(t, err)
	series, err := s.Series.Add(
		ctx,
		[]domain.Series{{DeviceID: d.ID, Kit: "h", Reading: "cpu", Name: "Processor", Unit: "%", Interval: time.Minute},
			{DeviceID: d.ID, PartID: parts[0].ID, Kit: "h", Reading: "used", Name: "Used", Unit: "%", Interval: time.Minute}},
	)
	require.NoError(t, err)
	return transfer.New(s, testkit.Desk(s)), s, series
}

func export(t *testing.T, svc *transfer.Service, f exchange.Format, sel transfer.Selection) string {
	t.Helper()
	var text strings.Builder
	w, err := exchange.NewWriter(f, &text)
	require.NoError(t, err)
	n, err := svc.Export(t.Context(), testkit.Anyone, sel, w)
	require.NoError(t, err)
	assert.Equal(t, strings.Count(text.String(), "log-1"), int(n), "it says how many there are")
	return text.String()
}

// What one system takes out another brings in, in every format.
func TestMovingIn(t *testing.T) {
	old, s, series := world(t)
	var batch []domain.SeriesSample
	for m := range 2000 {
		at := noon.Add(time.Duration(m) * time.Minute)
		batch = append(
			batch,
			domain.SeriesSample{SeriesID: series[0].ID, Sample: domain.Sample{At: at, Value: float64(m) / 10}},
			domain.SeriesSample{SeriesID: series[1].ID, Sample: domain.Sample{At: at, Value: 83.2}},
		)
	}
	require.NoError(t, s.Samples.Append(t.Context(), batch))
	all := transfer.Selection{From: noon, To: noon.Add(48 * time.Hour)}
	for _, f := range exchange.Formats {
		text := export(t, old, f, all)
		svc, to, fresh := world(t)
		checked, err := svc.Check(t.Context(), testkit.Anyone, f, strings.NewReader(text))
		require.NoError(t, err)
		assert.Equal(t, int64(4000), checked.Samples)
		assert.Equal(t, 2, checked.Series)
		assert.Equal(t, noon, checked.From)
		assert.Equal(t, noon.Add(1999*time.Minute), checked.To)
		assert.Empty(t, to.Values.LatestIn([]domain.ID{fresh[0].ID}), "a check changes nothing")
		for range 2 {
			_, err = svc.Import(t.Context(), testkit.Anyone, f, strings.NewReader(text))
			require.NoError(t, err)
		}
		assert.Equal(t, text, export(t, svc, f, all), "%s: the same comes out again", f)
		assert.Equal(t, 199.9, to.Values.LatestIn([]domain.ID{fresh[0].ID})[fresh[0].ID].Value)
	}
}

func TestSelections(t *testing.T) {
	svc, s, series := world(t)
	require.NoError(
		t,
		s.Samples.Append(
			t.Context(),
			[]domain.SeriesSample{
				{SeriesID: series[0].ID, Sample: domain.Sample{At: noon, Value: 1}},
				{SeriesID: series[1].ID, Sample: domain.Sample{At: noon.Add(time.Hour), Value: 2}},
			},
		),
	)
	count := func(sel transfer.Selection) int {
		sel.From, sel.To = noon, noon.Add(2*time.Hour)
		return strings.Count(export(t, svc, exchange.NDJSON, sel), "\n")
	}
	assert.Equal(t, 2, count(transfer.Selection{}))
	assert.Equal(t, 2, count(transfer.Selection{Device: "log-1"}))
	assert.Equal(t, 1, count(transfer.Selection{Reading: "used"}))
	assert.Equal(t, 1, count(transfer.Selection{Part: "/data", Kit: "h"}))
	assert.Equal(t, 1, count(transfer.Selection{SeriesID: series[0].ID}))
	w, _ := exchange.NewWriter(exchange.CSV, &strings.Builder{})
	_, err := svc.Export(t.Context(), testkit.Anyone, transfer.Selection{Device: "nobody"}, w)
	assert.ErrorIs(t, err, domain.ErrNotFound)
}

// Memory is bounded: what is held is stored, and stays when a later line is wrong.
func TestImportsComeInBlocks(t *testing.T) {
	svc, s, series := world(t)
	svc.HoldMost(10)
	text := "device,part,kit,reading,at,value\n"
	for i := range 25 {
		text += "log-1,,h,cpu," + noon.Add(time.Duration(i)*time.Minute).Format(time.RFC3339) + ",-0\n"
	}
	got, err := svc.Import(t.Context(), testkit.Anyone, exchange.CSV, strings.NewReader(text+"nonsense,,,,,\n"))
	assert.ErrorContains(t, err, "line 27")
	assert.Equal(t, int64(25), got.Samples)
	assert.Equal(
		t,
		20,
		strings.Count(export(t, svc, exchange.NDJSON, transfer.Selection{From: noon, To: noon.Add(time.Hour)}), "\n"),
		"two blocks of ten",
	)
	zero := s.Values.LatestIn([]domain.ID{series[0].ID})[series[0].ID].Value
	assert.False(t, math.Signbit(zero), "zero has no sign")
	_, err = svc.Import(t.Context(), testkit.Anyone, exchange.CSV, strings.NewReader(text))
	require.NoError(t, err)
	assert.Equal(t, 25, strings.Count(export(t, svc, exchange.NDJSON, transfer.Selection{From: noon, To: noon.Add(time.Hour)}), "\n"))
}

func TestImportsNameWhatTheyDoNotKnow(t *testing.T) {
	svc, _, _ := world(t)
	const head = "device,part,kit,reading,at,value\n"
	for text, want := range map[string]string{
		head + "log-1,,h,cpu,2026-11-01T00:00:00Z,1\nlog-9,,h,cpu,2026-11-01T00:00:00Z,1\n": `line 3: there is no device "log-9"`,

		head + "log-1,,h,temperature,2026-11-01T00:00:00Z,1\n": `line 2: "log-1" has no reading temperature of the kit h`,
		head + "log-1,/tmp,h,used,2026-11-01T00:00:00Z,1\n":    `for the part "/tmp"`,
		head + "log-1,,h,cpu,2126-11-01T00:00:00Z,1\n": "line 2: the time " +
			"2126-11-01T00:00:00Z is in the future",
	} {
		_, err := svc.Import(t.Context(), testkit.Anyone, exchange.CSV, strings.NewReader(text))
		assert.ErrorContains(t, err, want)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := svc.Import(ctx, testkit.Anyone, exchange.CSV, strings.NewReader(head+"log-1,,h,cpu,2026-11-01T00:00:00Z,1\n"))
	assert.True(t, errors.Is(err, context.Canceled))
}
