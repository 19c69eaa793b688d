package roster

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/site"
)

// News is what a summary tells of one alarm.
type News struct {
	AlarmID  int64
	Sentence string
	Severity alarm.Severity
	Over     bool
	Learned  string // how long it stood, of one that was learned late; empty: not said
}

// listed is how many alarms a summary lists; the rest is a number.
const listed = 20

// SummaryOf is the message about alarms that one reader was not told of one by one. A reason says why in words: it begins
// the message. What stands comes first, the severest before the others.
func SummaryOf(s site.Site, reason, short string, news []News) Message {
	slices.SortStableFunc(news, func(a, b News) int {
		if a.Over != b.Over {
			if a.Over {
				return 1
			}
			return -1
		}
		return cmp.Or(b.Severity.Compare(a.Severity), cmp.Compare(a.AlarmID, b.AlarmID))
	})
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n", reason)
	stands := 0
	for i, n := range news {
		if !n.Over {
			stands++
		}
		if i >= listed {
			continue
		}
		words := n.Sentence + ", and still is"
		if n.Over {
			words = alarm.Was(n.Sentence) + ", and is over"
		} else if n.Severity != "" {
			words = capital(string(n.Severity)) + ": " + n.Sentence
		}
		if n.Learned != "" {
			words = alarm.Was(n.Sentence) + " " + n.Learned
		}
		fmt.Fprintf(&b, "  alarm %d: %s\n", n.AlarmID, words)
	}
	if n := len(news) - listed; n > 0 {
		fmt.Fprintf(&b, "  and %d more; the list of alarms has them all\n", n)
	}
	switch {
	case stands == 0:
		b.WriteString("\nNone of them stands now.\n")
	case stands == 1:
		b.WriteString("\nOne of them stands.\n")
	default:
		fmt.Fprintf(&b, "\n%d of them stand.\n", stands)
	}
	Matter{Site: s}.sign(&b)
	return Message{Short: short, Long: b.String()}
}

// Alarms counts alarms in words.
func Alarms(n int) string {
	if n == 1 {
		return "1 alarm"
	}
	return fmt.Sprintf("%d alarms", n)
}

// CaughtUp is the summary about a device that sent what it had kept.
func CaughtUp(s site.Site, device string, news []News) Message {
	return SummaryOf(s, fmt.Sprintf("%s was away and has sent what it had kept. Meanwhile %s came and went:", device, Alarms(len(news))),
		fmt.Sprintf("%s caught up: %s came and went", device, Alarms(len(news))), news)
}

// Digest is the summary about alarms that came faster than a reader could follow.
func Digest(s site.Site, news []News, within time.Duration) Message {
	short := fmt.Sprintf("%s in %s", Alarms(len(news)), Length(max(within, time.Minute).Round(time.Minute)))
	worst := slices.MaxFunc(news, func(a, b News) int { return a.Severity.Compare(b.Severity) })
	return SummaryOf(s, fmt.Sprintf("%s came in %s; you get them in one message:", Alarms(len(news)), Length(max(within, time.Minute).Round(time.Minute))),
		short+": "+worst.Sentence+more(len(news)-1), news)
}

func more(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf(" and %d more", n)
}

// Meanwhile is the summary about alarms that came and went while a reader could not be told, for a reason in words.
func Meanwhile(s site.Site, reason string, news []News) Message {
	return SummaryOf(s, fmt.Sprintf("%s. Meanwhile %s came and went:", reason, Alarms(len(news))), fmt.Sprintf("%s came and went meanwhile", Alarms(len(news))), news)
}
