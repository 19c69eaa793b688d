package derive

import (
	"fmt"
	"math"
	"regexp"
	"strings"
	"unicode/utf8"

	"github.com/google/cel-go/cel"
	"github.com/google/cel-go/common"
	"github.com/google/cel-go/common/types"
	"github.com/google/cel-go/common/types/ref"
	"github.com/google/cel-go/ext"

	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// formulaName is what an input can be called in a formula.
var formulaName = regexp.MustCompile(`^[a-z][a-z0-9_]*$`)

// formula computes by CEL (the Common Expression Language), without its loops. Numbers are doubles, switches
// booleans; the result is either.
func formula(r *Recipe, in []Source, m *Machine) error {
	options := []cel.EnvOption{cel.ClearMacros(), ext.Math(), cel.CrossTypeNumericComparisons(true)}
	for name, f := range map[string]func(float64) float64{"exp": math.Exp, "ln": math.Log} {
		options = append(options, cel.Function(name, cel.Overload(name+"_double", []*cel.Type{cel.DoubleType},
			cel.DoubleType,
			cel.UnaryBinding(func(v ref.Val) ref.Val { return types.Double(f(float64(v.(types.Double)))) }))))
	}
	options = append(options, cel.Function("pow", cel.Overload("pow_double",
		[]*cel.Type{cel.DoubleType, cel.DoubleType}, cel.DoubleType,
		cel.BinaryBinding(func(a, b ref.Val) ref.Val {
			return types.Double(math.Pow(float64(a.(types.Double)), float64(b.(types.Double))))
		}))))
	units := map[string]measure.Unit{}
	for i, input := range r.Of {
		if _, twice := units[input.As]; twice || !formulaName.MatchString(input.As) {
			return fault("of", "%q is no name for an input of a formula: small letters, digits and _, each name once",
				input.As)
		}
		units[input.As] = in[i].Unit
		kind := cel.DoubleType
		if in[i].Kind == site.KindSwitch {
			kind = cel.BoolType
		}
		options = append(options, cel.Variable(input.As, kind))
	}
	env, err := cel.NewEnv(options...)
	if err != nil {
		return fault("of", "%v", err)
	}
	ast, issues := env.Compile(r.Formula)
	if issues.Err() != nil {
		return formulaFault(r.Formula, issues.Errors()[0])
	}
	unit, err := checkUnits(r, ast, units)
	if err != nil {
		return err
	}
	m.Output = Output{Kind: site.KindNumber, Unit: unit, Quantity: "formula"}
	switch ast.OutputType() {
	case cel.BoolType:
		m.Output = Output{Kind: site.KindSwitch, Unit: "", Quantity: "formula"}
	case cel.DoubleType, cel.IntType:
	default:
		return fault("formula", "gives %s; it is to give a number, or true or false", ast.OutputType())
	}
	program, err := env.Program(ast, cel.EvalOptions(cel.OptOptimize))
	if err != nil {
		return fault("formula", "%v", err)
	}
	values := &activation{of: make(map[string]int, len(r.Of)), in: in}
	for i, input := range r.Of {
		values.of[input.As] = i
	}
	m.step = func(_ measure.Instant, v []float64) (float64, bool) {
		values.v = v
		result, _, err := program.Eval(values)
		if err != nil { // a remainder by nothing, a whole number that is too large
			return 0, false
		}
		switch result := result.(type) {
		case types.Double:
			return float64(result), true
		case types.Int:
			return float64(result), true
		case types.Bool:
			return digit(bool(result)), true
		}
		return 0, false
	}
	return nil
}

// activation gives a program the values of its names.
type activation struct {
	of map[string]int
	in []Source
	v  []float64
}

// ResolveName gives the value of a name.
func (a *activation) ResolveName(name string) (any, bool) {
	i, known := a.of[name]
	if !known {
		return nil, false
	}
	if a.in[i].Kind == site.KindSwitch {
		return types.Bool(a.v[i] != 0), true
	}
	return types.Double(a.v[i]), true
}

// Parent is nil: there is nothing behind.
func (a *activation) Parent() cel.Activation { return nil }

// formulaFault tells what is wrong with a formula, and points at the character.
func formulaFault(formula string, e *common.Error) error {
	message := e.Message
	if i := strings.Index(message, "\n"); i >= 0 {
		message = message[:i]
	}
	if strings.Contains(message, "no matching overload") && strings.Contains(message, "int") {
		message += "; write whole numbers with a point, 1.0 for 1"
	}
	if name, found := strings.CutPrefix(message, "undeclared reference to '"); found {
		name, _, _ = strings.Cut(name, "'")
		message = fmt.Sprintf("%q is none of the inputs", name)
	}
	return pointAt(formula, e.Location.Line(), e.Location.Column(), message)
}

// pointAt makes a fault at a character of a formula: line from 1, column from 0.
func pointAt(formula string, line, column int, message string) error {
	text := strings.Split(formula, "\n")[max(0, line-1)]
	column = max(0, min(column, utf8.RuneCountInString(text)))
	return fault("formula", "at character %d: %s\n  %s\n  %s^", column+1, message, text, strings.Repeat(" ", column))
}
