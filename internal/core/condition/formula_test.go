package condition

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func numbers(have map[string]float64) Number {
	return func(name string) (float64, bool) { n, ok := have[name]; return n, ok }
}

func TestFormulasComputeWithRealNumbers(t *testing.T) {
	for text, want := range map[string]float64{
		"value * 8":                               56,
		"7 / 2":                                   3.5, // no whole numbers anywhere
		"value / (used + free) * 100":             70,
		"used > 5 ? used : 0":                     6,
		"math.greatest(value, used, 8)":           8,
		"math.round(value / 2)":                   4, // half away from zero
		"-value":                                  -7,
		`reading["in"] + reading.out`:             30,
		`reading["interfaces/in"] - 1`:            99,
		`(value == 7 && used != 7) ? 1.5e3 : 2.0`: 1500,
	} {
		f, err := CompileFormula(text, []string{"used", "free", "if", "two words", "value"})
		require.NoError(t, err, text)
		got, err := f.Compute(7, numbers(map[string]float64{"used": 6, "free": 4}),
			numbers(map[string]float64{"in": 10, "out": 20, "interfaces/in": 100}))
		require.NoError(t, err, text)
		assert.InDelta(t, want, got, 1e-12, text)
	}
	f, err := CompileFormula(`reading["b"] + used + reading.a + used`, []string{"free", "used"})
	require.NoError(t, err)
	assert.Equal(t, []string{"used"}, f.Columns())
	assert.ElementsMatch(t, []string{"a", "b"}, f.Readings())
}

func TestFormulasTellWhatTheyLack(t *testing.T) {
	f, err := CompileFormula(`used > 1 ? free : reading["in"]`, []string{"used", "free"})
	require.NoError(t, err)
	_, err = f.Compute(1, numbers(map[string]float64{"used": 2}), numbers(map[string]float64{"in": 1}))
	assert.ErrorContains(t, err, "free has no value")
	_, err = f.Compute(1, numbers(map[string]float64{"used": 2, "free": 3}), nil)
	assert.ErrorContains(t, err, "the reading “in” has no value now")
	got, err := f.Compute(1, numbers(map[string]float64{"used": 0}), numbers(map[string]float64{"in": 5}))
	require.NoError(t, err)
	assert.Equal(t, 5.0, got, "a column that does not matter need not be there")
}

func TestFormulasThatCannotBeUsedAreTold(t *testing.T) {
	for text, want := range map[string]string{
		"":                      "character 1",
		"value +":               "character 8: mismatched input the end",
		"size * 2":              "there is no column “size”; there are used, value",
		"value > 3":             "comes out as bool",
		`"seven"`:               "comes out as string",
		"reading":               "it must come out as a number",
		`reading[string(used)]`: "named by its key",
		`value * reading`:       "found no matching overload",
	} {
		_, err := CompileFormula(text, []string{"used"})
		assert.ErrorContains(t, err, want, text)
		assert.ErrorAs(t, err, new(Wrong), text)
	}
}
