package roster

import "jauntylark/core/measure"

// CarrierState is whether a carrier works.
type CarrierState struct {
	Name         string           `json:"name" db:"name"`
	FailingSince *measure.Instant `json:"failing_since" db:"failing_since" format:"date-time" doc:"null: the last attempt went well"`
	Failures     int              `json:"failures" db:"failures" doc:"attempts that failed since it last worked"`
	FailedAt     *measure.Instant `json:"failed_at" db:"failed_at" format:"date-time"`
	WorkedAt     *measure.Instant `json:"worked_at" db:"worked_at" format:"date-time"`
	Answer       string           `json:"answer" db:"answer" doc:"what the other side said to the last attempt that failed"`
	AlarmID      *int64           `json:"alarm_id" db:"alarm_id" doc:"the standing alarm that it fails"`
}

// Heart is how the heartbeat went.
type Heart struct {
	OkAt *measure.Instant `json:"ok_at" db:"heart_ok" format:"date-time" doc:"when the other side last took it"`
	Bad  string           `json:"bad" db:"heart_bad" doc:"what came back when it did not take the last one; empty: it did"`
}
