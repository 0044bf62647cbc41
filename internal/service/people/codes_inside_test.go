package people

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/domain"
)

// The secret of RFC 6238, appendix B, in base 32: “12345678901234567890”. Of its values
// for SHA-1 the last six digits are those of a shorter code.
const rfcSecret domain.Secret = "GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ"

func TestCodesAreThoseOfTheStandard(t *testing.T) {
	for at, code := range map[int64]string{59: "287082", 1111111109: "081804", 1234567890: "005924", 2000000000: "279037"} {
		step, ok := stepOf(rfcSecret, code, time.Unix(at, 0))
		assert.True(t, ok, at)
		assert.Equal(t, at/30, step)
	}
}

// The code of 59 s is that of the step from 30 s to 60 s; it is taken a step before and
// after, and no further.
func TestCodesHoldForAStepBeforeAndAfter(t *testing.T) {
	for at, holds := range map[int64]bool{-1: false, 0: true, 29: true, 30: true, 60: true, 89: true, 90: false, 3600: false} {
		_, ok := stepOf(rfcSecret, "287 082", time.Unix(at, 0))
		assert.Equal(t, holds, ok, at)
	}
	for _, wrong := range []string{"", "28708", "2870821", "287083", "abcdef"} {
		_, ok := stepOf(rfcSecret, wrong, time.Unix(59, 0))
		assert.False(t, ok, wrong)
	}
	_, ok := stepOf("not base 32!", "287082", time.Unix(59, 0))
	assert.False(t, ok)
}
