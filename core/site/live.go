package site

import (
	"jauntylark/core/alarm"
	"jauntylark/core/drive"
)

// Update is what the commits after a given one changed, as it is now.
type Update struct {
	CommitNo int64          `json:"commit" doc:"number of the newest commit that is told"`
	ConfigNo int64          `json:"config" doc:"another number than before: devices, signals, guards or the site were changed"`
	Signals  []Signal       `json:"signals" nullable:"false" doc:"signals whose newest reading or delays have moved"`
	Alarms   []alarm.Alarm  `json:"alarms" nullable:"false" doc:"alarms that were raised or changed"`
	Outputs  []drive.Output `json:"outputs" nullable:"false" doc:"outputs that were ordered something, or whose devices said something"`
	Partial  bool           `json:"partial" doc:"more alarms have changed than are told; ask for the list"`
}

// Spark is the course of one signal over a stretch in few columns.
type Spark struct {
	Signal string     `json:"signal" doc:"DEVICE/SIGNAL"`
	Low    []*float64 `json:"low" nullable:"false" doc:"lowest of each column, oldest first; null where there was no reading"`
	High   []*float64 `json:"high" nullable:"false" doc:"highest of each column"`
}
