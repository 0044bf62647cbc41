package way_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/way"
)

func TestSecretsStandInNothingThatIsTold(t *testing.T) {
	q := way.Question{Hide: []string{`lamp "on" the\npier`, "a b&c"}}
	for told, shall := range map[string]string{
		`it says lamp "on" the\npier, twice: lamp "on" the\npier`: "it says •••, twice: •••",
		"as it is sent: lamp \"on\" the\npier":                    "as it is sent: •••",
		`quoted: "lamp \"on\" the\npier"`:                         `quoted: "•••"`,
		"in an address: ?key=a+b%26c and /a%20b&c":                "in an address: ?key=••• and /•••",
		"nothing of it": "nothing of it",
	} {
		assert.Equal(t, shall, q.Masked(told))
	}
	assert.Equal(t, "as it is", way.Question{Hide: []string{""}}.Masked("as it is"), "an empty secret hides nothing")
}

// A line is cut after its secret was taken out: half of one would tell it all the same.
func TestARecordIsWithoutSecrets(t *testing.T) {
	long := ""
	for range 398 {
		long += "x"
	}
	e := way.NewExchange(time.Now())
	e.Hide([]string{"open sesame"})
	e.Sent(time.Now(), "say %q", "open sesame")
	e.Got(time.Now(), "%sopen sesame", long)
	require.Len(t, e.Lines, 2)
	assert.Equal(t, `say "•••"`, e.Lines[0].Text)
	assert.NotContains(t, e.Lines[1].Text, "op")
}
