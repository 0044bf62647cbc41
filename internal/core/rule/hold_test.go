package rule

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/domain"
)

var noon = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// at makes samples of the value 1 so many seconds after noon, of 0 where negative.
func at(seconds ...int) (out []domain.Sample) {
	for _, s := range seconds {
		x := domain.Sample{At: noon.Add(time.Duration(s) * time.Second), Value: 1}
		if s < 0 {
			x = domain.Sample{At: noon.Add(time.Duration(-s) * time.Second)}
		}
		out = append(out, x)
	}
	return out
}

func one(v float64) bool { return v == 1 }

func TestHold(t *testing.T) {
	for name, c := range map[string]struct {
		hold Hold
		past []domain.Sample
		want bool
	}{
		"one value":              {Hold{Values: 1}, at(10), true},
		"no value":               {Hold{Values: 1}, nil, false},
		"three, the last ones":   {Hold{Values: 3}, at(-10, 20, 30, 40), true},
		"three with a hole":      {Hold{Values: 3}, at(20, -30, 40), false},
		"too few":                {Hold{Values: 3}, at(20, 30), false},
		"a minute to the second": {Hold{Time: time.Minute}, at(10, 40, 70), true},
		"a second short":         {Hold{Time: time.Minute}, at(11, 40, 70), false},
		"broken within":          {Hold{Time: time.Minute}, at(10, -40, 70), false},
		"a single old value":     {Hold{Time: time.Minute}, at(10), false},
		"over a gap":             {Hold{Time: time.Minute}, at(10, 3000), true},
		"none":                   {Hold{Time: time.Minute}, nil, false},
	} {
		assert.Equal(t, c.want, c.hold.Met(c.past, one), name)
	}
}

func TestHoldAsText(t *testing.T) {
	for text, want := range map[string]Hold{
		"1 value": {Values: 1}, "3 values": {Values: 3}, "4": {Values: 4}, " 60 values ": {Values: 60},
		"10 min": {Time: 10 * time.Minute}, "90s": {Time: 90 * time.Second},
		"2 h": {Time: 2 * time.Hour}, "6h": {Time: 6 * time.Hour},
	} {
		got, err := ParseHold(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
		back, err := json.Marshal(got)
		require.NoError(t, err)
		var again Hold
		require.NoError(t, json.Unmarshal(back, &again))
		assert.Equal(t, want, again, string(back))
	}
	for _, text := range []string{"", "0", "61", "0 min", "7 h", "-3", "3.5", "soon", "3 days", "99999999999999999999"} {
		_, err := ParseHold(text)
		assert.Error(t, err, text)
	}
	assert.Equal(t, "", Hold{Values: 1}.Words())
	assert.Equal(t, " for 2 values in a row", Hold{Values: 2}.Words())
	assert.Equal(t, "1 value", Hold{Values: 1}.Took())
	errs := domain.FieldErrors{}
	assert.Equal(t, Hold{Values: 1}, ReadHold(errs, "for", " "))
	assert.Empty(t, errs)
	ReadHold(errs, "for", "x")
	Hold{Values: 2, Time: time.Minute}.Validate(errs, "both")
	assert.Contains(t, errs, "for")
	assert.Contains(t, errs, "both")
}

func TestWindow(t *testing.T) {
	past := at(0, 10, 20, 30, 40, 50)
	for want, w := range map[int]Window{
		5: {Count: 1},
		3: {Count: 3},
		0: {Count: 9},
		2: {Count: 1, Span: 25 * time.Second}, // since 25: the one at 20 is before it
		1: {Count: 5, Span: 25 * time.Second},
	} {
		assert.Equal(t, want, w.Needs(past), "%+v", w)
	}
	assert.Equal(t, 0, Window{Count: 1, Span: time.Hour}.Needs(past))
	assert.Equal(t, 0, Window{Count: 1, Span: time.Hour}.Needs(nil))
	assert.Equal(t, Window{3, time.Minute}, Window{Count: 3}.Join(Window{Count: 1, Span: time.Minute}))
}
