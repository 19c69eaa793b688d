package roster

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/core/site"
)

// News is what a summary tells of one alarm.
type News struct {
	AlarmID  int64
	Sentence string
	Severity alarm.Severity
	Facts    string // of one that stands: what it reads, in a sentence
	Advice   string // of one that stands
	Taken    bool   // somebody has it
	Over     bool
	// of one that is over: what became of it, as "was above 30 °C for 5 minutes"; made from the sentence when empty
	Ended string
}

// listed is how many alarms a summary lists of those that stand, and of those that are over; the rest is a number.
const listed = 20

// stands says an alarm that stands: "Critical: Press pressure is above 50 bar. It reads 61 bar."
func (n *News) stands() string {
	words := n.Sentence
	if n.Severity != "" {
		words = prose.Capital(string(n.Severity)) + ": " + words
	}
	return join(" ", stop(words), n.Facts)
}

// was says an alarm that is over, without a full stop.
func (n *News) was() string {
	if n.Ended != "" {
		return n.Ended
	}
	return alarm.Was(n.Sentence)
}

// SummaryOf is the message about alarms that one reader was not told of one by one. It leads with what stands, the
// severest first and then the oldest, each with what it reads and what to do; what is over comes last. A reason says
// why in a sentence.
func SummaryOf(s site.Site, reason string, news []News) Message {
	slices.SortStableFunc(news, func(a, b News) int {
		return cmp.Or(b.Severity.Compare(a.Severity), cmp.Compare(a.AlarmID, b.AlarmID))
	})
	var stand, over []News
	for _, n := range news {
		if n.Over {
			over = append(over, n)
		} else {
			stand = append(stand, n)
		}
	}
	w := Message{Long: summaryLong(s, reason, stand, over)}
	if len(stand) == 0 {
		w.Short, w.Rest = cameAndWent(over)
		return w
	}
	worst := stand[0]
	if n := len(stand); n > 1 {
		worst.Sentence += fmt.Sprintf(" (worst of %d that stand)", n)
	}
	w.Short = strings.TrimSuffix(worst.stands(), ".")
	w.Rest = standingRest(stand, over)
	if !stand[0].Taken {
		if w.Asks = "it"; len(stand) > 1 {
			w.Asks = "the first one"
		}
	}
	return w
}

// summaryLong is a summary in paragraphs.
func summaryLong(s site.Site, reason string, stand, over []News) string {
	var b strings.Builder
	if len(stand) > 0 {
		fmt.Fprintf(&b, "%s:\n\n", standOf(len(stand), len(stand)+len(over)))
		for _, n := range stand[:min(len(stand), listed)] {
			fmt.Fprintf(&b, "  alarm %d: %s\n", n.AlarmID, n.stands())
			if n.Advice != "" {
				fmt.Fprintf(&b, "    %s\n", adviceWords(n.Advice))
			}
		}
		if n := len(stand) - listed; n > 0 {
			fmt.Fprintf(&b, "  and %d more that stand; the list of alarms has them all\n", n)
		}
		b.WriteString("\n")
	}
	fmt.Fprintf(&b, "%s", reason)
	if len(over) > 0 {
		says := "\n\n" + prose.Capital(isOver(len(over)))
		if len(stand) == 0 {
			says = " Meanwhile " + prose.Count(len(over), "alarm", "alarms") + " came and went"
		}
		fmt.Fprintf(&b, "%s:\n\n", says)
		for _, n := range over[:min(len(over), listed)] {
			fmt.Fprintf(&b, "  alarm %d: %s\n", n.AlarmID, n.was())
		}
		if n := len(over) - listed; n > 0 {
			fmt.Fprintf(&b, "  and %d more; the list of alarms has them all\n", n)
		}
	} else {
		b.WriteString("\n")
	}
	if len(stand) == 0 {
		b.WriteString("\nNone stands now.\n")
	}
	MessageData{Site: s}.sign(&b)
	return b.String()
}

// standOf says how many of some alarms stand: "1 alarm stands", "2 of 9 alarms stand".
func standOf(stand, all int) string {
	verb := "stand"
	if stand == 1 {
		verb = "stands"
	}
	if stand == all {
		return prose.Count(all, "alarm", "alarms") + " " + verb
	}
	return fmt.Sprintf("%d of %s %s", stand, prose.Count(all, "alarm", "alarms"), verb)
}

func isOver(n int) string {
	if n == 1 {
		return "1 is over"
	}
	return fmt.Sprintf("%d are over", n)
}

// standingRest names the others that stand, with what to do, then those that are over; then less and less, but what is
// left out is counted.
func standingRest(stand, over []News) (rests []string) {
	most := min(len(stand), listed)
	build := func(named int, advice func(i int) bool, overNamed bool) string {
		parts := []string{}
		for i := range named {
			if i > 0 {
				parts = append(parts, stand[i].stands())
			}
			if stand[i].Advice != "" && advice(i) {
				parts = append(parts, adviceWords(stand[i].Advice))
			}
		}
		if left := len(stand) - named; left == 1 {
			parts = append(parts, "1 more stands.")
		} else if left > 1 {
			parts = append(parts, fmt.Sprintf("%d more stand.", left))
		}
		if len(over) > 0 {
			says := prose.Capital(isOver(len(over)))
			if overNamed {
				says += ": " + strings.Join(namesOf(over), "; ")
			}
			parts = append(parts, says+".")
		}
		return strings.Join(parts, " ")
	}
	all, first, none := func(int) bool { return true }, func(i int) bool { return i == 0 },
		func(int) bool { return false }
	if len(over) > 0 && len(over) <= listed {
		rests = append(rests, build(most, all, true))
	}
	rests = append(rests, build(most, all, false), build(most, first, false))
	for named := most; named >= 1; named-- {
		rests = append(rests, build(named, none, false))
	}
	return slices.Compact(rests)
}

func namesOf(news []News) (words []string) {
	for i := range news {
		words = append(words, news[i].was())
	}
	return words
}

// cameAndWent tells of alarms of which none stands: the worst by name, then the others.
func cameAndWent(over []News) (short string, rests []string) {
	short = "Came and went: " + over[0].was()
	if n := len(over); n > 1 {
		short = fmt.Sprintf("%s came and went, the worst: %s", prose.Count(n, "alarm", "alarms"), over[0].was())
	}
	for named := min(len(over), listed); named >= 1; named-- {
		rest := strings.Join(namesOf(over[1:named]), "; ")
		if rest != "" {
			rest = "Also: " + rest
			if left := len(over) - named; left > 0 {
				rest += fmt.Sprintf("; and %d more", left)
			}
			rest += "."
		}
		rests = append(rests, rest)
	}
	return short, slices.Compact(rests)
}

// CaughtUp is the summary about a device that sent what it had kept.
func CaughtUp(s site.Site, device string, news []News) Message {
	w := SummaryOf(s, device+" was away and has sent what it had kept.", news)
	if !slices.ContainsFunc(news, func(n News) bool { return !n.Over }) {
		w.Short = device + " caught up. " + w.Short
	}
	return w
}

// Digest is the summary about alarms that came faster than a reader could follow.
func Digest(s site.Site, news []News, within time.Duration) Message {
	return SummaryOf(s, fmt.Sprintf("%s came within %s; you get them in one message.",
		prose.Count(len(news), "alarm", "alarms"), prose.Length(max(within, time.Minute).Round(time.Minute))), news)
}

// Meanwhile is the summary about alarms that came and went while a reader could not be told, for a reason in words.
func Meanwhile(s site.Site, reason string, news []News) Message {
	return SummaryOf(s, stop(reason), news)
}

// NewsOf says how the alarm stands now, for a summary.
func NewsOf(m MessageData, now measure.Instant) News {
	a := m.Alarm
	n := News{AlarmID: a.ID, Sentence: a.Sentence, Severity: a.Severity, Taken: a.AcknowledgedAt != nil,
		Over: a.ClearedAt != nil}
	if !n.Over {
		if n.Facts, n.Advice = m.facts(false), a.Advice; n.Taken {
			n.Facts, n.Advice = join(" ", n.Facts, a.AcknowledgedBy+" has it."), ""
		}
		return n
	}
	n.Ended = fmt.Sprintf("%s (alarm from %s for %s)", alarm.Was(a.Sentence), clockAt(m.Site, a.RaisedAt, now),
		m.lasted())
	switch a.Ending {
	case alarm.EndUnwatched:
		n.Ended += ", no longer watched: " + a.Cause
	case alarm.EndChanged:
		n.Ended += ", no longer an alarm: " + a.Cause
	case alarm.EndDisproved:
		n.Ended = fmt.Sprintf("%s, withdrawn: %s", a.Sentence, a.Cause)
	}
	return n
}

// clockAt says a time of day in the site's zone, with the date where it is not today's.
func clockAt(s site.Site, i, now measure.Instant) string {
	at, today := i.Time().In(s.Location()), now.Time().In(s.Location())
	if at.Format(time.DateOnly) == today.Format(time.DateOnly) {
		return at.Format("15:04")
	}
	return at.Format("15:04 on 2 January")
}
