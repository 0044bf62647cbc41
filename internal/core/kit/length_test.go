package kit_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/internal/testkit"
	"tirelessowl/kits"
)

// A bundle of authorities has more than the 4 KiB that other parameters have.
func TestAParameterIsAsLongAsWhatItFills(t *testing.T) {
	text, err := kits.Files.ReadFile("tls-certificate.yaml")
	require.NoError(t, err)
	k, err := kit.Parse(text, testkit.Ways.Described(), kinds.All)
	require.NoError(t, err)
	_, errs := k.Check(map[string]string{"authorities": strings.Repeat("x", 20_000)})
	assert.NotContains(t, errs["authorities"], "At most", "it is no certificate, and not too long")
	_, errs = k.Check(map[string]string{"authorities": strings.Repeat("x", 70_000)})
	assert.Contains(t, errs["authorities"], "At most 65536 characters.")
	_, errs = k.Check(map[string]string{"name": strings.Repeat("x", 5_000)})
	assert.Contains(t, errs["name"], "At most 4096 characters.")
}
