package derive

import (
	"fmt"

	"github.com/google/cel-go/cel"
	"github.com/google/cel-go/common/ast"
	"github.com/google/cel-go/common/operators"

	"jauntylark/core/measure"
)

// mixed is the unit of what no unit code can tell: volts times amperes, one over metres.
const mixed measure.Unit = "?"

// unitChecker finds the unit of each part of a formula. Numbers have none and go with every unit.
type unitChecker struct {
	of   map[string]measure.Unit
	info *ast.SourceInfo
	text string
}

// checkUnits gives the unit of a formula's result, the stated one where it cannot be told, and refuses to add
// or compare what is in different units.
func checkUnits(r *Recipe, a *cel.Ast, of map[string]measure.Unit) (measure.Unit, error) {
	c := &unitChecker{of: of, info: a.NativeRep().SourceInfo(), text: r.Formula}
	unit, err := c.unit(a.NativeRep().Expr())
	switch {
	case err != nil:
		return "", err
	case unit == mixed || unit == "":
		return r.Unit, nil
	case r.Unit != "" && r.Unit != unit:
		return "", c.at(a.NativeRep().Expr(), fmt.Sprintf("the result is in %s, not in %s", unit, r.Unit))
	}
	return unit, nil
}

func (c *unitChecker) at(e ast.Expr, message string) error {
	place := c.info.GetStartLocation(e.ID())
	return pointAt(c.text, place.Line(), place.Column(), message)
}

func (c *unitChecker) unit(e ast.Expr) (measure.Unit, error) {
	switch e.Kind() {
	case ast.IdentKind:
		return c.of[e.AsIdent()], nil
	case ast.CallKind:
		return c.call(e, e.AsCall())
	case ast.ListKind: // the arguments of math.greatest and the like
		return c.same(e, e.AsList().Elements())
	}
	return "", nil
}

// same gives the one unit of several parts.
func (c *unitChecker) same(e ast.Expr, parts []ast.Expr) (unit measure.Unit, err error) {
	for _, part := range parts {
		u, err := c.unit(part)
		if err != nil {
			return "", err
		}
		if u != "" && unit != "" && u != unit && u != mixed && unit != mixed {
			return "", c.at(e, fmt.Sprintf("%s and %s do not go together", unit, u))
		}
		if unit == "" || u == mixed {
			unit = u
		}
	}
	return unit, nil
}

func (c *unitChecker) call(e ast.Expr, call ast.CallExpr) (measure.Unit, error) {
	args := call.Args()
	switch call.FunctionName() {
	case operators.Add, operators.Subtract:
		return c.sum(e, args, call.FunctionName() == operators.Subtract)
	case operators.Negate, "math.@max", "math.@min", "math.abs", "math.ceil", "math.floor", "math.round", "math.trunc":
		return c.same(e, args)
	case operators.Less, operators.LessEquals, operators.Greater, operators.GreaterEquals, operators.Equals,
		operators.NotEquals:
		_, err := c.same(e, args)
		return "", err
	case operators.Conditional:
		if _, err := c.unit(args[0]); err != nil {
			return "", err
		}
		return c.same(e, args[1:])
	case operators.Multiply, operators.Divide:
		return c.product(args[0], args[1], call.FunctionName() == operators.Divide)
	}
	unit := measure.Unit("")
	for _, arg := range args {
		u, err := c.unit(arg)
		if err != nil {
			return "", err
		}
		if u != "" {
			unit = mixed
		}
	}
	if call.FunctionName() == operators.LogicalAnd || call.FunctionName() == operators.LogicalOr ||
		call.FunctionName() == operators.LogicalNot {
		unit = ""
	}
	return unit, nil
}

// sum gives the unit of a sum or a difference. A temperature less another is a difference, told in kelvins, and
// one that is added to a temperature, or taken from it, gives a temperature again.
func (c *unitChecker) sum(e ast.Expr, args []ast.Expr, less bool) (measure.Unit, error) {
	a, err := c.unit(args[0])
	if err != nil {
		return "", err
	}
	b, err := c.unit(args[1])
	switch {
	case err != nil:
		return "", err
	case less && a == "Cel" && b == "Cel":
		return "K", nil
	case less && a == "[degF]" && b == "[degF]": // nine fifths of a kelvin each: no code tells that
		return mixed, nil
	case a == "Cel" && b == "K", a == "K" && b == "Cel" && !less:
		return "Cel", nil
	}
	return c.same(e, args)
}

func (c *unitChecker) product(left, right ast.Expr, divided bool) (measure.Unit, error) {
	a, err := c.unit(left)
	if err != nil {
		return "", err
	}
	b, err := c.unit(right)
	switch {
	case err != nil || b == "" || b == "/":
		return a, err
	case divided && a == b && a != mixed:
		return "", nil
	case !divided && (a == "" || a == "/"):
		return b, nil
	}
	return mixed, nil
}
