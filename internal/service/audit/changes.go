package audit

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"tirelessowl/internal/domain"
)

// Change is one thing that differs between before and after.
type Change struct {
	Name          string // such as grants.0.level
	Before, After string // empty where there was or is nothing
}

// Changes are what differs between a thing before and after, by name. Of a thing that
// was made or removed they are all that it has. Versions are left out.
func Changes(e domain.Entry) (out []Change) {
	before, after := flat(e.Before), flat(e.After)
	names := map[string]bool{}
	for name := range before {
		names[name] = true
	}
	for name := range after {
		names[name] = true
	}
	for _, name := range slices.Sorted(maps.Keys(names)) {
		last := name[strings.LastIndex(name, ".")+1:]
		if before[name] != after[name] && last != "version" && last != "id" {
			out = append(out, Change{name, before[name], after[name]})
		}
	}
	return out
}

// flat lays out a document as paths with their values.
func flat(document json.RawMessage) map[string]string {
	out := map[string]string{}
	var x any
	if len(document) == 0 || json.Unmarshal(document, &x) != nil {
		return out
	}
	lay(out, nil, x)
	return out
}

func lay(out map[string]string, path []string, x any) {
	switch x := x.(type) {
	case map[string]any:
		for name, value := range x {
			lay(out, append(slices.Clone(path), name), value)
		}
	case []any:
		for i, value := range x {
			lay(out, append(slices.Clone(path), fmt.Sprint(i)), value)
		}
	case nil:
	case float64:
		out[strings.Join(path, ".")] = strings.TrimSuffix(fmt.Sprintf("%.6f", x), ".000000")
	default:
		if text := fmt.Sprint(x); text != "" {
			out[strings.Join(path, ".")] = text
		}
	}
}
