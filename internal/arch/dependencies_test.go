package arch

import (
	"encoding/json"
	"os"
	"regexp"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each thing that we stand on, and did not make, has its reason in docs/dependencies.md.
func TestEveryDependencyHasItsReason(t *testing.T) {
	reasons, err := os.ReadFile("../../docs/dependencies.md")
	require.NoError(t, err)
	given := map[string]bool{}
	for _, m := range regexp.MustCompile("`([^` ]+)`").FindAllStringSubmatch(string(reasons), -1) {
		given[m[1]] = true
	}
	module, err := os.ReadFile("../../go.mod")
	require.NoError(t, err)
	direct := regexp.MustCompile(`(?m)^\t(\S+) v\S+$`).FindAllStringSubmatch(string(module), -1)
	require.Greater(t, len(direct), 20)
	for _, m := range direct {
		assert.True(t, given[m[1]], "%s has no reason in docs/dependencies.md", m[1])
	}
	text, err := os.ReadFile("../../package.json")
	require.NoError(t, err)
	var packages struct{ Dependencies, DevDependencies map[string]string }
	require.NoError(t, json.Unmarshal(text, &packages))
	require.NotEmpty(t, packages.Dependencies)
	for _, names := range []map[string]string{packages.Dependencies, packages.DevDependencies} {
		for name := range names {
			assert.True(t, given[name], "%s has no reason in docs/dependencies.md", name)
		}
	}
}
