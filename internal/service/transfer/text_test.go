package transfer_test

import (
	"strings"
	"testing"
	"time"

	"tirelessowl/internal/testkit"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/exchange"
	"tirelessowl/internal/domain"
	"tirelessowl/internal/service/transfer"
	"tirelessowl/internal/store"
)

// describe adds a series of texts to the world.
func describe(t *testing.T, s *store.Store, device domain.ID) domain.Series {
	t.Helper()
	made, err := s.Series.Add(
		t.Context(),
		[]domain.Series{{DeviceID: device, Kit: "h", Reading: "about", Name: "About", Kind: domain.KindText, Interval: time.Minute}},
	)
	require.NoError(t, err)
	return made[0]
}

func TestTextsMoveIn(t *testing.T) {
	old, s, series := world(t)
	about := describe(t, s, series[0].DeviceID)
	var texts []domain.SeriesText
	for m, text := range []string{"release 6.1", "release 6.1", `release "6,2"`, "", "two\nlines"} {
		texts = append(texts, domain.SeriesText{SeriesID: about.ID, At: noon.Add(time.Duration(m) * time.Minute), Text: text})
	}
	coded, _, err := s.Words.Code(t.Context(), texts)
	require.NoError(t, err)
	require.NoError(t, s.Samples.Append(t.Context(), coded))
	sel := transfer.Selection{Reading: "about", From: noon, To: noon.Add(time.Hour)}
	for _, f := range exchange.Formats {
		text := export(t, old, f, sel)
		svc, to, fresh := world(t)
		copied := describe(t, to, fresh[0].DeviceID)
		got, err := svc.Import(t.Context(), testkit.Anyone, f, strings.NewReader(text))
		require.NoError(t, err)
		assert.Equal(t, int64(5), got.Samples)
		assert.Equal(t, text, export(t, svc, f, sel), "%s: the same comes out again", f)
		runs, err := to.Values.Runs(t.Context(), []domain.Series{copied}, noon, noon.Add(time.Hour))
		require.NoError(t, err)
		require.Len(t, runs[copied.ID], 4)
		assert.Equal(t, `release "6,2"`, runs[copied.ID][1].Text)
	}
}

func TestTextsAndNumbersAreNotMixedUp(t *testing.T) {
	svc, s, series := world(t)
	describe(t, s, series[0].DeviceID)
	const head = "device,part,kit,reading,at,value,text\n"
	for text, want := range map[string]string{
		head + "log-1,,h,about,2026-11-01T00:00:00Z,7,\n":      "line 2: the values of about of the kit h are texts",
		head + "log-1,,h,cpu,2026-11-01T00:00:00Z,text,warm\n": "line 2: the values of cpu of the kit h are numbers",
	} {
		_, err := svc.Import(t.Context(), testkit.Anyone, exchange.CSV, strings.NewReader(text))
		assert.ErrorContains(t, err, want)
	}
}
