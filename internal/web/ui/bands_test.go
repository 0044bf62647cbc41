package ui

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestBands(t *testing.T) {
	svg := string(Bands([]Band{{0, 0.5, 0, "<b>up</b>"}, {0.5, 0.5, 1, "a moment"}, {0.75, 1, 99, "rare"}}, `"quoted"`))
	assert.Contains(t, svg, `class="b0" x="0.0" width="500.0"`)
	assert.Contains(t, svg, `class="b1" x="500.0" width="1.0"`, "a moment can be seen")
	assert.Contains(t, svg, `class="b7" x="750.0" width="250.0"`, "there are eight shades")
	assert.NotContains(t, svg, "<b>", "texts of devices are escaped")
	assert.NotContains(t, svg, `""quoted`)
	assert.Equal(t, 4, strings.Count(svg, "<rect"), "one for what is not known")
}
