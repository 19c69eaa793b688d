package reading

import (
	"bytes"
	"encoding/json"
	"fmt"

	"jauntylark/core/measure"
	"jauntylark/pipeline/memory"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// conflictReason says what a reading contradicts, by raw values.
func conflictReason(s *memory.Signal, value float64, e memory.Reading) string {
	if s.Worded() {
		return fmt.Sprintf("conflict: %s holds another %s at %s already", s.Path(), s.Kind, e.At)
	}
	return fmt.Sprintf("conflict: %s holds %v at %s already, not %v", s.Path(), value, e.At, e.Value)
}

// at names one reading.
type at struct {
	signal int64
	at     measure.Instant
}

// storable takes the character zero out of JSON, which PostgreSQL does not take: a name that somebody
// sends may have one.
func storable(text []byte) []byte { return bytes.ReplaceAll(text, []byte(`\u0000`), []byte(`\ufffd`)) }

// fetchStored fetches the stored readings that doubtful ones may repeat.
func (t *Turn) fetchStored(doubtful []timeseries.Row) error {
	rows, err := timeseries.FindReadings(t.Ctx, t.Tx, doubtful)
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
func (t *Turn) answeredBefore(j *Job, earlier []*Job) (bool, error) {
	if j.In.IdempotencyKey == "" || j.In.Fresh {
		return false, nil
	}
	for _, e := range earlier {
		if e.In.IdempotencyKey == j.In.IdempotencyKey && e.In.Sender.ID() == j.In.Sender.ID() {
			j.In.twin = e
			return true, nil
		}
	}
	outcome, err := store.OutcomeOf(t.Ctx, t.Tx, j.In.Sender.ID(), j.In.IdempotencyKey, t.Now)
	if err != nil || outcome == nil {
		return false, err
	}
	return true, json.Unmarshal(outcome, &j.Out)
}

func (t *Turn) keepOutcome(j *Job) error {
	if j.In.IdempotencyKey == "" {
		return nil
	}
	outcome, err := json.Marshal(j.Out)
	if err != nil {
		return err
	}
	return store.KeepOutcome(t.Ctx, t.Tx, j.In.Sender.ID(), j.In.IdempotencyKey, storable(outcome), t.Now)
}
