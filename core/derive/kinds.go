package derive

import (
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// kind is one way to compute a signal. To add one, write its build and a line in kinds.
type kind struct {
	name, about string
	roles       []role
	many        bool // any number of inputs, from least on, instead of roles
	least       int
	needs, may  []string // settings that must, and that may, be there
	decimals    int
	build       func(r *Recipe, in []Source, m *Machine) error
}

// role is one input of a kind.
type role struct {
	name, about string
	unit        measure.Unit // any unit of its dimension will do; empty: any at all
	kind        string       // empty: numbers, or on and off
	optional    bool
}

var (
	air      = role{name: "air", about: "an air temperature", unit: "Cel"}
	humidity = role{name: "humidity", about: "a relative humidity", unit: "%RH"}
	surface  = role{name: "surface", about: "a temperature", unit: "Cel"}
	one      = []role{{name: "of", about: "a signal"}}
	oneOnOff = []role{{name: "of", about: "on or off", kind: site.KindSwitch}}
)

var kinds = []kind{
	{name: "dew-point", about: "the temperature at which moisture falls out of the air", roles: []role{air, humidity},
		may: []string{"over"}, decimals: 2, build: dewPoint},
	{name: "dew-margin", about: "a surface's temperature less the dew point", roles: []role{surface, air, humidity},
		may: []string{"over"}, decimals: 2, build: dewMargin},
	{name: "absolute-humidity", about: "grams of water in a cubic metre of air", roles: []role{air, humidity},
		decimals: 2, build: absoluteHumidity},
	{name: "on-off", about: "on and off from a number, by a limit with a deadband", roles: one, needs: []string{"when"},
		may: []string{"deadband"}, build: onOff},
	{name: "charge", about: "how full a battery is, from its voltage",
		roles: []role{{name: "of", about: "a voltage", unit: "V"}}, needs: []string{"curve"},
		may: []string{"points", "cells", "divider"}, decimals: 1, build: charge},
	{name: "charging", about: "whether something rises, by its trend", roles: one, needs: []string{"window"},
		may: []string{"deadband"}, build: charging},
	{name: "hours-left", about: "when something that falls will be at 0, at the present rate", roles: one,
		needs: []string{"window"}, may: []string{"edge"}, decimals: 1, build: hoursLeft},
	{name: "forecast", about: "hours until a trend meets a limit", roles: one, needs: []string{"window", "limit"},
		decimals: 2, build: forecast},
	{name: "power", about: "watts from volts, amperes and power factor",
		roles: []role{{name: "volts", about: "a voltage", unit: "V"}, {name: "amperes", about: "a current", unit: "A"},
			{name: "factor", about: "a power factor", unit: "/", optional: true}}, decimals: 2, build: power},
	{name: "difference", about: "the first less the second", roles: []role{{name: "a", about: "a signal"},
		{name: "b", about: "a signal"}}, decimals: 4, build: difference},
	{name: "sum", about: "of several", many: true, least: 2, decimals: 4, build: severally(sumOf)},
	{name: "mean", about: "of several", many: true, least: 2, decimals: 4, build: severally(meanOf)},
	{name: "highest", about: "of several", many: true, least: 2, decimals: 4, build: severally(highestOf)},
	{name: "lowest", about: "of several", many: true, least: 2, decimals: 4, build: severally(lowestOf)},
	{name: "moving-mean", about: "the mean of the readings of a window", roles: one, needs: []string{"window"},
		decimals: 4, build: movingMean},
	{name: "moving-median", about: "the median of the readings of a window", roles: one, needs: []string{"window"},
		decimals: 4, build: movingMedian},
	{name: "moving-deviation", about: "the standard deviation of the readings of a window", roles: one,
		needs: []string{"window"}, decimals: 4, build: movingDeviation},
	{name: "rate", about: "the change an hour, by the trend of a window", roles: one, needs: []string{"window"},
		decimals: 4, build: rate},
	{name: "on-for", about: "minutes since it was switched on; 0 while off", roles: oneOnOff, decimals: 4,
		build: onFor},
	{name: "off-for", about: "minutes since it was last on; 0 while on", roles: oneOnOff, decimals: 4, build: offFor},
	{name: "cycles", about: "how often it was switched on in a window", roles: oneOnOff, needs: []string{"window"},
		build: cycles},
	{name: "on-time", about: "minutes that it was on in a window", roles: oneOnOff, needs: []string{"window"},
		decimals: 4, build: onTime},
	{name: "times-usual", about: "the last 24 hours against the median of those of the two weeks before",
		roles: oneOnOff, needs: []string{"count"}, decimals: 3, build: timesUsual},
	{name: "unlike-usual",
		about: "by how many usual spreads it differs from the median of this hour in the four weeks before", roles: one,
		decimals: 2, build: unlikeUsual},
	{name: "readings-over", about: "how many of the last readings met a test", roles: one,
		needs: []string{"when", "last"}, build: readingsOver},
	{name: "formula", about: "a formula in CEL", many: true, least: 1, needs: []string{"formula"},
		may: []string{"unit"}, decimals: 6, build: formula},
}

func find(name string) *kind {
	for i := range kinds {
		if kinds[i].name == name {
			return &kinds[i]
		}
	}
	return nil
}

// Kind tells what there is to know of a kind before a recipe is written.
type Kind struct {
	Name  string     `json:"name"`
	About string     `json:"about"`
	Roles []KindRole `json:"roles" nullable:"false" doc:"its inputs; none: any number of signals, under names of one's own"`
	Needs []string   `json:"needs" nullable:"false" doc:"settings that must be there"`
	May   []string   `json:"may" nullable:"false" doc:"settings that may"`
}

// KindRole is one input of a kind.
type KindRole struct {
	Name     string       `json:"name"`
	About    string       `json:"about"`
	Unit     measure.Unit `json:"unit" doc:"any of its dimension; empty: any at all"`
	Optional bool         `json:"optional"`
}

// Kinds lists the kinds.
func Kinds() []Kind {
	list := make([]Kind, len(kinds))
	for i, k := range kinds {
		list[i] = Kind{Name: k.name, About: k.about, Roles: []KindRole{}, Needs: append([]string{}, k.needs...),
			May: append([]string{}, k.may...)}
		for _, r := range k.roles {
			list[i].Roles = append(list[i].Roles, KindRole{r.name, r.about, r.unit, r.optional})
		}
	}
	return list
}

// KindNames lists their names.
func KindNames() []string {
	names := make([]string, len(kinds))
	for i, k := range kinds {
		names[i] = k.name
	}
	return names
}
