package why

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsNotSeenIsNotTold(t *testing.T) {
	inner := Trace{Answer: "down"}
	inner.Because("gr-edge-1 answers", "asked at noon", To("device", 7))
	inner.Because("gr-sw-1 answers", "", To("device", 8))
	t0 := Trace{Question: "Why critical?", Answer: "no answer"}
	t0.Because("The rule says so", "", To("rule", 7)).Include("Down, or only out of reach?", inner)
	assert.Equal(t, []int64{7, 8}, t0.Refs("device"))
	told := t0.Without("device", func(id int64) bool { return id == 8 })
	assert.Equal(t, "The rule says so", told.Facts[0].Text)
	assert.Equal(t, Fact{Text: Unseen}, told.Facts[1].Facts[0])
	assert.Equal(t, "gr-sw-1 answers", told.Facts[1].Facts[1].Text)
	assert.Equal(t, "gr-edge-1 answers", t0.Facts[1].Facts[0].Text, "the trace itself stays as it is")
	assert.Equal(t, []int64{8}, told.Refs("device"))
}
