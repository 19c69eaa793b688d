package reading

import (
	"cmp"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/follow"
	"jauntylark/pipeline/memory"
	"jauntylark/pipeline/silence"
	"jauntylark/store/timeseries"
)

// Pack is what a sender sent at once.
type Pack struct {
	Sender         credential.Sender
	Arrived        measure.Instant
	Samples        []measure.Sample
	Frame          *Frame // that the samples were told of; nil: none
	IdempotencyKey string // empty for none
	Fresh          bool   // the key was not used before for the same: it is kept, and not asked for

	Drill *DrillOrder     // nil: it is what a sender sent
	came  measure.Instant // when it arrived, by the clock as it was then; 0: that was not looked at yet
	twin  *Job            // an earlier pack of its commit with the same idempotency key
}

// Outcome tells what became of a pack.
type Outcome struct {
	Accepted int               `json:"accepted"` // stored now or before
	Refused  []measure.Refusal `json:"rejected"`
	Arrival  bool              `json:"arrival,omitempty"` // nobody knows the device yet; what it sent is kept
}

const (
	AheadIsRefused = 24 * time.Hour
)

// begin forgets what an attempt that failed has left, and tells when the pack arrived by the clock as it is now.
func (p *Pack) begin(leapt time.Duration) {
	if p.twin = nil; p.came == 0 {
		p.came = p.Arrived
	}
	p.Arrived = p.came.Add(leapt)
}

// LogValue says where the pack comes from.
func (p *Pack) LogValue() slog.Value {
	return slog.GroupValue(slog.String("protocol", p.Sender.Protocol), slog.String("from", p.Sender.Address))
}

// clockShift is how far a pack must be moved back because its sender's clock, corrected, is ahead: 0
// for not.
func clockShift(samples []measure.Sample, arrived, correction measure.Instant) measure.Instant {
	newest := measure.Instant(0)
	for _, s := range samples {
		if s.At != 0 && s.At+correction <= arrived.Add(AheadIsRefused) {
			newest = max(newest, s.At+correction)
		}
	}
	if newest > arrived.Add(memory.AheadIsFault) {
		return newest - arrived
	}
	return 0
}

const (
	arrivalsAtMost = 500    // that are kept, waiting or turned away
	arrivalKeeps   = 10_000 // readings of one arrival
)

// TakePacks takes the packs of a batch, in order of arrival, each in order of its own times.
func (t *Turn) TakePacks(batch []*Job) error {
	for _, j := range batch {
		j.In.begin(t.LeaptSince(j.Leapt))
	}
	entries := make([][]memory.Reading, len(batch))
	var doubtful []timeseries.Row
	for i, j := range batch {
		if j.In.Drill != nil {
			if err := t.acceptDrill(j); err != nil {
				return err
			}
			continue
		}
		answered, err := t.answeredBefore(j, batch[:i])
		if err != nil {
			return err
		}
		if answered {
			continue
		}
		if entries[i], err = t.resolve(j); err != nil {
			return err
		}
		for _, e := range entries[i] {
			if e.At <= e.Signal.State.Newest() && !e.MovesOn() {
				doubtful = append(doubtful, timeseries.Row{Signal: e.Signal.ID, At: e.At})
			}
		}
	}
	if len(doubtful) > 0 {
		if err := t.fetchStored(doubtful); err != nil {
			return err
		}
	}
	for i, j := range batch {
		if j.In.Drill != nil || entries[i] == nil && !j.Out.Arrival {
			continue
		}
		if err := t.acceptAll(j, entries[i]); err != nil {
			return err
		}
		if err := t.keepOutcome(j); err != nil {
			return err
		}
	}
	for _, j := range batch {
		if j.In.twin != nil {
			j.Out, j.Err = j.In.twin.Out, j.In.twin.Err
		}
	}
	return nil
}

// resolve finds the signals of a pack's samples, makes those that are new, settles times and units,
// and sorts by time. What is wrong with a sample goes to the job's outcome.
func (t *Turn) resolve(j *Job) ([]memory.Reading, error) {
	home, err := t.identify(j)
	if err != nil || j.Err != nil || j.Out.Arrival {
		return nil, err
	}
	if j.In.Frame != nil {
		var fault *measure.Fault
		of := t.homeOf(j, home)
		switch err := t.FitFrame(of, j.In.Frame); {
		case errors.As(err, &fault):
			j.Err = err
			return nil, nil
		case err != nil:
			return nil, err
		}
		t.retell(j, of)
	}
	return t.entriesOf(j, home)
}

// identify finds the device that sends a job's pack: nil for a person. Who may not send finds the
// reason in the job; an arrival's pack is kept.
func (t *Turn) identify(j *Job) (*memory.Device, error) {
	if j.In.Sender.Person != "" {
		return nil, nil
	}
	who, err := t.Site.Identify(j.In.Sender, t.Now)
	switch {
	case err != nil:
		j.Err = err
		return nil, nil
	case who.Arrival != "":
		return nil, t.keepArrival(j, who)
	case t.Site.Retires[who.Key.ID] || who.Device.Enrolled && who.Key.ID != 0:
		if err := t.retireKeys(who); err != nil {
			return nil, err
		}
	}
	return t.Site.Devices[who.Device.ID], nil
}

func (t *Turn) entriesOf(j *Job, home *memory.Device) ([]memory.Reading, error) {
	refuse := func(s measure.Sample, field, reason string) {
		j.Out.Refused = append(j.Out.Refused, measure.Refusal{Index: s.Index, Signal: s.Name, Field: field,
			Reason: reason})
	}
	samples, err := t.spell(j.In.Samples)
	if err != nil {
		return nil, err
	}
	correction := measure.Instant(0)
	if home != nil {
		correction = measure.Instant(home.ClockOffset * 1000)
	}
	shift := clockShift(samples, j.In.Arrived, correction)
	entries := make([]memory.Reading, 0, len(samples))
	for _, s := range samples {
		e := memory.Reading{Index: s.Index, Named: s.Name, At: s.At + correction}
		switch {
		case s.At == 0:
			e.At, e.Untimed = j.In.Arrived, true
		case e.At > j.In.Arrived.Add(AheadIsRefused):
			refuse(s, "t", fmt.Sprintf("%s is more than a day ahead of now (%s)", e.At, j.In.Arrived))
			continue
		case e.At <= 0:
			refuse(s, "t", fmt.Sprintf("%s is no time after 1970 once the clock offset is added", s.At))
			continue
		case shift > 0:
			e.At, e.Quality = e.At-shift, measure.Clock
		case correction != 0:
			e.Quality = measure.Clock
		}
		e.Quality |= s.Marks
		fault, err := t.place(&e, s, home)
		if err != nil {
			return nil, err
		}
		if fault != nil {
			refuse(s, fault.Field, fault.Reason)
			continue
		}
		entries = append(entries, e)
	}
	slices.SortStableFunc(entries, func(a, b memory.Reading) int { return cmp.Compare(a.At, b.At) })
	return entries, nil
}

// spell gives the samples with the numbers of their words in place of the words.
func (t *Turn) spell(samples []measure.Sample) ([]measure.Sample, error) {
	var texts []string
	for i := range samples {
		if samples[i].Worded() {
			texts = append(texts, samples[i].Text)
		}
	}
	if len(texts) == 0 {
		return samples, nil
	}
	numbers, err := timeseries.Words(t.Ctx, t.Tx, texts)
	if err != nil {
		return nil, err
	}
	spelt := slices.Clone(samples)
	for i := range spelt {
		if spelt[i].Worded() {
			spelt[i].Value = float64(numbers[spelt[i].Text])
		}
	}
	return spelt, nil
}

// acceptAll takes the entries of one pack and judges the clocks of the devices that they are of.
func (t *Turn) acceptAll(j *Job, entries []memory.Reading) error {
	devices := map[*memory.Device]*silence.Taken{}
	if len(entries) > 0 {
		if err := t.followClocks(entries, j.In.Arrived); err != nil {
			return err
		}
		t.notedCatchingUp(entries, j.In.Arrived)
		t.NotePowerOn(entries)
	}
	for i := range entries {
		e := &entries[i]
		if i > 0 && e.At != entries[i-1].At {
			if err := t.Derive(j.In.Arrived); err != nil {
				return err
			}
		}
		quality, isNew, err := t.accept(j, e)
		if err != nil {
			return err
		}
		if !isNew {
			continue
		}
		d := e.Signal.Home
		n := devices[d]
		if n == nil {
			n = &silence.Taken{}
			devices[d] = n
			if err := t.HearFrom(d, j.In.Arrived); err != nil {
				return err
			}
			if d.State.DueAt == nil && d.ShortestLimit() != 0 {
				t.WakeAt(d, j.In.Arrived)
			}
		}
		n.Newest = max(n.Newest, e.At)
		if quality&measure.Late != 0 {
			n.Late++
		} else {
			n.InTime++
		}
	}
	if err := t.Derive(j.In.Arrived); err != nil {
		return err
	}
	if j.In.Frame != nil && len(devices) > 0 {
		if err := t.keepFrame(j.In.Frame, &entries[0]); err != nil {
			return err
		}
	}
	for d, n := range devices {
		t.HeardAfterAbsence(d, j.In.Arrived)
		if err := t.JudgeClock(d, j.In.Arrived, n); err != nil {
			return err
		}
	}
	return nil
}

// notedCatchingUp notes, before its readings are stepped, which devices of a pack catch up.
func (t *Turn) notedCatchingUp(entries []memory.Reading, arrived measure.Instant) {
	newest := map[*memory.Device]measure.Instant{}
	for _, e := range entries {
		if d := e.Signal.Home; d.Interval != 0 {
			newest[d] = max(newest[d], e.At)
		}
	}
	for d, at := range newest {
		t.JudgeCatchingUp(d, arrived, at)
	}
}

// accept stores one entry, judges it, and lets follow what follows from it, unless it is a duplicate or a
// conflict. It tells whether the entry was new, and its quality.
func (t *Turn) accept(j *Job, e *memory.Reading) (measure.Quality, bool, error) {
	s := e.Signal
	st := &s.State
	// What comes without a time comes after all that was there: two in one millisecond, or after our
	// clock was set back a little, are in order. A signal that is far ahead of the clock is left alone.
	if newest := max(st.At, st.SteppedAt); e.At <= newest && e.MovesOn() {
		e.At = newest + 1
	}
	if e.Untimed && e.At <= st.HighestAt {
		if err := t.findRoom(e); err != nil {
			return 0, false, err
		}
	}
	if e.At <= st.Newest() {
		if value, stored := t.storedAt(s.ID, e.At); stored && value == e.Value {
			j.Out.Accepted++
			return 0, false, nil
		} else if stored {
			j.Out.Refused = append(j.Out.Refused, measure.Refusal{Index: e.Index, Signal: e.Named, Field: "v",
				Reason: conflictReason(s, value, *e)})
			return 0, false, nil
		}
	}
	late := e.At <= st.SteppedAt
	if late {
		e.Quality |= measure.Late
	}
	t.Changed(s)
	follow.Judge(s, e)
	t.rows = append(t.rows, timeseries.Row{Signal: s.ID, At: e.At, Value: e.Value, Quality: e.Quality})
	st.ReceivedAt = max(st.ReceivedAt, j.In.Arrived)
	value := s.Timeline.At(e.At).Apply(e.Value)
	if s.Home.State.AbsentFrom != 0 && !late {
		t.SpanAbsence(s, e)
	}
	if e.At > st.At {
		st.At, st.Value, st.Raw, st.Quality, st.ArrivedAt = e.At, value, e.Value, e.Quality, j.In.Arrived
	}
	if st.SilentAt != 0 {
		st.SilentAt = 0
		t.WakeAt(s.Home, j.In.Arrived)
		t.Reconsider(s.Suppresses, e.At)
	}
	j.Out.Accepted++
	return e.Quality, true, t.follow(s, e, value, late)
}

// follow lets follow what follows from a new reading: guards, what is derived from it, a sensor fault.
func (t *Turn) follow(s *memory.Signal, e *memory.Reading, value float64, late bool) error {
	st := &s.State
	switch {
	case late:
		if e.Quality.Usable() {
			t.Touch(s, e.At)
			t.NoteLateFor(s, e.At, e.At)
		}
		return nil
	case !e.Quality.Usable():
		return t.Weigh(s, e, t.LookAtDoubtful(s, e, value))
	}
	if err := t.Ready(s); err != nil {
		return err
	}
	t.NoteRun(s, e.At, value)
	st.SteppedAt, st.HeldAt, st.Held, st.HeldRaw = e.At, e.At, value, e.Value
	for _, g := range s.Guards {
		counted, _ := g.Sees(value, e.Quality, alarm.Within)
		t.StepReading(g, e.At, counted)
	}
	t.StepInterlocks(s, alarm.Event{Kind: alarm.NewReading, At: e.At, Value: value})
	if err := t.StepPlans(s, e.At, value); err != nil {
		return err
	}
	t.Reconsider(s.Suppresses, e.At)
	t.Feed(s, e.At, value)
	return t.Weigh(s, e, false)
}

// SaveReadings stores what was taken.
func (t *Turn) SaveReadings() error { return timeseries.CopyReadings(t.Ctx, t.Tx, t.rows) }
