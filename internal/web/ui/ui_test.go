package ui

import (
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/why"
	"tirelessowl/internal/domain"
)

func TestRibbonIsEmptyWhereFine(t *testing.T) {
	calm := string(Ribbon([]domain.Health{domain.Fine, domain.Fine}, "edge"))
	assert.NotContains(t, calm, "class=\"critical\"")
	assert.Contains(t, calm, "edge: fine all the time")
	strip := string(Ribbon([]domain.Health{domain.Fine, domain.Critical, domain.Notice, domain.Critical}, `<b>"x"`))
	assert.Equal(t, 1, strings.Count(strip, `class="critical"`), "one path for each state")
	assert.Equal(t, 2, strings.Count(strip, "v-18"), "two slots of full height")
	assert.Contains(t, strip, "critical in 2 of 4 slots, notice in 1 of 4 slots")
	assert.NotContains(t, strip, "<b>", "names are escaped")
}

func TestGlyphsAreNamed(t *testing.T) {
	sprite, err := static.ReadFile("static/glyphs.svg")
	assert.NoError(t, err)
	for _, h := range domain.AllHealth() {
		assert.Contains(t, string(sprite), `id="`+string(h)+`"`)
		assert.Contains(t, string(Glyph(h)), `aria-label="`+string(h)+`"`)
	}
}

func TestLinks(t *testing.T) {
	assert.Equal(t, "/devices/7", Link(why.To("device", 7)))
	assert.Equal(t, "/judge/rules/3", Link(why.To("rule", 3)))
	assert.Empty(t, Link(nil))
	assert.Empty(t, Link(why.To("rule", 0)))
	assert.Empty(t, Link(why.To("elsewhere", 1)))
}

func TestTextHelpers(t *testing.T) {
	assert.Equal(t, "1 device", Count(1, "device"))
	assert.Equal(t, "1,234,567 devices", Count(1234567, "device"))
	assert.Equal(t, "999", Thousands(999))
	assert.Equal(t, "–", Ago(time.Time{}))
	assert.Equal(t, "–", string(Time(time.Time{}, "clock", "15:04")))
	at := time.Date(2026, 11, 23, 3, 40, 0, 0, time.FixedZone("x", 3600))
	assert.Contains(t, string(Time(at, "clock", "15:04")), `datetime="2026-11-23T02:40:00Z"`, "UTC goes to the browser")
	assert.Contains(t, string(Meter(250, "critical")), `width="100.0"`)
	assert.Contains(t, string(Meter(-5, `"x`)), `width="0.0"`)
}

// Every file that the styles name must be there, as seen from where they are served.
func TestStylesNameWhatIsServed(t *testing.T) {
	styles, err := static.ReadFile("static/vendor/owl.css")
	assert.NoError(t, err)
	named := regexp.MustCompile(`url\(([^#)][^)]*)\)`).FindAllStringSubmatch(string(styles), -1)
	assert.NotEmpty(t, named)
	for _, m := range named {
		_, err := static.ReadFile("static/vendor/" + m[1])
		assert.NoError(t, err)
	}
}
