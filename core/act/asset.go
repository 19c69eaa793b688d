package act

import (
	"fmt"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/site"
)

// AssetChange says what to change of an asset, or what a new one is; what is left out stays.
type AssetChange struct {
	Title       *string   `json:"title,omitempty" required:"false" maxLength:"80" doc:"what people call it"`
	Kind        *string   `json:"kind,omitempty" required:"false" maxLength:"40" doc:"what it is, in a word" example:"pump"`
	In          *string   `json:"in,omitempty" required:"false" doc:"the asset that it is a part of, or stands in; empty: none"`
	Note        *string   `json:"note,omitempty" required:"false" maxLength:"20000" doc:"Markdown"`
	NextService *string   `json:"next_service,omitempty" required:"false" doc:"a date, 2006-01-02; empty: none is planned" example:"2027-03-01"`
	Signals     *[]string `json:"signals,omitempty" required:"false" maxItems:"200" doc:"DEVICE for all of a device, or DEVICE/SIGNAL"`
	Outputs     *[]string `json:"outputs,omitempty" required:"false" maxItems:"200" doc:"DEVICE/OUTPUT"`
}

// ConditionOrder says how an asset is.
type ConditionOrder struct {
	Condition string `json:"condition" enum:"in order,attention,out of order,retired"`
	Why       string `json:"why,omitempty" required:"false" maxLength:"500" doc:"in your words"`
}

// WatchOrder puts an asset under guard: a guard over one of its signals, and how often the device behind it looks.
type WatchOrder struct {
	Guard    alarm.Guard       `json:"guard" doc:"its signal joins the asset; a guard of the same name is changed"`
	Interval *measure.Duration `json:"interval,omitempty" required:"false" doc:"how often the device is to measure, 1s to 1d; as it does when left out" example:"300"`
	Sparing  *measure.Duration `json:"sparing_interval,omitempty" required:"false" doc:"how often when its battery is low"`
	Try      bool              `json:"try,omitempty" required:"false" doc:"say the sentence, and change nothing"`
}

// Watch is what an asset's being under guard comes to.
type Watch struct {
	Sentence string      `json:"sentence" doc:"all of it in words"`
	Guard    alarm.Guard `json:"guard"`
	Device   string      `json:"device"`
	Saved    bool        `json:"saved"`
}

// Settings are what the device is ordered: as now, where the order says nothing.
func (o *WatchOrder) Settings(now site.Settings) (site.Settings, error) {
	s := now
	if o.Interval != nil {
		s.Interval = *o.Interval
	}
	if o.Sparing != nil {
		s.Sparing = *o.Sparing
	}
	if s.Sparing != 0 && s.Sparing < s.Interval {
		return s, &measure.Fault{Field: "sparing_interval",
			Reason: fmt.Sprintf("%v is more often than %v; it is meant to spare the battery", s.Sparing, s.Interval)}
	}
	return s, s.Check()
}
