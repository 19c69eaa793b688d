package frame

import "jauntylark/core/measure"

// Frame is one frame as it is stored.
type Frame struct {
	Device   int64           `json:"-" db:"device_id"`
	At       measure.Instant `json:"at" db:"at" format:"date-time"`
	Low      float64         `json:"low" db:"low" doc:"°C: the lowest that the camera told"`
	High     float64         `json:"high" db:"high" doc:"°C: the highest"`
	Doubtful int             `json:"doubtful" db:"doubtful" doc:"pixels that are dead or beyond the span"`
	Pictured bool            `json:"pictured" db:"pictured" doc:"a visible-light picture was sent with it"`
	Size     int             `json:"size" db:"size" doc:"bytes that it takes up"`
	Body     []byte          `json:"-" db:"body"`    // packed
	Picture  []byte          `json:"-" db:"picture"` // JPEG or PNG
}
