package cadence

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestByHand(t *testing.T) {
	every := 15 * time.Second
	assert.Equal(t, 45*time.Second, Gap(every), "3 × 15")
	assert.False(t, Stale(90*time.Second, every), "4 × 15 + 30 = 90")
	assert.True(t, Stale(91*time.Second, every))
	assert.Equal(t, 105*time.Second, Silence(every), "5 × 15 + 30")
	assert.Equal(t, 70*time.Second, Wait(every), "4 × 15 + 10")
}
