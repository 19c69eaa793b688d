package pipeline

import (
	"bytes"
	"encoding/json"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/store"
)

// conflictReason says what a reading contradicts, by raw values.
func conflictReason(s *signalLive, value float64, e entry) string {
	if s.Worded() {
		return fmt.Sprintf("conflict: %s holds another %s at %s already", s.Path(), s.Kind, e.at)
	}
	return fmt.Sprintf("conflict: %s holds %v at %s already, not %v", s.Path(), value, e.at, e.value)
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
	if j.pack.IdempotencyKey == "" || j.pack.Fresh {
		return false, nil
	}
	for _, e := range earlier {
		if e.pack.IdempotencyKey == j.pack.IdempotencyKey && e.pack.Sender.ID() == j.pack.Sender.ID() {
			j.twin = e
			return true, nil
		}
	}
	outcome, err := t.Tx.OutcomeOf(t.ctx, j.pack.Sender.ID(), j.pack.IdempotencyKey, t.Now)
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
	return t.Tx.KeepOutcome(t.ctx, j.pack.Sender.ID(), j.pack.IdempotencyKey, storable(outcome), t.Now)
}

// storable takes the character zero out of JSON, which PostgreSQL does not take: a name that somebody
// sends may have one.
func storable(text []byte) []byte { return bytes.ReplaceAll(text, []byte(`\u0000`), []byte(`\ufffd`)) }
