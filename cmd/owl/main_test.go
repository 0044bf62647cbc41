package main

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/exchange"
)

func TestTakeCutsOwnFlags(t *testing.T) {
	own, rest := take([]string{"--name", "a b", "--listen", "127.0.0.1:1", "-level=see", "--name=c", "name"}, "name", "level")
	assert.Equal(t, map[string]string{"name": "c", "level": "see"}, own)
	assert.Equal(t, []string{"--listen", "127.0.0.1:1", "name"}, rest)
	own, rest = take([]string{"--name"}, "name")
	assert.Empty(t, own)
	assert.Equal(t, []string{"--name"}, rest, "a flag without its value is left for the settings to refuse")
}

func TestFormatFollowsTheFile(t *testing.T) {
	for _, c := range []struct {
		own  map[string]string
		want exchange.Format
	}{
		{map[string]string{}, exchange.NDJSON},
		{map[string]string{"file": "x.csv"}, exchange.CSV},
		{map[string]string{"out": "x.om"}, exchange.OpenMetrics},
		{map[string]string{"file": "x.csv", "format": "ndjson"}, exchange.NDJSON},
	} {
		got, err := formatOf(c.own)
		assert.NoError(t, err)
		assert.Equal(t, c.want, got)
	}
	_, err := formatOf(map[string]string{"format": "xml"})
	assert.ErrorIs(t, err, exchange.ErrFormat)
}

func TestLargeSizeStaysInBounds(t *testing.T) {
	assert.Equal(t, 2000, largeSize(nil).Devices)
	assert.Equal(t, 90, largeSize(map[string]string{"devices": "0", "days": "x"}).Days)
	assert.Equal(t, 300, largeSize(map[string]string{"devices": "300", "days": "9999"}).Devices)
}

func TestCommandsThatDoNotExist(t *testing.T) {
	for _, args := range [][]string{{"wobble"}, {"samples"}, {"samples", "wobble"}, {"samples", "import"}, {"samples", "export", "--from", "yesterday"}, {"samples", "import", "--file", "/nowhere"},
		{"user"}, {"token", "make"}, {"sim", "--origin", "noon"}, {"serve", "--listen", "nowhere"}} {
		assert.Error(t, run(context.Background(), args), args)
	}
	assert.NoError(t, run(context.Background(), []string{"help"}))
	assert.NoError(t, run(context.Background(), nil))
}
