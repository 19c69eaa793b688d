package alarm

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/prose"
)

// Told is what the judgement of a whole site looks at in one alarm.
type Told struct {
	ID        int64            `db:"id"`
	Guard     string           `db:"guard"`
	Signal    string           `db:"signal"`
	Kind      string           `db:"kind"`
	Severity  Severity         `db:"worst"`
	RaisedAt  measure.Instant  `db:"raised_at"`
	ClearedAt *measure.Instant `db:"cleared_at"`
}

// Recipient is how often a person was told of an alarm.
type Recipient struct {
	Address string  `json:"address" db:"address"`
	Alarms  int     `json:"alarms" db:"alarms"`
	PerDay  float64 `json:"per_day" db:"-"`
}

// Health judges the alarms of a stretch by the figures of EEMUA 191 (Alarm systems: a guide to design, management and
// procurement, 3rd edition) and ANSI/ISA-18.2 (2016, table 7 and its neighbours). These are for people who watch a
// plant all day; who is called away from other work should ask for less.
type Health struct {
	From      measure.Instant `json:"from" format:"date-time"`
	Until     measure.Instant `json:"until" format:"date-time"`
	Alarms    int             `json:"alarms"`
	Figures   []HealthFigure  `json:"figures" nullable:"false"`
	People    []Recipient     `json:"people" nullable:"false" doc:"who was told of how many, most first"`
	Offenders []Offender      `json:"offenders" nullable:"false" doc:"the ten that raised most"`
	Floods    []Flood         `json:"floods" nullable:"false" doc:"stretches with more than 10 alarms in 10 minutes"`
	Standing  []LongStanding  `json:"standing" nullable:"false" doc:"what stands for more than 24 hours"`
}

// HealthFigure is one figure beside what it should be.
type HealthFigure struct {
	Name   string  `json:"name"`
	Value  float64 `json:"value"`
	Unit   string  `json:"unit"`
	Limit  float64 `json:"limit" doc:"what it should not be above"`
	Good   bool    `json:"good"`
	Source string  `json:"source"`
}

// Offender is a guard, or a thing without one, that raises many alarms.
type Offender struct {
	Guard      string  `json:"guard" doc:"empty: no guard stands behind it"`
	Signal     string  `json:"signal"`
	Kind       string  `json:"kind"`
	Alarms     int     `json:"alarms"`
	Share      float64 `json:"share" doc:"of all alarms, in percent"`
	Chattering int     `json:"chattering" doc:"so many of them were raised again within 10 minutes of being over"`
	Cure       string  `json:"cure" doc:"what would have kept it quiet"`
}

// Chatters tells whether it comes and goes so fast that nobody can act on it.
func (o Offender) Chatters() bool { return o.Chattering >= chatterFrom }

// Flood is a stretch in which alarms came faster than a person can read them.
type Flood struct {
	From   measure.Instant `json:"from" format:"date-time"`
	Until  measure.Instant `json:"until" format:"date-time"`
	Alarms int             `json:"alarms"`
}

// LongStanding is an alarm that stands for long.
type LongStanding struct {
	ID     int64            `json:"id"`
	Guard  string           `json:"guard"`
	Signal string           `json:"signal"`
	Since  measure.Instant  `json:"since" format:"date-time"`
	Stood  measure.Duration `json:"stood"`
}

const (
	chatterWithin = 10 * time.Minute // raised again so soon after being over
	chatterFrom   = 3                // so often
	floodWithin   = 10 * time.Minute
	floodFrom     = 10
	staleAfter    = 24 * time.Hour
	offendersKept = 10
)

// Judge looks at the alarms that were raised in a stretch, or stood in it, in order of their raises, and at how often
// each person was told of one.
func Judge(all []Told, people []Recipient, from, until measure.Instant) Health {
	h := Health{From: from, Until: until, People: people, Offenders: []Offender{}, Floods: []Flood{},
		Standing: []LongStanding{}}
	raised := make([]Told, 0, len(all))
	for _, a := range all {
		if a.RaisedAt >= from {
			raised = append(raised, a)
		}
		end := until
		if a.ClearedAt != nil {
			end = *a.ClearedAt
		}
		if a.ClearedAt == nil && end.Sub(a.RaisedAt) > staleAfter {
			h.Standing = append(h.Standing, LongStanding{a.ID, a.Guard, a.Signal, a.RaisedAt,
				measure.Duration(end.Sub(a.RaisedAt))})
		}
	}
	h.Alarms = len(raised)
	days := max(until.Sub(from).Hours()/24, 1.0/24)
	most := 0.0
	for i := range h.People {
		h.People[i].PerDay = float64(h.People[i].Alarms) / days
		most = max(most, h.People[i].PerDay)
	}
	h.Floods = floods(raised)
	sources, chattering := h.offend(raised)
	h.figures(raised, days, most, sources, chattering)
	return h
}

func (h *Health) figures(raised []Told, days, most float64, sources, chattering int) {
	flooded := time.Duration(0)
	for _, f := range h.Floods {
		flooded += f.Until.Sub(f.From)
	}
	topShare := 0.0
	for _, o := range h.Offenders {
		topShare += o.Share
	}
	add := func(name string, value float64, unit string, limit float64, source string) {
		h.Figures = append(h.Figures, HealthFigure{name, value, unit, limit, value <= limit, source})
	}
	add("alarms a day for the person who is told most", most, "a day", 144,
		"EEMUA 191: one in 10 minutes is acceptable")
	add("alarms a day", float64(len(raised))/days, "a day", 144, "EEMUA 191")
	add("most alarms in 10 minutes", float64(busiest(raised)), "", floodFrom, "EEMUA 191: up to 10 can be dealt with")
	add("time in a flood", 100*flooded.Hours()/24/days, "%", 1, "ISA-18.2")
	add("standing for more than 24 hours", float64(len(h.Standing)), "", 5, "ISA-18.2")
	add("chattering", float64(chattering), "", 0, "ISA-18.2")
	if sources > offendersKept { // of fewer, ten make all
		add("share of the ten that raise most", topShare, "%", 5, "ISA-18.2")
	}
	for severity, limit := range map[Severity]float64{Critical: 5, Warning: 15} {
		n := 0
		for _, a := range raised {
			if a.Severity == severity {
				n++
			}
		}
		if len(raised) > 0 {
			add(string(severity)+" of all alarms", 100*float64(n)/float64(len(raised)), "%", limit,
				fmt.Sprintf("EEMUA 191: about %v in 100", limit))
		}
	}
	slices.SortStableFunc(h.Figures, func(a, b HealthFigure) int { return cmp.Compare(a.Name, b.Name) })
}

// Words write a figure of how the alarms do, with its unit: "0.4 a day".
func (f *HealthFigure) Words() string { return figureWords(f.Value, f.Unit) }

// LimitWords write what it should be at most.
func (f *HealthFigure) LimitWords() string { return figureWords(f.Limit, f.Unit) }

func figureWords(v float64, unit string) string {
	places := 1
	if v == math.Trunc(v) {
		places = 0
	}
	return strings.TrimSpace(measure.Round(v, places) + " " + unit)
}

// busiest is the most raises in any 10 minutes.
func busiest(raised []Told) (most int) {
	first := 0
	for i := range raised {
		for raised[i].RaisedAt.Sub(raised[first].RaisedAt) >= floodWithin {
			first++
		}
		most = max(most, i-first+1)
	}
	return most
}

// floods finds the stretches in which more than 10 alarms came in 10 minutes; those that touch are one.
func floods(raised []Told) []Flood {
	all := []Flood{}
	first, counted := 0, -1
	for i := range raised {
		for raised[i].RaisedAt.Sub(raised[first].RaisedAt) >= floodWithin {
			first++
		}
		if i-first+1 <= floodFrom {
			continue
		}
		if n := len(all); n > 0 && raised[first].RaisedAt <= all[n-1].Until {
			all[n-1].Until, all[n-1].Alarms = raised[i].RaisedAt, all[n-1].Alarms+i-max(first-1, counted)
		} else {
			all = append(all, Flood{raised[first].RaisedAt, raised[i].RaisedAt, i - first + 1})
		}
		counted = i
	}
	return all
}

// offend finds those that raised most, and tells how many raised any, and how many chatter.
func (h *Health) offend(raised []Told) (sources, chattering int) {
	type source struct{ guard, signal, kind string }
	of, last := map[source]*Offender{}, map[source]measure.Instant{}
	for _, a := range raised {
		key := source{a.Guard, a.Signal, a.Kind}
		o := of[key]
		if o == nil {
			o = &Offender{Guard: a.Guard, Signal: a.Signal, Kind: a.Kind}
			of[key] = o
		}
		o.Alarms++
		if over := last[key]; over != 0 && a.RaisedAt.Sub(over) <= chatterWithin {
			o.Chattering++
		}
		if a.ClearedAt != nil {
			last[key] = *a.ClearedAt
		}
	}
	for _, o := range of {
		o.Share = 100 * float64(o.Alarms) / float64(len(raised))
		if o.Chatters() {
			chattering++
		}
		h.Offenders = append(h.Offenders, *o)
	}
	slices.SortFunc(h.Offenders, func(a, b Offender) int {
		return cmp.Or(cmp.Compare(b.Alarms, a.Alarms), cmp.Compare(a.Guard, b.Guard), cmp.Compare(a.Signal, b.Signal),
			cmp.Compare(a.Kind, b.Kind))
	})
	h.Offenders = h.Offenders[:min(len(h.Offenders), offendersKept)]
	return len(of), chattering
}

// Record is what people made of a guard's alarms.
type Record struct {
	Summary
	Real      int              `json:"real"`
	False     int              `json:"false"`
	Useful    int              `json:"useful"`
	Missed    int              `json:"missed" doc:"what people say that it missed"`
	Precision *float64         `json:"precision" doc:"share of the marked alarms that were real or useful, in percent; null: none is marked"`
	MedianAck measure.Duration `json:"median_acknowledge" doc:"until somebody had it, the middle one; 0: none was acknowledged"`
	Chatters  bool             `json:"chatters"`
	Cure      string           `json:"cure" doc:"of one that chatters: what would have kept it quiet"`
	Words     string           `json:"words"`
}

// Recall makes the record of a guard from its alarms, in order of their raises.
func Recall(alarms []Alarm, missed int, from, until measure.Instant) Record {
	r := Record{Missed: missed}
	occurrences := make([]Occurrence, len(alarms))
	var acked []measure.Duration
	told := make([]Told, len(alarms))
	for i, a := range alarms {
		occurrences[i] = Occurrence{Side: a.Side, Level: a.Level, Severity: a.Worst, RaisedAt: a.RaisedAt,
			ClearedAt: a.ClearedAt}
		told[i] = Told{Guard: a.Guard, Signal: a.Signal, RaisedAt: a.RaisedAt, ClearedAt: a.ClearedAt}
		switch a.Mark {
		case MarkReal:
			r.Real++
		case MarkFalse:
			r.False++
		case MarkUseful:
			r.Useful++
		}
		if a.AcknowledgedAt != nil {
			acked = append(acked, measure.Duration(max(0, a.AcknowledgedAt.Sub(a.RaisedAt))))
		}
	}
	r.Summary = Summarise(occurrences, from, until)
	if marked := r.Real + r.False + r.Useful; marked > 0 {
		precision := 100 * float64(r.Real+r.Useful) / float64(marked)
		r.Precision = &precision
	}
	if len(acked) > 0 {
		slices.Sort(acked)
		r.MedianAck = acked[len(acked)/2]
	}
	var h Health
	h.offend(told)
	r.Chatters = len(h.Offenders) > 0 && h.Offenders[0].Chatters()
	r.Words = r.words()
	return r
}

func (r *Record) words() string {
	text := fmt.Sprintf("%s, %s a week", prose.Count(r.Alarms, "alarm", "alarms"), measure.Round(r.PerWeek, 1))
	if r.Precision != nil {
		text += fmt.Sprintf("; of %d marked, %d were real, %d useful, %d false", r.Real+r.False+r.Useful, r.Real,
			r.Useful, r.False)
	}
	if r.Missed > 0 {
		text += fmt.Sprintf("; %d missed", r.Missed)
	}
	if r.MedianAck > 0 {
		text += fmt.Sprintf("; somebody has it after %v as a rule", r.MedianAck)
	}
	if r.Chatters {
		text += "; it chatters"
	}
	return text
}
