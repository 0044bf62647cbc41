package kit_test

import (
	"bytes"
	"encoding/json"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v3"

	"tirelessowl/internal/core/kit"
	"tirelessowl/internal/core/rule/kinds"
	"tirelessowl/kits"
)

func compiled(t *testing.T) *jsonschema.Schema {
	t.Helper()
	text, err := kit.Schema(nil, kinds.All)
	require.NoError(t, err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("kit.json", doc))
	s, err := c.Compile("kit.json")
	require.NoError(t, err)
	return s
}

// read is a YAML document as a JSON value: keys that are numbers become texts.
func read(t *testing.T, document []byte) any {
	t.Helper()
	var x any
	require.NoError(t, yaml.Unmarshal(document, &x))
	text, err := json.Marshal(plain(x))
	require.NoError(t, err)
	out, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	return out
}

func plain(x any) any {
	switch x := x.(type) {
	case map[string]any:
		for k, v := range x {
			x[k] = plain(v)
		}
	case map[any]any:
		out := map[string]any{}
		for k, v := range x {
			text, _ := yaml.Marshal(k)
			out[strings.TrimSpace(string(text))] = plain(v)
		}
		return out
	case []any:
		for i, v := range x {
			x[i] = plain(v)
		}
	}
	return x
}

// Every kit that is shipped is what the schema says, and what is not is refused by it as by Parse.
func TestTheSchemaIsThatOfKits(t *testing.T) {
	s := compiled(t)
	files, err := kits.Files.ReadDir(".")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		data, err := kits.Files.ReadFile(f.Name())
		require.NoError(t, err)
		assert.NoError(t, s.Validate(read(t, data)), f.Name())
	}
	for bad, why := range map[string]string{
		"title: X\nversion: 1":                                                  "it has no name",
		"kit: x\ntitle: X\nversion: 1\nreading: []":                             "there is no such thing",
		"kit: x\ntitle: X\nversion: one":                                        "the version is no number",
		"kit: x\ntitle: X\nversion: 1\nreadings: [{key: a, name: A, units: s}]": "readings have no units",
		"kit: x\ntitle: X\nversion: 1\nrules: [{key: a, name: A, reading: r}]":  "the rule has no condition",
	} {
		assert.Error(t, s.Validate(read(t, []byte(bad))), why)
	}
}

// A newer format is refused for that, and not for what only a newer release knows.
func TestANewerFormatIsRefusedWithItsReason(t *testing.T) {
	_, err := kit.Parse([]byte("format: 2\nkit: tide\nmoons: 1\n"), nil, kinds.All)
	assert.EqualError(t, err, `kit "tide" is of the format 2, and this release reads up to 1: a newer release knows it`)
	_, err = kit.Parse([]byte("format: 1\nkit: tide\ntitle: Tide\nversion: 1\n"), nil, kinds.All)
	assert.NoError(t, err)
}
