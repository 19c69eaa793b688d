package asset

import (
	"fmt"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/wall"
)

// Facts are what the words about an asset are made of.
type Facts struct {
	Asset    Asset
	Site     site.Site
	Now      measure.Instant
	Signals  int
	Silent   []string         // what has fallen silent, as people call it
	Guards   int              // that look at its signals
	Asleep   int              // of these, out of service or shelved
	Alarms   []string         // sentences of those that stand, the worst first
	LastOver *measure.Instant // when the last alarm was over; nil: there was none
	Due      []string         // signals whose verification is due, as people call them
	Run      string           // the run that is on, as people call it; empty: none
	RunSince measure.Instant
}

// Say tells in words how an asset does: what is wrong first.
func (f *Facts) Say() []string {
	a := &f.Asset
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	out = append(out, f.condition())
	for _, sentence := range f.Alarms {
		say("%s.", strings.TrimSuffix(sentence, "."))
	}
	if len(f.Silent) > 0 {
		say("Nothing comes from %s.", prose.List(f.Silent))
	}
	switch {
	case a.Condition == Retired:
	case f.Signals == 0:
		say("No signal belongs to it yet.")
	case f.Guards == 0:
		say("Nothing guards it: nobody is told when something is wrong.")
	case len(f.Alarms) == 0 && f.LastOver != nil:
		say("%s %s it; all quiet since %s.", prose.Count(f.Guards, "guard", "guards"),
			plural(f.Guards, "looks after", "look after"), roster.When(f.Site, *f.LastOver))
	case len(f.Alarms) == 0:
		say("%s %s it, and never had to say anything.", prose.Count(f.Guards, "guard", "guards"),
			plural(f.Guards, "looks after", "look after"))
	}
	if f.Asleep > 0 {
		say("%s of them %s out of service or shelved.", prose.Count(f.Asleep, "guard", "guards"),
			plural(f.Asleep, "is", "are"))
	}
	if len(f.Due) > 0 {
		say("Due to be verified: %s.", prose.List(f.Due))
	}
	if f.Run != "" {
		say("%s is on, since %s.", f.Run, roster.When(f.Site, f.RunSince))
	}
	if words := f.service(); words != "" {
		out = append(out, words)
	}
	return out
}

func (f *Facts) condition() string {
	a := &f.Asset
	state := map[string]string{InOrder: "It is in order", Attention: "It needs attention",
		OutOfOrder: "It is out of order", Retired: "It is retired"}[a.Condition]
	if a.By != "" {
		state += fmt.Sprintf(", said %s at %s", a.By, roster.When(f.Site, a.Since))
	}
	if a.Why != "" {
		state += ": " + strings.TrimSuffix(a.Why, ".")
	}
	return state + "."
}

// service tells of the next service.
func (f *Facts) service() string {
	due, err := wall.ParseDay(f.Asset.NextService)
	if err != nil || f.Asset.Condition == Retired {
		return ""
	}
	year, month, day := due.Date()
	on := fmt.Sprintf("%d %s %d", day, month, year)
	days := int(due - wall.On(f.Now, f.Site.Location()))
	switch {
	case days == 0:
		return "Its service is due today."
	case days < 0:
		return fmt.Sprintf("Its service was due %s ago, on %s.", prose.Count(-days, "day", "days"), on)
	}
	return fmt.Sprintf("Its next service is in %s, on %s.", prose.Count(days, "day", "days"), on)
}

func plural(n int, one, many string) string {
	if n == 1 {
		return one
	}
	return many
}
