package ui

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestChangesOfSharesArePoints(t *testing.T) {
	for _, c := range []struct {
		by   float64
		unit string
		want string
	}{
		{2.39, "%", "+2.39\u00a0points"}, {-0.02, "%", "−0.02\u00a0points"}, {1, "%", "+1\u00a0point"},
		{-1, "%", "−1\u00a0point"}, {0, "%", ""},
		{1500, "bit/s", "+1.5\u00a0kbit/s"}, {-0.5, "Cel", "−0.5\u00a0°C"},
	} {
		assert.Equal(t, c.want, change(c.by, c.unit))
	}
}
