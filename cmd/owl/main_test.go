package main

import (
	"bytes"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/exchange"
)

func TestFormatFollowsTheFile(t *testing.T) {
	for _, c := range []struct {
		given, file string
		want        exchange.Format
	}{
		{want: exchange.NDJSON},
		{file: "x.csv", want: exchange.CSV},
		{file: "x.om", want: exchange.OpenMetrics},
		{given: "ndjson", file: "x.csv", want: exchange.NDJSON},
	} {
		got, err := format{c.given}.of(c.file)
		assert.NoError(t, err)
		assert.Equal(t, c.want, got)
	}
	_, err := format{"xml"}.of("")
	assert.ErrorIs(t, err, exchange.ErrFormat)
}

func TestExportIsOfTheLastDayUnlessTold(t *testing.T) {
	now := time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)
	sel := samplesExport{}.selection(now)
	assert.Equal(t, []time.Time{now.AddDate(0, 0, -1), now}, []time.Time{sel.From, sel.To})
	past := now.AddDate(0, -1, 0)
	sel = samplesExport{From: past.AddDate(0, 0, -3), To: past, Part: "port1"}.selection(now)
	assert.Equal(t, []time.Time{past.AddDate(0, 0, -3), past}, []time.Time{sel.From, sel.To})
	assert.Equal(t, "port1", sel.Part)
}

func TestCommandsThatCannotBe(t *testing.T) {
	t.Setenv("OWL_DATA_DIR", t.TempDir())
	for _, args := range [][]string{
		{"wobble"}, {"samples"}, {"samples", "wobble"}, {"samples", "import"}, {"samples", "export", "--from", "yesterday"},
		{"samples", "import", "--file", "/nowhere"},
		{"user"}, {"user", "add", "--name", "x", "--level", "king"}, {"token", "make"}, {"token", "create", "--level", "see"},
		{"sim", "--origin", "noon"},
		{"serve", "--listen", "nowhere"}, {"demo", "--demo-base", "::1"}, {"serve", "--keep-days", "90abc"},
		{"serve", "--log-level", "chatty"},
		{"demo-large", "--devices", "0"}, {"demo-large", "--devices", "20001"}, {"demo-large", "--days", "401"},
		{"fleet", "--devices", "-1"},
	} {
		assert.Error(t, run(t.Context(), args, io.Discard), args)
	}
}

func TestHelpNamesCommandsAndSettings(t *testing.T) {
	for _, args := range [][]string{nil, {"help"}, {"--help"}} {
		var out bytes.Buffer
		assert.NoError(t, run(t.Context(), args, &out))
		for _, want := range []string{
			"serve", "demo-large", "samples export", "user add", "--keep-days", "OWL_KEEP_DAYS", "debug,info,warn,error",
		} {
			assert.Contains(t, out.String(), want, args)
		}
		assert.NotContains(t, out.String(), "fleet")
	}
	var out bytes.Buffer
	assert.NoError(t, run(t.Context(), []string{"help", "samples", "import"}, &out))
	assert.Contains(t, out.String(), "--check")
}
