package pipeline

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
)

// Sender is who sends a pack: a device by its key, or a person.
type Sender struct {
	Key    [32]byte // SHA-256 of the device's key
	Person string   // e-mail address; empty for a device
}

// Pack is what a sender sent at once.
type Pack struct {
	Sender         Sender
	Arrived        measure.Instant
	Samples        []measure.Sample
	IdempotencyKey string // empty for none
}

// Outcome tells what became of a pack.
type Outcome struct {
	Accepted int               `json:"accepted"` // stored now or before
	Rejected []measure.Refusal `json:"rejected"`
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

// takePacks takes the packs of a batch, in order of arrival, each in order of its own times.
func (t *Turn) takePacks(batch []*job) error {
	entries := make([][]entry, len(batch))
	var doubtful []store.Row
	for i, j := range batch {
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
			if e.at <= e.signal.state.At {
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
		if entries[i] == nil {
			continue
		}
		for _, e := range entries[i] {
			t.take(j, e)
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
	home := t.live.devices[t.live.keys[j.pack.Sender.Key]]
	if home == nil && j.pack.Sender.Person == "" {
		j.err = ErrKeyUnknown
		return nil, nil
	}
	refuse := func(s measure.Sample, field, reason string) {
		j.outcome.Rejected = append(j.outcome.Rejected, measure.Refusal{Index: s.Index, Signal: s.Name, Field: field, Reason: reason})
	}
	shift := t.clockShift(j.pack)
	entries := make([]entry, 0, len(j.pack.Samples))
	for _, s := range j.pack.Samples {
		e := entry{index: s.Index, named: s.Name, at: s.At}
		switch {
		case s.At == 0:
			e.at, e.untimed = j.pack.Arrived, true
		case s.At > j.pack.Arrived.Add(aheadIsRefused):
			refuse(s, "t", fmt.Sprintf("%s is more than a day ahead of now (%s)", s.At, j.pack.Arrived))
			continue
		case shift > 0:
			e.at, e.quality = s.At-shift, measure.Clock
		}
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
	slices.SortStableFunc(entries, func(a, b entry) int { return int(a.at - b.at) })
	return entries, nil
}

// clockShift is how far a pack must be moved back because its sender's clock is ahead: 0 for not.
func (t *Turn) clockShift(p *Pack) measure.Instant {
	newest := measure.Instant(0)
	for _, s := range p.Samples {
		if s.At <= p.Arrived.Add(aheadIsRefused) {
			newest = max(newest, s.At)
		}
	}
	if newest > p.Arrived.Add(aheadIsAClockFault) {
		return newest - p.Arrived
	}
	return 0
}

// place finds or makes the signal of a sample and brings the value into its unit.
func (t *Turn) place(e *entry, s measure.Sample, home *deviceLive) (*measure.Fault, error) {
	device, name := home, s.Name
	if named, rest, found := strings.Cut(s.Name, "/"); found {
		switch {
		case home != nil && named != home.Name:
			return &measure.Fault{Field: "n", Reason: fmt.Sprintf("the key is that of %s, which cannot send for %q", home.Name, named)}, nil
		case home == nil && t.live.byName[named] == nil:
			return &measure.Fault{Field: "n", Reason: unknown("device", named, t.deviceNames())}, nil
		}
		device, name = t.live.byName[named], rest
	}
	if device == nil {
		return &measure.Fault{Field: "n", Reason: fmt.Sprintf("%q is not DEVICE/SIGNAL, which a person's readings need", s.Name)}, nil
	}
	if s.Unit != "" && !s.Unit.Known() {
		return &measure.Fault{Field: "u", Reason: unknownUnit(s.Unit)}, nil
	}
	e.signal, e.value = device.signals[name], s.Value
	if e.signal == nil {
		if err := site.CheckName(name); err != nil {
			return &measure.Fault{Field: "n", Reason: err.Error()}, nil
		}
		return nil, t.newSignal(e, s, device, name)
	}
	return t.fit(e, s)
}

// newSignal makes the signal that a sample is the first of.
func (t *Turn) newSignal(e *entry, s measure.Sample, device *deviceLive, name string) error {
	v := site.Signal{Device: device.Name, Name: name, Kind: site.KindNumber, Unit: s.Unit}
	if s.Switch {
		v.Kind = site.KindSwitch
	}
	t.touched = true
	if err := t.Tx.AddSignal(t.ctx, device.ID, &v, t.CommitNo, t.Now); err != nil {
		return err
	}
	e.signal = t.live.add(v, device)
	return t.signalsChanged()
}

// fit brings a sample into the kind and unit of its signal.
func (t *Turn) fit(e *entry, s measure.Sample) (*measure.Fault, error) {
	v := &e.signal.Signal
	switch {
	case s.Switch && v.Kind != site.KindSwitch:
		return &measure.Fault{Field: "vb", Reason: "is true or false, but the signal holds numbers"}, nil
	case v.Kind == site.KindSwitch && s.Value != 0 && s.Value != 1:
		return &measure.Fault{Field: "v", Reason: fmt.Sprintf("is %v, but the signal is on or off (1 or 0, true or false)", s.Value)}, nil
	case s.Unit == "" || s.Unit == v.Unit:
		return nil, nil
	case v.Unit == "":
		t.touched, v.Unit = true, s.Unit
		if err := t.Tx.SetSignal(t.ctx, v.ID, v.Title, v.Unit); err != nil {
			return nil, err
		}
		return nil, t.signalsChanged()
	}
	value, err := measure.Convert(s.Value, s.Unit, v.Unit)
	if err != nil {
		return &measure.Fault{Field: "u", Reason: fmt.Sprintf("the signal is in %s, and %v", v.Unit, err)}, nil
	}
	if math.IsInf(value, 0) {
		return &measure.Fault{Field: "v", Reason: fmt.Sprintf("%v %s is too large in %s", s.Value, s.Unit, v.Unit)}, nil
	}
	e.value = value
	return nil, nil
}

// take stores one entry and steps the guards of its signal, unless it is a duplicate or a conflict.
func (t *Turn) take(j *job, e entry) {
	s := e.signal
	st := &s.state
	// What comes without a time comes after all that was there: two in one millisecond, or after our
	// clock was set back a little, are in order. A signal that is far ahead of the clock is left alone.
	if newest := max(st.At, st.SteppedAt); e.untimed && e.at <= newest && newest <= e.at.Add(aheadIsAClockFault) {
		e.at = newest + 1
	}
	if e.at <= st.At {
		if value, stored := t.storedAt(s.ID, e.at); stored && value == e.value {
			j.outcome.Accepted++
			return
		} else if stored {
			j.outcome.Rejected = append(j.outcome.Rejected, measure.Refusal{Index: e.index, Signal: e.named, Field: "v",
				Reason: fmt.Sprintf("conflict: %s holds %v at %s already, not %v", s.Path(), value, e.at, e.value)})
			return
		}
	}
	late := e.at <= st.SteppedAt
	if late {
		e.quality |= measure.Late
	}
	t.touched = true
	t.rows = append(t.rows, store.Row{Signal: s.ID, At: e.at, Value: e.value, Quality: e.quality})
	t.changed(s)
	st.ReceivedAt = max(st.ReceivedAt, j.pack.Arrived)
	if e.at > st.At {
		st.At, st.Value, st.Quality = e.at, e.value, e.quality
	}
	if !late && e.quality.Usable() {
		st.SteppedAt, st.HeldAt, st.Held = e.at, e.at, e.value
		for _, g := range s.guards {
			t.step(g, alarm.Event{Kind: alarm.NewReading, At: e.at, Value: e.value}, "")
		}
	}
	j.outcome.Accepted++
}

// at names one reading.
type at struct {
	signal int64
	at     measure.Instant
}

// lookUp fetches the stored readings that doubtful ones may repeat.
func (t *Turn) lookUp(doubtful []store.Row) error {
	rows, err := t.Tx.FindReadings(t.ctx, doubtful)
	if err != nil {
		return err
	}
	t.stored = make(map[at]float64, len(rows))
	for _, r := range rows {
		t.stored[at{r.Signal, r.At}] = r.Value
	}
	return nil
}

// storedAt gives the value of a signal at an instant, stored before or taken in this turn.
func (t *Turn) storedAt(signal int64, instant measure.Instant) (float64, bool) {
	if t.stored == nil {
		t.stored = map[at]float64{}
	}
	for ; t.noted < len(t.rows); t.noted++ {
		r := &t.rows[t.noted]
		t.stored[at{r.Signal, r.At}] = r.Value
	}
	value, found := t.stored[at{signal, instant}]
	return value, found
}

// answeredBefore gives a pack whose idempotency key was used before, by an earlier turn or an earlier
// pack of this one, the outcome that it had then.
func (t *Turn) answeredBefore(j *job, earlier []*job) (bool, error) {
	if j.pack.IdempotencyKey == "" {
		return false, nil
	}
	for _, e := range earlier {
		if e.pack.IdempotencyKey == j.pack.IdempotencyKey && e.pack.Sender == j.pack.Sender {
			j.twin = e
			return true, nil
		}
	}
	outcome, err := t.Tx.OutcomeOf(t.ctx, j.pack.Sender.id(), j.pack.IdempotencyKey, t.Now)
	if err != nil || outcome == nil {
		return false, err
	}
	return true, json.Unmarshal(outcome, &j.outcome)
}

func (t *Turn) keepOutcome(j *job) error {
	if j.pack.IdempotencyKey == "" {
		return nil
	}
	outcome, err := json.Marshal(j.outcome)
	if err != nil {
		return err
	}
	return t.Tx.KeepOutcome(t.ctx, j.pack.Sender.id(), j.pack.IdempotencyKey, outcome, t.Now)
}

func (s Sender) id() string {
	if s.Person != "" {
		return "person " + s.Person
	}
	return fmt.Sprintf("key %x", s.Key)
}
