// Package arch holds the import rules of docs/architecture.md as a test.
package arch

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const module = "tirelessowl/"

// rooms lists what each room may import of ours; the longest matching room
// counts. A room may always import itself.
var rooms = map[string][]string{
	"internal/core/why":   {},
	"internal/domain":     {"internal/core/why"},
	"internal/core":       {"internal/domain", "kits", "objects", "recognition"},
	"internal/protocol":   {"internal/domain", "internal/core"},
	"internal/localpg":    {},
	"internal/config":     {},
	"internal/store":      {"internal/domain", "internal/core"},
	"internal/service":    {"internal/domain", "internal/core", "internal/store"},
	"internal/engine":     {"internal/domain", "internal/core", "internal/store", "internal/service"},
	"internal/demo":       {"internal/domain", "internal/core", "internal/store", "internal/service"},
	"internal/web/ui":     {"internal/domain", "internal/core"},
	"internal/web/render": {"internal/domain", "internal/core", "internal/web/ui"},
	"internal/web/screen": {"internal/domain", "internal/web/render"},
	"internal/web/gather": {"internal/core/text", "internal/domain", "internal/service/changes", "internal/web/middleware",
		"internal/web/ui"},
	"internal/web/middleware": {"internal/domain", "internal/core", "internal/service"},
	"internal/web/screens": {"internal/domain", "internal/core", "internal/service",
		"internal/web/render", "internal/web/screen", "internal/web/gather", "internal/web/ui", "internal/web/middleware"},
	"internal/web": {"internal/api", "internal/domain", "internal/core", "internal/service"},
	"internal/api": {"internal/domain", "internal/core", "internal/service"},
	"internal/sim": {"internal/localpg"},
	"internal/testkit": {
		"internal/localpg",
		"internal/store",
		"internal/core",
		"internal/domain",
		"internal/protocol/ways",
		"internal/service/act",
		"internal/service/collect",
		"kits",
	},
	"internal/app":  {"internal", "kits", "objects", "recognition"},
	"cmd":           {"internal", "kits", "recognition"},
	"kits":          {},
	"objects":       {},
	"recognition":   {},
	"tools":         {},
	"internal/arch": {},
}

// only says which rooms may import a package of others.
var only = map[string][]string{
	"gorm.io/":                     {"internal/store"},
	"github.com/go-chi/":           {"internal/web", "internal/api", "internal/sim"},
	"github.com/gosnmp/":           {"internal/protocol", "internal/sim", "cmd/bench"},
	"tirelessowl/internal/sim":     {"cmd"},
	"tirelessowl/internal/testkit": {"-"}, // tests only
	// Each way, channel and kind of rule is known by one list.
	"tirelessowl/internal/protocol/ways/tcp":      {"internal/app", "internal/testkit", "cmd/bench"},
	"tirelessowl/internal/protocol/ways/snmp":     {"internal/app", "internal/testkit", "internal/protocol/probe", "cmd/bench"},
	"tirelessowl/internal/protocol/channels/mail": {"internal/app"},
	"tirelessowl/internal/protocol/channels/desk": {"internal/app"},
	"tirelessowl/internal/protocol/channels/file": {"internal/app"},
	"tirelessowl/internal/core/rule/limit":        {"internal/core/rule/kinds"},
	"tirelessowl/internal/core/rule/state":        {"internal/core/rule/kinds"},
}

func within(path string, rooms ...string) bool {
	return slices.ContainsFunc(rooms, func(r string) bool { return path == r || strings.HasPrefix(path, r+"/") })
}

func roomOf(path string) string {
	best := ""
	for r := range rooms {
		if within(path, r) && len(r) > len(best) {
			best = r
		}
	}
	return best
}

func TestImportsGoOneWay(t *testing.T) {
	root, err := filepath.Abs("../..")
	require.NoError(t, err)
	files := 0
	err = filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "var") {
			if d != nil && d.IsDir() {
				return fs.SkipDir
			}
			return err
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		files++
		// Reading through os keeps the test's result from being cached.
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		parsed, err := parser.ParseFile(token.NewFileSet(), path, source, parser.ImportsOnly)
		require.NoError(t, err)
		folder, _ := filepath.Rel(root, filepath.Dir(path))
		folder = filepath.ToSlash(folder)
		room := roomOf(folder)
		assert.NotEmpty(t, room, "%s is in no room", folder)
		for _, spec := range parsed.Imports {
			name, _ := strconv.Unquote(spec.Path.Value)
			check(t, folder, room, name)
		}
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, files, 60)
}

func check(t *testing.T, folder, room, name string) {
	t.Helper()
	for prefix, allowed := range only {
		if strings.HasPrefix(name, prefix) && !within(folder, allowed...) &&
			!strings.HasPrefix(module+folder, strings.TrimSuffix(prefix, "/")) {
			t.Errorf("%s imports %s, which only %v may", folder, name, allowed)
		}
	}
	own, ours := strings.CutPrefix(name, module)
	if !ours || within(own, room) || within(own, rooms[room]...) {
		return
	}
	t.Errorf("%s imports %s; it may import %v", folder, own, rooms[room])
}

// The pool of connections is for COPY, LISTEN and the sample store; rows go
// through GORM, so that what is within a transaction cannot leave it.
func TestOnlyFewReachForThePool(t *testing.T) {
	allowed := []string{"store.go", "counters.go"}
	files, err := filepath.Glob("../store/*.go")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, path := range files {
		if strings.HasSuffix(path, "_test.go") || slices.Contains(allowed, filepath.Base(path)) {
			continue
		}
		parsed, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		require.NoError(t, err)
		ast.Inspect(parsed, func(n ast.Node) bool {
			if x, ok := n.(*ast.SelectorExpr); ok {
				assert.NotContains(t, []string{"pool", "Pool"}, x.Sel.Name, path)
			}
			return true
		})
	}
}
