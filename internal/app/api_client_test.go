package app

import (
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	_ "github.com/oapi-codegen/runtime" // the client that is made of the document stands on it
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tirelessowl/internal/sim"
)

// document is the description of the API, in the version of OpenAPI that most tools read.
func (r running) document(t *testing.T) []byte {
	t.Helper()
	res, err := http.Get(r.url + "/api/v1/openapi-3.0.json")
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, 200, res.StatusCode)
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return text
}

// The description is valid, its examples are what it describes, and each operation has an
// example of what it takes and gives, and tells how it may fail.
func TestTheDescriptionOfTheAPIIsWhole(t *testing.T) {
	r := start(t)
	doc, err := openapi3.NewLoader().LoadFromData(r.document(t))
	require.NoError(t, err)
	require.NoError(t, doc.Validate(t.Context()))
	require.Equal(t, r.url+"/api", doc.Servers[0].URL)
	count := 0
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			count++
			at := method + " " + path
			assert.NotEmpty(t, op.Summary, at)
			for _, status := range []string{"401", "403", "422", "500", "503"} {
				assert.NotNil(t, op.Responses.Value(status), "%s: %s", at, status)
			}
			if op.RequestBody != nil {
				for _, content := range op.RequestBody.Value.Content {
					assert.NotNil(t, content.Example, "%s: what it takes", at)
				}
			}
			for status, response := range op.Responses.Map() {
				for _, content := range response.Value.Content {
					assert.NotNil(t, content.Example, "%s: %s", at, status)
				}
			}
			for _, p := range op.Parameters {
				if p.Value.In == "path" {
					assert.NotNil(t, p.Value.Schema.Value.Example, "%s: an example of %s", at, p.Value.Name)
				}
			}
		}
	}
	assert.Greater(t, count, 100)
}

// A client that is generated from the description does a whole walk: from an organisation
// to a device that is collected from, an incident of it, and its samples taken out.
func TestAGeneratedClientDoesAWholeWalk(t *testing.T) {
	r := start(t)
	dir, err := os.MkdirTemp("testdata", "client-")
	require.NoError(t, err)
	t.Cleanup(func() { os.RemoveAll(dir) })
	document := filepath.Join(t.TempDir(), "openapi.json")
	require.NoError(t, os.WriteFile(document, r.document(t), 0o600))
	walk, err := os.ReadFile("testdata/client/walk.go")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "walk.go"), walk, 0o600))
	output := filepath.Join(dir, "client.gen.go")
	command(t, "go", "tool", "oapi-codegen", "-generate", "types,client", "-package", "main", "-o", output, document)
	said := command(t, "go", "run", "./"+dir, r.url, r.token, sim.Offset(r.base, 30, 0).String(), fmt.Sprint(r.Config.DemoPort))
	assert.Contains(t, said, "done")
}

func command(t *testing.T, program string, args ...string) string {
	t.Helper()
	said, err := exec.CommandContext(t.Context(), program, args...).CombinedOutput()
	require.NoError(t, err, "%s", said)
	return string(said)
}
