package pipeline

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// Pack is what a sender sent at once.
type Pack struct {
	Sender         Sender
	Arrived        measure.Instant
	Samples        []measure.Sample
	Frame          *Frame // that the samples were told of; nil: none
	IdempotencyKey string // empty for none
	Fresh          bool   // the key was not used before for the same: it is kept, and not asked for

	drill *drillOrder // nil: it is what a sender sent
}

// Outcome tells what became of a pack.
type Outcome struct {
	Accepted int               `json:"accepted"` // stored now or before
	Rejected []measure.Refusal `json:"rejected"`
	Arrival  bool              `json:"arrival,omitempty"` // nobody knows the device yet; what it sent is kept
}

const (
	aheadIsAClockFault = 2 * time.Minute // semantics 3
	aheadIsRefused     = 24 * time.Hour
)

// entry is one sample that has found its signal.
type entry struct {
	signal  *signalLive
	index   int
	named   string // as the sender named it
	at      measure.Instant
	untimed bool // at is the arrival
	value   float64
	quality measure.Quality
}

// movesOn tells whether the entry, which came without a time, is put behind its signal's newest: see
// take.
func (e *entry) movesOn() bool {
	return e.untimed && max(e.signal.state.At, e.signal.state.SteppedAt) <= e.at.Add(aheadIsAClockFault)
}

// takePacks takes the packs of a batch, in order of arrival, each in order of its own times.
func (t *Turn) takePacks(batch []*job) error {
	entries := make([][]entry, len(batch))
	var doubtful []store.Row
	for i, j := range batch {
		if j.pack.drill != nil {
			if err := t.takeDrill(j); err != nil {
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
			if e.at <= e.signal.state.Newest() && !e.movesOn() {
				doubtful = append(doubtful, store.Row{Signal: e.signal.ID, At: e.at})
			}
		}
	}
	if len(doubtful) > 0 {
		if err := t.lookUp(doubtful); err != nil {
			return err
		}
	}
	for i, j := range batch {
		if j.pack.drill != nil || entries[i] == nil && !j.outcome.Arrival {
			continue
		}
		if err := t.takeAll(j, entries[i]); err != nil {
			return err
		}
		if err := t.keepOutcome(j); err != nil {
			return err
		}
	}
	for _, j := range batch {
		if j.twin != nil {
			j.outcome, j.err = j.twin.outcome, j.twin.err
		}
	}
	return nil
}

// resolve finds the signals of a pack's samples, makes those that are new, settles times and units,
// and sorts by time. What is wrong with a sample goes to the job's outcome.
func (t *Turn) resolve(j *job) ([]entry, error) {
	home, err := t.identify(j)
	if err != nil || j.err != nil || j.outcome.Arrival {
		return nil, err
	}
	if j.pack.Frame != nil {
		var fault *measure.Fault
		of := t.homeOf(j, home)
		switch err := t.fitFrame(of, j.pack.Frame); {
		case errors.As(err, &fault):
			j.err = err
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
func (t *Turn) identify(j *job) (*deviceLive, error) {
	if j.pack.Sender.Person != "" {
		return nil, nil
	}
	who, err := t.live.Identify(j.pack.Sender, t.Now)
	switch {
	case err != nil:
		j.err = err
		return nil, nil
	case who.Arrival != "":
		return nil, t.keepArrival(j, who)
	case t.live.retires[who.Key.ID] || who.Device.Enrolled && who.Key.ID != 0:
		if err := t.retireKeys(who); err != nil {
			return nil, err
		}
	}
	return t.live.devices[who.Device.ID], nil
}

func (t *Turn) entriesOf(j *job, home *deviceLive) ([]entry, error) {
	refuse := func(s measure.Sample, field, reason string) {
		j.outcome.Rejected = append(j.outcome.Rejected, measure.Refusal{Index: s.Index, Signal: s.Name, Field: field, Reason: reason})
	}
	samples, err := t.spell(j.pack.Samples)
	if err != nil {
		return nil, err
	}
	correction := measure.Instant(0)
	if home != nil {
		correction = measure.Instant(home.ClockOffset * 1000)
	}
	shift := clockShift(samples, j.pack.Arrived, correction)
	entries := make([]entry, 0, len(samples))
	for _, s := range samples {
		e := entry{index: s.Index, named: s.Name, at: s.At + correction}
		switch {
		case s.At == 0:
			e.at, e.untimed = j.pack.Arrived, true
		case e.at > j.pack.Arrived.Add(aheadIsRefused):
			refuse(s, "t", fmt.Sprintf("%s is more than a day ahead of now (%s)", e.at, j.pack.Arrived))
			continue
		case e.at <= 0:
			refuse(s, "t", fmt.Sprintf("%s is no time after 1970 once the clock offset is added", s.At))
			continue
		case shift > 0:
			e.at, e.quality = e.at-shift, measure.Clock
		case correction != 0:
			e.quality = measure.Clock
		}
		e.quality |= s.Marks
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
	slices.SortStableFunc(entries, func(a, b entry) int { return cmp.Compare(a.at, b.at) })
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
	numbers, err := t.Tx.Words(t.ctx, texts)
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

// clockShift is how far a pack must be moved back because its sender's clock, corrected, is ahead: 0
// for not.
func clockShift(samples []measure.Sample, arrived, correction measure.Instant) measure.Instant {
	newest := measure.Instant(0)
	for _, s := range samples {
		if s.At != 0 && s.At+correction <= arrived.Add(aheadIsRefused) {
			newest = max(newest, s.At+correction)
		}
	}
	if newest > arrived.Add(aheadIsAClockFault) {
		return newest - arrived
	}
	return 0
}

// taken counts what was new of one device in a pack.
type taken struct {
	inTime, late int
	newest       measure.Instant
}

// takeAll takes the entries of one pack and judges the clocks of the devices that they are of.
func (t *Turn) takeAll(j *job, entries []entry) error {
	devices := map[*deviceLive]*taken{}
	if len(entries) > 0 {
		if err := t.followClocks(entries, j.pack.Arrived); err != nil {
			return err
		}
		t.notedCatchingUp(entries, j.pack.Arrived)
		t.notePowerOn(entries)
	}
	for i := range entries {
		e := &entries[i]
		if i > 0 && e.at != entries[i-1].at {
			if err := t.derive(j.pack.Arrived); err != nil {
				return err
			}
		}
		quality, isNew, err := t.take(j, e)
		if err != nil {
			return err
		}
		if !isNew {
			continue
		}
		d := e.signal.device
		n := devices[d]
		if n == nil {
			n = &taken{}
			devices[d] = n
			if err := t.hear(d, j.pack.Arrived); err != nil {
				return err
			}
			if d.state.DueAt == nil && d.shortestLimit() != 0 {
				t.wakeAt(d, j.pack.Arrived)
			}
		}
		n.newest = max(n.newest, e.at)
		if quality&measure.Late != 0 {
			n.late++
		} else {
			n.inTime++
		}
	}
	if err := t.derive(j.pack.Arrived); err != nil {
		return err
	}
	if j.pack.Frame != nil && len(devices) > 0 {
		if err := t.keepFrame(j.pack.Frame, &entries[0]); err != nil {
			return err
		}
	}
	for d, n := range devices {
		t.heardAfterAbsence(d, j.pack.Arrived)
		if err := t.judgeClock(d, j.pack.Arrived, n); err != nil {
			return err
		}
	}
	return nil
}

// notedCatchingUp notes, before its readings are stepped, which devices of a pack catch up.
func (t *Turn) notedCatchingUp(entries []entry, arrived measure.Instant) {
	newest := map[*deviceLive]measure.Instant{}
	for _, e := range entries {
		if d := e.signal.device; d.Interval != 0 {
			newest[d] = max(newest[d], e.at)
		}
	}
	for d, at := range newest {
		t.judgeCatchingUp(d, arrived, at)
	}
}

// take stores one entry, judges it, and lets follow what follows from it, unless it is a duplicate or a
// conflict. It tells whether the entry was new, and its quality.
func (t *Turn) take(j *job, e *entry) (measure.Quality, bool, error) {
	s := e.signal
	st := &s.state
	// What comes without a time comes after all that was there: two in one millisecond, or after our
	// clock was set back a little, are in order. A signal that is far ahead of the clock is left alone.
	if newest := max(st.At, st.SteppedAt); e.at <= newest && e.movesOn() {
		e.at = newest + 1
	}
	if e.untimed && e.at <= st.HighestAt {
		if err := t.findRoom(e); err != nil {
			return 0, false, err
		}
	}
	if e.at <= st.Newest() {
		if value, stored := t.storedAt(s.ID, e.at); stored && value == e.value {
			j.outcome.Accepted++
			return 0, false, nil
		} else if stored {
			j.outcome.Rejected = append(j.outcome.Rejected, measure.Refusal{Index: e.index, Signal: e.named, Field: "v",
				Reason: conflictReason(s, value, *e)})
			return 0, false, nil
		}
	}
	late := e.at <= st.SteppedAt
	if late {
		e.quality |= measure.Late
	}
	t.touched = true
	s.judge(e)
	t.rows = append(t.rows, store.Row{Signal: s.ID, At: e.at, Value: e.value, Quality: e.quality})
	t.changed(s)
	st.ReceivedAt = max(st.ReceivedAt, j.pack.Arrived)
	value := s.timeline.At(e.at).Apply(e.value)
	if s.device.state.AbsentFrom != 0 && !late {
		t.spanAbsence(s, e)
	}
	if e.at > st.At {
		st.At, st.Value, st.Raw, st.Quality, st.ArrivedAt = e.at, value, e.value, e.quality, j.pack.Arrived
	}
	if st.SilentAt != 0 {
		st.SilentAt = 0
		t.wakeAt(s.device, j.pack.Arrived)
		t.reconsider(s.suppresses, e.at)
	}
	j.outcome.Accepted++
	return e.quality, true, t.follow(s, e, value, late)
}

// follow lets follow what follows from a new reading: guards, what is derived from it, a sensor fault.
func (t *Turn) follow(s *signalLive, e *entry, value float64, late bool) error {
	st := &s.state
	switch {
	case late:
		if e.quality.Usable() {
			t.touch(s, e.at)
			t.noteLateFor(s, e.at, e.at)
		}
		return nil
	case !e.quality.Usable():
		return t.weigh(s, e, t.lookAtDoubtful(s, e, value))
	}
	if err := t.ready(s); err != nil {
		return err
	}
	t.noteRun(s, e.at, value)
	st.SteppedAt, st.HeldAt, st.Held, st.HeldRaw = e.at, e.at, value, e.value
	for _, g := range s.guards {
		counted, _ := g.Sees(value, e.quality, alarm.Within)
		t.stepReading(g, e.at, counted)
	}
	t.stepLocks(s, alarm.Event{Kind: alarm.NewReading, At: e.at, Value: value})
	if err := t.stepPlans(s, e.at, value); err != nil {
		return err
	}
	t.reconsider(s.suppresses, e.at)
	t.feed(s, e.at, value)
	return t.weigh(s, e, false)
}
