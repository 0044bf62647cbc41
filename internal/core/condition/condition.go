// Package condition decides by conditions that people write in CEL, the Common Expression
// Language, over columns of known kinds.
package condition

import (
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/ext"
	"cel.dev/cel-go/interpreter"

	"tirelessowl/internal/core/text"
)

// Kind is what the values of a column are.
type Kind string

// The kinds of column.
const (
	Whole Kind = "whole" // int in CEL
	Real  Kind = "real"  // double
	Text  Kind = "text"  // string
	// Truth is bool, Texts list(string), Wholes list(int) and Named map(string, string): what is known
	// of a thing as a whole. Columns of a table have none of them.
	Truth  Kind = "truth"
	Texts  Kind = "texts"
	Wholes Kind = "wholes"
	Named  Kind = "named"
)

// Column is one that a condition may ask for, by its name.
type Column struct {
	Name string
	Kind Kind
}

// Bounds of what people may write, and of what it may take to decide by it. The cost is that
// of CEL: about one for each operation, more for long texts.
const (
	longest  = 2000
	mostCost = 10_000
)

// Wrong is a condition that cannot be used, with the place.
type Wrong struct {
	Line, Column int // from 1
	Text         string
}

func (w Wrong) Error() string {
	if w.Line > 1 {
		return fmt.Sprintf("line %d, character %d: %s", w.Line, w.Column, w.Text)
	}
	return fmt.Sprintf("character %d: %s", w.Column, w.Text)
}

// Condition is one that can be used.
type Condition struct {
	text    string
	columns []Column // that it asks for
	program cel.Program
}

// Compile reads a condition over some columns; what is wrong with it is a Wrong.
func Compile(text string, columns []Column) (*Condition, error) {
	if len(text) > longest || !utf8.ValidString(text) {
		return nil, Wrong{1, 1, fmt.Sprintf("a condition has at most %d characters", longest)}
	}
	env, err := cel.NewEnv(append(variables(columns), ext.Strings(), cel.CrossTypeNumericComparisons(true),
		cel.ASTValidators(cel.ValidateRegexLiterals()))...)
	if err != nil {
		return nil, fmt.Errorf("columns of a condition: %w", err)
	}
	compiled, issues := env.Compile(text)
	if issues.Err() != nil {
		return nil, wrong(issues.Errors()[0], columns)
	}
	if kind := compiled.OutputType(); kind != cel.BoolType {
		return nil, Wrong{1, 1, fmt.Sprintf("it must come out as true or false, and comes out as %s", kind)}
	}
	program, err := env.Program(compiled, cel.CostLimit(mostCost), cel.EvalOptions(cel.OptPartialEval))
	if err != nil {
		return nil, Wrong{1, 1, err.Error()}
	}
	return &Condition{text, asked(compiled, columns), program}, nil
}

func variables(columns []Column) (out []cel.EnvOption) {
	types := map[Kind]*cel.Type{
		Whole:  cel.IntType,
		Real:   cel.DoubleType,
		Text:   cel.StringType,
		Truth:  cel.BoolType,
		Texts:  cel.ListType(cel.StringType),
		Wholes: cel.ListType(cel.IntType),
		Named:  cel.MapType(cel.StringType, cel.StringType),
	}
	for _, c := range columns {
		out = append(out, cel.Variable(c.Name, types[c.Kind]))
	}
	return out
}

func wrong(e *common.Error, columns []Column) Wrong {
	text := strings.TrimSpace(e.Message)
	if name, ok := strings.CutPrefix(text, "undeclared reference to '"); ok {
		name, _, _ = strings.Cut(name, "'")
		text = fmt.Sprintf("there is no column “%s”; there are %s", name, strings.Join(names(columns), ", "))
	}
	text = strings.ReplaceAll(strings.TrimPrefix(text, "Syntax error: "), "'<EOF>'", "the end")
	text, _, _ = strings.Cut(text, " expecting {") // a long list of all that the grammar could take
	if strings.HasPrefix(text, "token recognition error at: '= ") {
		text = "two things are compared by =="
	}
	return Wrong{max(1, e.Location.Line()), max(0, e.Location.Column()) + 1, text}
}

func names(columns []Column) (out []string) {
	for _, c := range columns {
		out = append(out, c.Name)
	}
	return out
}

// asked are the columns that a condition names, in the order of its columns.
func asked(compiled *cel.Ast, columns []Column) []Column {
	used := map[string]bool{}
	ast.PreOrderVisit(compiled.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() == ast.IdentKind {
			used[e.AsIdent()] = true
		}
	}))
	return slices.DeleteFunc(slices.Clone(columns), func(c Column) bool { return !used[c.Name] })
}

// Text is the condition as it was written.
func (c *Condition) Text() string { return c.text }

// Values gives the value of a column: an int64, a float64, a string, a bool, a list or a map, by its
// kind; ok is false where there is none.
type Values func(column string) (value any, ok bool)

// ErrTooLong is told where it takes too long to decide.
var ErrTooLong = errors.New("it takes too long to decide: its cost limit is reached")

// errMissing is told where a column that decides has no value.
var errMissing = errors.New("has no value")

// Holds tells whether it holds for some values, and why: with the values that it asks for.
// An error says what kept it from deciding.
func (c *Condition) Holds(of Values) (holds bool, because string, err error) {
	given := map[string]any{}
	var told []string
	var missing []*cel.AttributePatternType
	for _, column := range c.columns {
		value, ok := of(column.Name)
		if !ok {
			missing = append(missing, cel.AttributePattern(column.Name))
			continue
		}
		given[column.Name] = value
		told = append(told, column.Name+" is "+shown(value))
	}
	because = strings.Join(told, ", ")
	vars, err := cel.PartialVars(given, missing...)
	if err != nil {
		return false, because, err
	}
	out, _, err := c.program.Eval(vars)
	if err != nil {
		var ended interpreter.EvalCancelledError
		if errors.As(err, &ended) && ended.Cause == interpreter.CostLimitExceeded {
			err = ErrTooLong
		}
		return false, because, err
	}
	if unknown, ok := out.(*types.Unknown); ok {
		return false, because, fmt.Errorf("%s %w", unknownName(unknown), errMissing)
	}
	holds, ok := out.Value().(bool)
	if !ok {
		return false, because, fmt.Errorf("it comes out as %v", out.Value())
	}
	return holds, because, nil
}

// unknownName is a column without which it cannot be decided.
func unknownName(u *types.Unknown) string {
	for _, id := range u.IDs() {
		if trails, ok := u.GetAttributeTrails(id); ok && len(trails) > 0 {
			return trails[0].String()
		}
	}
	return "a column"
}

// mostShown is how many of the values of a list are told.
const mostShown = 8

func shown(value any) string {
	switch v := value.(type) {
	case string:
		return "“" + text.Brief(v, mostText) + "”"
	case float64:
		return strconv.FormatFloat(v, 'g', -1, 64)
	case bool:
		return map[bool]string{true: "true", false: "false"}[v]
	case []string:
		return listed(v)
	case []int64:
		return listed(v)
	case map[string]string:
		var pairs []string
		for _, name := range slices.Sorted(maps.Keys(v)) {
			pairs = append(pairs, name+" "+v[name])
		}
		return listed(pairs)
	}
	return fmt.Sprint(value)
}

func listed[T any](all []T) string {
	if len(all) == 0 {
		return "nothing"
	}
	var out []string
	for i, x := range all {
		if i == mostShown {
			return strings.Join(out, ", ") + fmt.Sprintf(" and %d more", len(all)-i)
		}
		out = append(out, text.Brief(fmt.Sprint(x), mostValue))
	}
	return strings.Join(out, ", ")
}

// mostText is how much of a text is told, in bytes.
const mostText = 300

// mostValue is how much of one value of a list is told, in bytes.
const mostValue = 80

// Counted is a counter's value as a column has it: CEL's whole numbers end at 2^63 - 1.
func Counted(n uint64) int64 { return int64(min(n, math.MaxInt64)) }

// Columns are those that it asks for.
func (c *Condition) Columns() []Column { return c.columns }
