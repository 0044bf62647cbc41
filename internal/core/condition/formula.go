package condition

import (
	"errors"
	"fmt"
	"math"
	"regexp"
	"slices"
	"unicode/utf8"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"
)

// What a formula may name beside columns: the value that it is applied to, and other readings.
const (
	valueName   = "value"
	readingName = "reading"
)

// Formula computes a number from a value, columns and other readings, written in CEL. All numbers
// in it are real ones, so that value * 8 needs no second thought.
type Formula struct {
	columns  []string
	readings []string
	program  cel.Program
}

// plainName is a name that stands in CEL as it is.
var plainName = regexp.MustCompile(`^[A-Za-z_][A-Za-z0-9_]*$`)

// reserved are words that CEL keeps for itself.
var reserved = []string{"as", "break", "const", "continue", "else", "false", "for", "function", "if", "import", "in", "let", "loop",
	"namespace", "null", "package", "return", "true", "var", "void", "while", valueName, readingName}

// powers are those of ten: pow10(-3) is 0.001, as scales and precisions of measured values need.
var powers = cel.Function("pow10", cel.Overload("pow10_double", []*cel.Type{cel.DoubleType}, cel.DoubleType,
	cel.UnaryBinding(func(n ref.Val) ref.Val {
		power, ok := n.(types.Double)
		if !ok {
			return types.MaybeNoSuchOverloadErr(n)
		}
		return types.Double(math.Pow(10, float64(power)))
	})))

// CompileFormula reads a formula over some columns; what is wrong with it is a Wrong.
func CompileFormula(text string, columns []string) (*Formula, error) {
	if len(text) > longest || !utf8.ValidString(text) {
		return nil, Wrong{1, 1, fmt.Sprintf("a formula has at most %d characters", longest)}
	}
	var named []Column
	for _, name := range columns {
		if plainName.MatchString(name) && !slices.Contains(reserved, name) {
			named = append(named, Column{name, Real})
		}
	}
	env, err := cel.NewEnv(append(variables(named), ext.Math(), powers,
		cel.Variable(valueName, cel.DoubleType), cel.Variable(readingName, cel.MapType(cel.StringType, cel.DoubleType)))...)
	if err != nil {
		return nil, fmt.Errorf("columns of a formula: %w", err)
	}
	compiled, err := real(env, text, named)
	if err != nil {
		return nil, err
	}
	f := &Formula{}
	for _, c := range asked(compiled, named) {
		f.columns = append(f.columns, c.Name)
	}
	if f.readings, err = readingsOf(compiled); err != nil {
		return nil, err
	}
	if f.program, err = env.Program(compiled, cel.CostLimit(mostCost), cel.EvalOptions(cel.OptPartialEval)); err != nil {
		return nil, Wrong{1, 1, err.Error()}
	}
	return f, nil
}

// real reads a formula with all its numbers as real ones, and checks that a number comes out.
func real(env *cel.Env, text string, columns []Column) (*cel.Ast, error) {
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		return nil, wrong(issues.Errors()[0], columns)
	}
	make := ast.NewExprFactory()
	ast.PostOrderVisit(parsed.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.LiteralKind {
			return
		}
		if n, ok := e.AsLiteral().(types.Int); ok {
			e.SetKindCase(make.NewLiteral(e.ID(), types.Double(n)))
		}
	}))
	checked, issues := env.Check(parsed)
	if issues.Err() != nil {
		return nil, wrong(issues.Errors()[0], append(columns, Column{valueName, Real}, Column{readingName + `["…"]`, Real}))
	}
	if kind := checked.OutputType(); kind != cel.DoubleType {
		return nil, Wrong{1, 1, fmt.Sprintf("it must come out as a number, and comes out as %s", kind)}
	}
	return checked, nil
}

// readingsOf are the readings that a formula names, each by a key that is written there.
func readingsOf(compiled *cel.Ast) (keys []string, err error) {
	named, all := 0, 0
	ast.PreOrderVisit(compiled.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		isIt := func(e ast.Expr) bool { return e.Kind() == ast.IdentKind && e.AsIdent() == readingName }
		key := ""
		switch {
		case isIt(e):
			all++
		case e.Kind() == ast.SelectKind && isIt(e.AsSelect().Operand()):
			key = e.AsSelect().FieldName()
		case e.Kind() == ast.CallKind && e.AsCall().FunctionName() == operators.Index && isIt(e.AsCall().Args()[0]):
			if l := e.AsCall().Args()[1]; l.Kind() == ast.LiteralKind {
				key, _ = l.AsLiteral().Value().(string)
			}
		}
		if key != "" {
			named++
			keys = append(keys, key)
		}
	}))
	if named != all {
		return nil, Wrong{1, 1, `a reading is named by its key, as in reading["total"]`}
	}
	return keys, nil
}

// Columns are those that it asks for, Readings the keys of the other readings.
func (f *Formula) Columns() []string  { return f.columns }
func (f *Formula) Readings() []string { return f.readings }

// Number gives a number by its name; ok is false where there is none.
type Number func(name string) (value float64, ok bool)

// Compute computes it for a value; an error says what kept it from that.
func (f *Formula) Compute(value float64, column, reading Number) (float64, error) {
	given := map[string]any{valueName: value}
	var missing []*cel.AttributePatternType
	for _, name := range f.columns {
		n, ok := column(name)
		if !ok {
			missing = append(missing, cel.AttributePattern(name))
			continue
		}
		given[name] = n
	}
	others := map[string]float64{}
	for _, key := range f.readings {
		if reading != nil {
			if n, ok := reading(key); ok {
				others[key] = n
				continue
			}
		}
		return 0, fmt.Errorf("the reading “%s” has no value now", key)
	}
	given[readingName] = others
	vars, err := cel.PartialVars(given, missing...)
	if err != nil {
		return 0, err
	}
	out, _, err := f.program.Eval(vars)
	if err != nil {
		return 0, err
	}
	if unknown, ok := out.(*types.Unknown); ok {
		return 0, fmt.Errorf("%s %w", unknownName(unknown), errMissing)
	}
	n, ok := out.Value().(float64)
	if !ok {
		return 0, errors.New("it does not come out as a number")
	}
	return n, nil
}
