package roster

import (
	"fmt"
	"slices"
	"strings"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

const stepForm = "write a step like 'orla, tadhg by text, voice from warning for limit, fault after 5m gap 1m at " +
	"daily 22:00-07:00'"

// ParseStep reads a step in words: who, and then in any order by which carriers, from which severity on, for which
// severities and kinds of alarms alone, after how long, and with what gap between two messages; at which hours comes
// last.
func ParseStep(text string) (s Step, err error) {
	s = Step{By: []string{}, From: alarm.Advisory}
	words := strings.Fields(strings.ReplaceAll(text, ",", " , "))
	keys := []string{"by", "from", "for", "after", "gap", "at"}
	part := func() (out []string) { // up to the next keyword
		for len(words) > 0 && !slices.Contains(keys, words[0]) {
			out, words = append(out, words[0]), words[1:]
		}
		return out
	}
	if s.Who, err = commaList(part()); err != nil || len(s.Who) == 0 {
		return s, fmt.Errorf("%q names nobody; %s", text, stepForm)
	}
	seen := map[string]bool{}
	for len(words) > 0 {
		key := words[0]
		if words = words[1:]; seen[key] {
			return s, fmt.Errorf("%q says %s twice; %s", text, key, stepForm)
		}
		seen[key] = true
		if key == "at" { // hours have commas of their own
			if len(words) == 0 {
				return s, fmt.Errorf("%q says at, and no hours; %s", text, stepForm)
			}
			s.Hours = strings.ReplaceAll(strings.Join(words, " "), " ,", ",")
			if _, err := wall.ParseHours(s.Hours); err != nil {
				return s, err
			}
			return s, nil
		}
		value := part()
		one := strings.Join(value, " ")
		switch key {
		case "by":
			if s.By, err = commaList(value); err != nil || len(s.By) == 0 {
				return s, fmt.Errorf("%q says by, and no carrier; %s", text, stepForm)
			}
			for _, by := range s.By {
				if !slices.Contains(Carriers, by) {
					return s, fmt.Errorf("%s; carriers are %s", site.Unknown("carrier", by, Carriers),
						strings.Join(Carriers, ", "))
				}
			}
		case "from":
			s.From = alarm.Severity(one)
			if !slices.Contains(severities, one) {
				return s, fmt.Errorf("%s; severities are advisory, warning, critical",
					site.Unknown("severity", one, severities))
			}
		case "for":
			if err := s.parseFor(value); err != nil {
				return s, fmt.Errorf("%q: %w; %s", text, err, stepForm)
			}
		case "gap":
			if s.LeastGap, err = measure.ParseDuration(one); err != nil {
				return s, err
			}
		case "after":
			if s.After, err = measure.ParseDuration(one); err != nil {
				return s, err
			}
		}
	}
	return s, nil
}

// parseFor reads the severities and kinds of alarms that a step is for alone.
func (s *Step) parseFor(words []string) error {
	list, err := commaList(words)
	if err != nil || len(list) == 0 {
		return fmt.Errorf("for names nothing")
	}
	for _, word := range list {
		switch {
		case slices.Contains(severities, word):
			s.Severities = append(s.Severities, alarm.Severity(word))
		case slices.Contains(Kinds, word):
			s.Kinds = append(s.Kinds, word)
		default:
			return fmt.Errorf("%s", site.Unknown("severity or kind of alarm", word, slices.Concat(severities, Kinds)))
		}
	}
	return nil
}

// commaList reads words with commas between them.
func commaList(words []string) ([]string, error) {
	var out []string
	for i, w := range words {
		if comma := w == ","; comma != (i%2 == 1) || comma && i == len(words)-1 {
			return nil, fmt.Errorf("commas go between names")
		} else if !comma {
			out = append(out, w)
		}
	}
	return out, nil
}

// String is the step as ParseStep reads it.
func (s Step) String() string {
	var b strings.Builder
	b.WriteString(strings.Join(s.Who, ", "))
	if len(s.By) > 0 {
		b.WriteString(" by " + strings.Join(s.By, ", "))
	}
	if s.From != "" && s.From != alarm.Advisory {
		b.WriteString(" from " + string(s.From))
	}
	if len(s.Severities)+len(s.Kinds) > 0 {
		words := slices.Clone(s.Kinds)
		for i, sev := range s.Severities {
			words = slices.Insert(words, i, string(sev))
		}
		b.WriteString(" for " + strings.Join(words, ", "))
	}
	if s.After > 0 {
		b.WriteString(" after " + s.After.String())
	}
	if s.LeastGap > 0 {
		b.WriteString(" gap " + s.LeastGap.String())
	}
	if s.Hours != "" {
		b.WriteString(" at " + s.Hours)
	}
	return b.String()
}
