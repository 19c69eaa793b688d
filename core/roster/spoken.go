package roster

import (
	"regexp"
	"strconv"
	"strings"
)

var (
	spokenTime   = regexp.MustCompile(`\b([01]?[0-9]|2[0-3]):([0-5][0-9])(:[0-5][0-9])?\b`)
	spokenAmount = regexp.MustCompile(
		`(-|−)?\b([0-9]+)(?:\.([0-9]+))?( ?(?:°C|°F|%|ppm|ppb|kWh|kW|W|mV|V|mA|A|hPa|kPa|Pa|bar|lx|µg/m³|mg/m³|m³|l/min|l/s|l|mm|cm|km|m|Hz|K|dB|µS/cm|mS/cm|g|kg|s|min|h)(?:\b|$|[ .,;:]))?`)
	spokenName = regexp.MustCompile(`\b([A-Z]{1,3})([0-9]+)\b`)
)

// spokenUnits are units in words, for more than one and for exactly one.
var spokenUnits = map[string][2]string{
	"°C": {"degrees Celsius", "degree Celsius"}, "°F": {"degrees Fahrenheit", "degree Fahrenheit"},
	"%":   {"percent", "percent"},
	"ppm": {"parts per million", "part per million"}, "ppb": {"parts per billion", "part per billion"},
	"kWh": {"kilowatt-hours", "kilowatt-hour"},
	"kW":  {"kilowatts", "kilowatt"}, "W": {"watts", "watt"}, "mV": {"millivolts", "millivolt"}, "V": {"volts", "volt"},
	"mA": {"milliamperes", "milliampere"},
	"A":  {"amperes", "ampere"}, "hPa": {"hectopascals", "hectopascal"}, "kPa": {"kilopascals", "kilopascal"},
	"Pa": {"pascals", "pascal"}, "bar": {"bar", "bar"},
	"lx": {"lux", "lux"}, "µg/m³": {"micrograms per cubic metre", "microgram per cubic metre"},
	"mg/m³": {"milligrams per cubic metre", "milligram per cubic metre"},
	"m³":    {"cubic metres", "cubic metre"}, "l/min": {"litres a minute", "litre a minute"},
	"l/s": {"litres a second", "litre a second"}, "l": {"litres", "litre"},
	"mm": {"millimetres", "millimetre"}, "cm": {"centimetres", "centimetre"}, "km": {"kilometres", "kilometre"},
	"m": {"metres", "metre"}, "Hz": {"hertz", "hertz"},
	"K": {"kelvins", "kelvin"}, "dB": {"decibels", "decibel"}, "µS/cm": {"microsiemens per centimetre",
		"microsiemens per centimetre"},
	"mS/cm": {"millisiemens per centimetre", "millisiemens per centimetre"}, "g": {"grams", "gram"},
	"kg": {"kilograms", "kilogram"},
	"s":  {"seconds", "second"}, "min": {"minutes", "minute"}, "h": {"hours", "hour"},
}

// Spoken gives a text as it is to be read aloud: numbers and units in words, times as people say them, CO2 as letters.
func Spoken(text string) string {
	text = spokenTime.ReplaceAllStringFunc(text, func(found string) string {
		at := strings.Split(found, ":")
		hour, _ := strconv.Atoi(at[0])
		minute, _ := strconv.Atoi(at[1])
		return clockWords(hour, minute)
	})
	text = spokenName.ReplaceAllStringFunc(text, func(name string) string {
		split := spokenName.FindStringSubmatch(name)
		return strings.Join(strings.Split(split[1]+split[2], ""), " ")
	})
	text = spokenAmount.ReplaceAllStringFunc(text, amountWords)
	return strings.NewReplacer("/", " ", "\n\n", " ", "\n", " ", "°", " degrees").Replace(strings.TrimSpace(text))
}

func amountWords(found string) string {
	split := spokenAmount.FindStringSubmatch(found)
	var b strings.Builder
	if split[1] != "" {
		b.WriteString("minus ")
	}
	whole, err := strconv.Atoi(split[2])
	if err != nil || whole >= 1_000_000_000 || len(split[2]) > 1 && split[2][0] == '0' {
		b.WriteString(digits(split[2]))
	} else {
		b.WriteString(numberWords(whole))
	}
	if split[3] != "" {
		b.WriteString(" point " + digits(split[3]))
	}
	rest := split[4]
	unit := strings.TrimRight(strings.TrimSpace(rest), ".,;:")
	if unit == "" {
		return b.String() + rest
	}
	words := spokenUnits[unit]
	word := words[0]
	if whole == 1 && split[3] == "" {
		word = words[1]
	}
	return b.String() + " " + word + rest[strings.Index(rest, unit)+len(unit):]
}

// digits reads figures one by one.
func digits(figures string) string {
	words := make([]string, len(figures))
	for i := range figures {
		words[i] = ones[figures[i]-'0']
	}
	return strings.Join(words, " ")
}

var (
	ones = strings.Fields(
		"zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen " +
			"seventeen eighteen nineteen")
	tens = strings.Fields("- - twenty thirty forty fifty sixty seventy eighty ninety")
)

// numberWords gives a number below a billion in words.
func numberWords(n int) string {
	switch {
	case n < 20:
		return ones[n]
	case n < 100:
		if n%10 == 0 {
			return tens[n/10]
		}
		return tens[n/10] + "-" + ones[n%10]
	case n < 1000:
		return below(n, 100, "hundred", " and ")
	case n < 1_000_000:
		return below(n, 1000, "thousand", " ")
	}
	return below(n, 1_000_000, "million", " ")
}

func below(n, size int, name, join string) string {
	words := numberWords(n/size) + " " + name
	if rest := n % size; rest > 0 {
		if rest < 100 {
			join = " and "
		}
		words += join + numberWords(rest)
	}
	return words
}

// clockWords says a time of day: "six minutes past three in the morning".
func clockWords(hour, minute int) string {
	part := "in the morning"
	switch {
	case hour >= 18:
		part = "in the evening"
	case hour >= 12:
		part = "in the afternoon"
	}
	name := func(hour int) string { return ones[(hour+11)%12+1] }
	minutes := func(n int) string {
		switch {
		case n == 1:
			return "one minute"
		case n%5 == 0:
			return numberWords(n)
		}
		return numberWords(n) + " minutes"
	}
	switch {
	case minute == 0 && hour == 0:
		return "midnight"
	case minute == 0 && hour == 12:
		return "noon"
	case minute == 0:
		return name(hour) + " o'clock " + part
	case minute == 15:
		return "a quarter past " + name(hour) + " " + part
	case minute == 30:
		return "half past " + name(hour) + " " + part
	case minute == 45:
		return "a quarter to " + name(hour+1) + " " + part
	case minute < 30:
		return minutes(minute) + " past " + name(hour) + " " + part
	}
	return minutes(60-minute) + " to " + name(hour+1) + " " + part
}
