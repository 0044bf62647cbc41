package condition

import (
	"errors"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var columns = []Column{{"type", Whole}, {"load", Real}, {"name", Text}}

func of(values map[string]any) Values {
	return func(name string) (any, bool) { v, ok := values[name]; return v, ok }
}

func TestConditionsDecideByColumns(t *testing.T) {
	row := of(map[string]any{"type": int64(24), "load": 12.5, "name": "lo0"})
	for text, want := range map[string]bool{
		`type == 24`:                             true,
		`type != 24`:                             false,
		`type in [6, 24]`:                        true,
		`name.startsWith("lo") && load > 12.4`:   true,
		`name.matches("^eth[0-9]+$")`:            false, // RE2
		`load > 12`:                              true,  // a real and a whole number
		`name.lowerAscii() == "lo0" || type > 9`: true,
		`true`:                                   true,
	} {
		c, err := Compile(text, columns)
		require.NoError(t, err, text)
		got, _, err := c.Holds(row)
		require.NoError(t, err, text)
		assert.Equal(t, want, got, text)
	}
}

func TestWhyAConditionHolds(t *testing.T) {
	c, err := Compile(`name != "lo0" && load < 50.0`, columns)
	require.NoError(t, err)
	holds, because, err := c.Holds(of(map[string]any{"type": int64(6), "load": 12.5, "name": "eth0"}))
	require.NoError(t, err)
	assert.True(t, holds)
	assert.Equal(t, "load is 12.5, name is “eth0”", because, "what it asks for and nothing else")
	assert.Equal(t, `name != "lo0" && load < 50.0`, c.Text())
}

func TestWhatIsWrongIsToldAtItsPlace(t *testing.T) {
	for text, want := range map[string]Wrong{
		`type == `:                        {1, 9, "mismatched input"},
		`type = 24`:                       {1, 6, "two things are compared by =="},
		`typ == 24`:                       {1, 1, "there is no column “typ”; there are type, load, name"},
		`type == "24"`:                    {1, 6, "found no matching overload"},
		`name == "a" && kind > 3`:         {1, 16, "there is no column “kind”"},
		"type == 1 &&\n  nam == \"x\"":    {2, 3, "there is no column “nam”"},
		`type + 1`:                        {1, 1, "it must come out as true or false, and comes out as int"},
		``:                                {1, 1, "mismatched input"},
		strings.Repeat("true && ", 400):   {1, 1, "at most 2000 characters"},
		"name == \"\xff\"":                {1, 1, "at most"},
		`name.matches("[")`:               {1, 14, "invalid matches argument"},
		strings.Repeat("(", 900) + "true": {1, 0, ""},
	} {
		_, err := Compile(text, columns)
		var got Wrong
		if !assert.ErrorAs(t, err, &got, text) {
			continue
		}
		assert.Contains(t, got.Text, want.Text, text)
		if want.Column > 0 {
			assert.Equal(t, [2]int{want.Line, want.Column}, [2]int{got.Line, got.Column}, text)
		}
	}
	assert.Equal(t, "character 5: no", Wrong{1, 5, "no"}.Error())
	assert.Equal(t, "line 2, character 5: no", Wrong{2, 5, "no"}.Error())
}

// What is not there is told; what decides without it does.
func TestRowsWithoutAValue(t *testing.T) {
	c, err := Compile(`type == 24`, columns)
	require.NoError(t, err)
	_, _, err = c.Holds(of(nil))
	assert.ErrorIs(t, err, errMissing)
	assert.ErrorContains(t, err, "type has no value")
	c, err = Compile(`type == 24 || name == "x"`, columns)
	require.NoError(t, err)
	holds, _, err := c.Holds(of(map[string]any{"name": "x"}))
	require.NoError(t, err)
	assert.True(t, holds)
}

// A condition that would take too long for a row is stopped, and told.
func TestCostIsBounded(t *testing.T) {
	c, err := Compile(`[1,2,3,4,5,6,7,8,9].all(a, [1,2,3,4,5,6,7,8,9].all(b, [1,2,3,4,5,6,7,8,9].all(c, `+
		`[1,2,3,4,5,6,7,8,9].all(d, a + b + c + d < type))))`, columns)
	require.NoError(t, err)
	_, _, err = c.Holds(of(map[string]any{"type": int64(1000)}))
	require.Error(t, err)
	assert.Contains(t, err.Error(), "cost limit")
	assert.False(t, errors.Is(err, errMissing))
}

func TestCountersEndWhereWholeNumbersDo(t *testing.T) {
	assert.Equal(t, int64(math.MaxInt64), Counted(math.MaxUint64))
	assert.Equal(t, int64(7), Counted(7))
}

func FuzzCompile(f *testing.F) {
	f.Add(`type == 24 && name.matches("^a")`)
	f.Add(`[[`)
	f.Fuzz(func(t *testing.T, text string) {
		c, err := Compile(text, columns)
		if err != nil {
			var w Wrong
			if !errors.As(err, &w) || w.Line < 1 || w.Column < 1 {
				t.Errorf("%q: %v", text, err)
			}
			return
		}
		_, _, _ = c.Holds(of(map[string]any{"type": int64(1), "load": 1.0, "name": "x"}))
	})
}
