package roster

import (
	"testing"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/derive"
	"jauntylark/core/measure"
)

func TestWhatAGuardOverSomethingComputedSays(t *testing.T) {
	pump := Part{Device: "Fog pump", Signal: "Running", Switch: true}
	door := Part{Device: "Shop", Signal: "Door", Switch: true}
	press := Part{Device: "Press", Signal: "Pressure", Unit: "bar"}
	air := Part{Device: "Fern house", Signal: "Air temperature", Unit: "Cel"}
	hour := measure.Duration(time.Hour)
	for _, c := range []struct {
		of     []Part
		recipe derive.Recipe
		test   string
		value  float64
		unit   measure.Unit
		want   string
		reads  string
	}{
		{[]Part{pump}, derive.Recipe{Kind: "cycles", Window: hour}, "above 6", 7, "",
			"Fog pump ran 7 times in the last hour, more than 6", "It ran 7 times in the last hour."},
		{[]Part{pump}, derive.Recipe{Kind: "cycles", Window: 2 * hour}, "at most 0", 0, "",
			"Fog pump ran 0 times in the last 2 hours, 0 or less", "It ran 0 times in the last 2 hours."},
		{[]Part{door}, derive.Recipe{Kind: "cycles", Window: hour}, "at least 1", 1, "",
			"Shop door was switched on 1 time in the last hour, 1 or more",
			"It was switched on 1 time in the last hour."},
		{[]Part{pump}, derive.Recipe{Kind: "on-for"}, "above 1", 61.0 / 60, "min",
			"Fog pump has run for 1 minute 1 second, longer than 1 minute", "It has run for 1 minute 1 second."},
		{[]Part{door}, derive.Recipe{Kind: "on-for"}, "above 0.5", 2, "min",
			"Shop door has been on for 2 minutes, longer than 30 seconds", "It has been on for 2 minutes."},
		{[]Part{pump}, derive.Recipe{Kind: "on-time", Window: hour}, "above 30", 35, "min",
			"Fog pump ran for 35 minutes in the last hour, longer than 30 minutes",
			"It ran for 35 minutes in the last hour."},
		{[]Part{press}, derive.Recipe{Kind: "readings-over", When: "above 50", Last: 8}, "at least 5", 5, "",
			"Press pressure was above 50 bar in 5 of the last 8 readings",
			"It was above 50 bar in 5 of the last 8 readings."},
		{[]Part{air}, derive.Recipe{Kind: "rate", Window: hour}, "below -2", -3.25, "Cel",
			"Fern house air temperature falls by 3.25 °C, more than 2 °C", "It falls by 3.25 °C."},
		{[]Part{air}, derive.Recipe{Kind: "unlike-usual"}, "outside -5..5", -6.2, "",
			"Fern house air temperature reads 6.2 spreads below its usual of this hour, not between -5 and 5",
			"It reads 6.2 spreads below its usual of this hour."},
		{[]Part{pump}, derive.Recipe{Kind: "times-usual", Count: "cycles"}, "above 2", 3, "",
			"Fog pump had 3 times the usual starts in the last day, more than 2",
			"It had 3 times the usual starts in the last day."},
		{[]Part{air}, derive.Recipe{Kind: "moving-mean", Window: hour}, "above 30", 31.5, "Cel",
			"Fern house air temperature was 31.5 °C on average over the last hour, more than 30 °C",
			"It was 31.5 °C on average over the last hour."},
		{[]Part{air, press}, derive.Recipe{Kind: "difference"}, "above 3", 4, "K",
			"Fern house air temperature less Press pressure is above 3 K", ""},
		{[]Part{air}, derive.Recipe{Kind: "moving-deviation", Window: hour}, "above 3", 4, "K",
			"Fern house air temperature, its moving deviation over 1 hour, is above 3 K", ""},
	} {
		test, err := alarm.ParseTest(c.test)
		if err != nil {
			t.Fatal(err)
		}
		w := Watched{Recipe: c.recipe, Of: c.of}
		if got := w.Sentence(test, c.value, c.unit); got != c.want {
			t.Errorf("%s %s:\n%s\nwant\n%s", c.recipe.Kind, c.test, got, c.want)
		}
		if got := w.Reads(c.value, c.unit); got != c.reads {
			t.Errorf("%s: %q, want %q", c.recipe.Kind, got, c.reads)
		}
	}
}
