package statement

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/total"
)

// amounts writes values of one total in one unit and with as many places, so that those of the parts add up to the
// whole.
func amounts(t *total.Total, whole float64, parts []float64) (sum cell, cells []cell) {
	number := func(v float64, places int, unit string) cell {
		text := measure.Round(v, places)
		return cell{strings.TrimSpace(text + " " + unit), Plain{text, unit}}
	}
	plain := map[string]Plain{total.OnTime: {Unit: "s"}, total.LongestRun: {Unit: "s"}, total.Cycles: {Unit: "starts"}}
	if as, counted := plain[t.Kind]; counted {
		say := func(v float64) cell {
			return cell{total.Says(t.Kind, t.Unit, v), Plain{measure.Round(v, 0), as.Unit}}
		}
		for _, v := range parts {
			cells = append(cells, say(v))
		}
		return say(whole), cells
	}
	if t.Kind == total.Cost {
		for _, v := range total.Spread(parts, whole, 2) {
			cells = append(cells, number(v, 2, t.Unit))
		}
		return number(whole, 2, t.Unit), cells
	}
	most := whole
	if len(parts) > 0 {
		most = slices.Max(parts)
	}
	_, unit := measure.Scaled(whole, measure.Unit(t.Unit))
	scale := 1.0
	if unit != measure.Unit(t.Unit) {
		scale, _ = measure.Convert(1, measure.Unit(t.Unit), unit)
	}
	places, scaled := measure.Places(most*scale), make([]float64, len(parts))
	for i, v := range parts {
		scaled[i] = v * scale
	}
	for _, v := range total.Spread(scaled, whole*scale, places) {
		cells = append(cells, number(v, places, unit.Shown()))
	}
	return number(whole*scale, places, unit.Shown()), cells
}

// amount writes what a total came to.
func amount(t *total.Total, r total.Result) cell {
	sum, _ := amounts(t, r.Value, nil)
	return sum
}

// compared says how what a total came to stands to what it came to before: "8 % more than in September 2026 (149.25
// EUR)". when is what it is compared with, as "in September 2026".
func compared(t *total.Total, now, before total.Result, when string) string {
	switch {
	case !known(&before):
		return fmt.Sprintf("and there is nothing %s to compare it with", when)
	case before.Value <= 0 && now.Value <= 0:
		return "as " + when
	case before.Value <= 0:
		return fmt.Sprintf("and %s none", when)
	}
	return fmt.Sprintf("%s %s (%s)", than(now.Value, before.Value), when, amount(t, before).text)
}

// than says how one figure stands to another that is not 0: "12 % more than", "as much as".
func than(now, before float64) string {
	percent := 100 * (now - before) / before
	switch {
	case percent >= 1000:
		return fmt.Sprintf("%s times as much as", measure.Round(now/before, 0))
	case percent > 0.5:
		return fmt.Sprintf("%.0f %% more than", percent)
	case percent < -0.5:
		return fmt.Sprintf("%.0f %% less than", -percent)
	}
	return "as much as"
}
