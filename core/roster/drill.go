package roster

import (
	"cmp"
	"fmt"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
)

// Drill is a marked, made-up reading that proves the whole way from a guard to a person.
type Drill struct {
	ID          int64            `json:"id" db:"id"`
	Guard       string           `json:"guard" db:"guard"`
	By          string           `json:"started_by" db:"started_by"`
	StartedAt   measure.Instant  `json:"started_at" db:"started_at" format:"date-time" doc:"when the reading was made and sent"`
	CommittedAt measure.Instant  `json:"committed_at" db:"committed_at" format:"date-time" doc:"when the alarm and the first notices were committed"`
	AlarmID     int64            `json:"alarm_id" db:"alarm_id"`
	Rosters     []string         `json:"rosters" db:"-" nullable:"false" doc:"that the guard tells"`
	Outputs     bool             `json:"outputs" db:"outputs" doc:"interlocks were driven too; otherwise a drill passes outputs by"`
	EndedAt     *measure.Instant `json:"ended_at" db:"ended_at" format:"date-time"`
	Ended       string           `json:"ended" db:"ended" doc:"how it ended" example:"Orla has it"`
	Steps       []DrillStep      `json:"steps" db:"-" nullable:"false" doc:"what happened, in order"`
}

// DrillStep is one thing that happened in a drill.
type DrillStep struct {
	At   measure.Instant `json:"at" format:"date-time"`
	Took measure.Millis  `json:"took" doc:"seconds since the reading was made"`
	What string          `json:"what"`
	OK   bool            `json:"ok"`
}

// DrillLasts is how long a drill waits for somebody to take it, in milliseconds: half an hour.
const DrillLasts measure.Instant = 30 * 60 * 1000

// DrillEvery is after how long a roster that guards use is to be drilled again, in milliseconds: 90 days.
const DrillEvery measure.Instant = 90 * 24 * 3600 * 1000

// Tell fills in the steps of a drill from its alarm and its notices.
func (d *Drill) Tell(a alarm.Alarm, notices []Notice) {
	d.Steps = []DrillStep{
		{At: d.StartedAt, What: fmt.Sprintf("The reading %s was made and sent", measure.Figure(a.Value, a.Unit)),
			OK: true},
		{At: d.CommittedAt, What: "The guard raised its alarm: " + a.Sentence, OK: true},
	}
	calls := map[measure.Instant]int{}
	for _, n := range notices {
		to := n.Contact
		if to == "" {
			to = n.Address
		}
		what := map[string]string{Raise: "the alarm", Taken: "that somebody has it", Return: "that it is over"}[n.Kind]
		if what == "" {
			what = n.Kind
		}
		name := fmt.Sprintf("%s by %s to %s", what, wordsOf(n.Carrier), to)
		if n.Why != "" {
			name += " (" + n.Why + ")"
		}
		if calls[n.CreatedAt]++; n.State == HeldBack {
			d.Steps = append(d.Steps, DrillStep{At: n.CreatedAt, What: fmt.Sprintf("Held for %s: %s", n.Held, name)})
		} else if len(n.Deliveries) == 0 && d.EndedAt != nil {
			d.Steps = append(d.Steps, DrillStep{At: n.CreatedAt, What: "Not tried: " + name})
		}
		for _, v := range n.Deliveries {
			word := "Sent: "
			switch {
			case !v.OK:
				word = "Failed: "
			case n.DeliveredAt != nil && v.At == *n.DeliveredAt:
				word = "Delivered: "
			}
			d.Steps = append(d.Steps, DrillStep{At: v.At, What: word + name + ": " + v.Answer, OK: v.OK})
		}
	}
	for at, n := range calls {
		words := "1 notice was planned"
		if n > 1 {
			words = fmt.Sprintf("%d notices were planned", n)
		}
		d.Steps = append(d.Steps, DrillStep{At: at, What: words, OK: true})
	}
	if a.AcknowledgedAt != nil {
		d.Steps = append(d.Steps, DrillStep{At: *a.AcknowledgedAt, What: a.AcknowledgedBy + " has it", OK: true})
	} else if d.EndedAt != nil {
		d.Steps = append(d.Steps, DrillStep{At: *d.EndedAt, What: "It ended: " + d.Ended})
	}
	slices.SortStableFunc(d.Steps, func(a, b DrillStep) int {
		return cmp.Or(cmp.Compare(a.At, b.At), cmp.Compare(b.What, a.What))
	})
	for i := range d.Steps {
		d.Steps[i].Took = measure.Millis(d.Steps[i].At - d.StartedAt)
	}
}
