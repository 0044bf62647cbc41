package kit

import (
	"encoding/json"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Each word about a thing of a kit file stands at a thing that there is.
func TestWordsOfTheSchemaStandAtThings(t *testing.T) {
	text, err := Schema(nil, nil)
	require.NoError(t, err)
	var root map[string]any
	require.NoError(t, json.Unmarshal(text, &root))
	said := map[string]bool{}
	collect(root, "", said)
	for _, path := range slices.Sorted(maps.Keys(about)) {
		assert.True(t, said[strings.TrimSuffix(path, "!")], path)
	}
}

func collect(x map[string]any, path string, said map[string]bool) {
	properties, _ := x["properties"].(map[string]any)
	for name, p := range properties {
		one, _ := p.(map[string]any)
		at := strings.TrimPrefix(path+"."+name, ".")
		said[at] = one["description"] != nil
		items, isList := one["items"].(map[string]any)
		if isList {
			one = items
		}
		collect(one, at, said)
	}
}
