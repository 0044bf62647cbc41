package kit

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"tirelessowl/internal/core/derive"
	"tirelessowl/internal/domain"
)

func TestWhatAReadingWaitsFor(t *testing.T) {
	noon := time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)
	src := Source{Key: "whole", Every: time.Minute}
	plain, counter := Reading{Name: "Load"}, Reading{Name: "In", Steps: []derive.Written{{Do: "rate"}}}
	asked := domain.SourceRun{At: noon, Rows: 2, Next: noon.Add(time.Minute)}
	for _, c := range []struct {
		of      Reading
		run     domain.SourceRun
		problem string
		want    string
	}{
		{plain, domain.SourceRun{}, "", "its source to be asked: nothing is planned now"},
		{plain, domain.SourceRun{Next: noon}, "", "the first answer of “whole”"},
		{plain, asked, "no answer within 2 s", "an answer: no answer within 2 s"},
		{counter, asked, "", "a second look at its counter"},
		{plain, asked, "", "a value: the last answer had none"},
	} {
		w := Waits(c.of, src, c.run, c.problem)
		assert.Equal(t, c.want, w.For)
		assert.Equal(t, c.run.Next, w.Until)
		assert.Equal(t, c.want, w.Why.Answer)
		assert.NotEmpty(t, w.Why.Facts)
	}
	w := Waits(counter, src, asked, "")
	assert.Equal(t, "a second look at its counter, in 45\u00a0s", w.Words(noon.Add(15*time.Second)))
	assert.Equal(t, "a second look at its counter, now", w.Words(noon.Add(time.Minute)))
	assert.Equal(t, "next at 12:01:00 UTC", Waits(plain, src, asked, "").Why.Facts[1].Detail)
}
