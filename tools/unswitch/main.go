// Command unswitch writes the switches without a value in the given directories
// as chains of if, in place and line by line. The counting of covered lines does
// not see the conditions of a switch, so that tools/mutants.mjs, which changes
// lines on purpose in a copy, would leave out every second decision of the core.
package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"sort"
	"strings"
)

func main() {
	for _, dir := range os.Args[1:] {
		err := filepath.WalkDir(dir, func(path string, _ os.DirEntry, err error) error {
			if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
				return err
			}
			return rewrite(path)
		})
		if err != nil {
			fmt.Fprintln(os.Stderr, "unswitch:", err)
			os.Exit(1)
		}
	}
}

func rewrite(path string) error {
	text, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	out, err := unswitch(text)
	if err != nil {
		return err
	}
	return os.WriteFile(path, out, 0o644)
}

// edit replaces the bytes from begin to end.
type edit struct {
	begin, end int
	by         string
}

// unswitch returns the text of a file with its switches as chains of if.
func unswitch(text []byte) ([]byte, error) {
	files := token.NewFileSet()
	file, err := parser.ParseFile(files, "", text, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	at := func(p token.Pos) int { return files.Position(p).Offset }
	var edits []edit
	ast.Inspect(file, func(n ast.Node) bool {
		if s, ok := n.(*ast.SwitchStmt); ok && plain(s) {
			edits = append(edits, edit{at(s.Switch), at(s.Body.Lbrace) + 1, ""})
			for i, c := range s.Body.List {
				edits = append(edits, head(c.(*ast.CaseClause), i == 0, text, at))
			}
		}
		return true
	})
	sort.Slice(edits, func(i, j int) bool { return edits[i].begin > edits[j].begin })
	out := string(text)
	for _, e := range edits {
		out = out[:e.begin] + e.by + out[e.end:]
	}
	return []byte(out), nil
}

// head is what stands in the place of a case up to its colon.
func head(c *ast.CaseClause, first bool, text []byte, at func(token.Pos) int) edit {
	var conditions []string
	for _, x := range c.List {
		conditions = append(conditions, "("+string(text[at(x.Pos()):at(x.End())])+")")
	}
	by := "if " + strings.Join(conditions, " || ") + " {"
	if len(c.List) == 0 {
		by = "{"
	}
	if !first {
		by = "} else " + by
	}
	return edit{at(c.Case), at(c.Colon) + 1, by}
}

// plain tells whether a switch can be written with if: no value, nothing before
// it, nothing that leaves it on the way, and a default at the end only.
func plain(s *ast.SwitchStmt) bool {
	if s.Tag != nil || s.Init != nil || len(s.Body.List) == 0 {
		return false
	}
	for i, c := range s.Body.List {
		if c.(*ast.CaseClause).List == nil && (i == 0 || i < len(s.Body.List)-1) {
			return false
		}
	}
	return !leaves(s.Body)
}

// leaves tells whether a break or fallthrough in it means the switch itself.
func leaves(body ast.Node) (found bool) {
	ast.Inspect(body, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ForStmt, *ast.RangeStmt, *ast.SelectStmt, *ast.SwitchStmt, *ast.TypeSwitchStmt, *ast.FuncLit:
			return false
		case *ast.BranchStmt:
			found = found || n.Tok == token.FALLTHROUGH || n.Tok == token.BREAK && n.Label == nil
		}
		return true
	})
	return found
}
