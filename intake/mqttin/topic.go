package mqttin

import (
	"encoding/json"
	"fmt"
	"strings"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/intake/admission"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
)

// The topics of a device, all under jaunty/DEVICE/.
const (
	root     = "jaunty/"
	readings = "readings"         // a body, or readings/SIGNAL with a bare value
	frames   = "frames"           // a thermal frame
	presence = "presence"         // what its will says
	running  = "settings/running" // what it says that it runs
	settings = "settings"         // retained, down
	refused  = "refused"          // what was wrong, down
	outputs  = "outputs"          // outputs/OUTPUT: what an output is ordered, retained, down
	confirms = "confirmed"        // outputs/OUTPUT/confirmed: what the device says that it does
)

// place is where a message stands: whose it is, and which of the device's topics it is on; signal names the signal or
// the output.
type place struct{ device, topic, signal string }

// parse takes a topic apart.
func parse(topic string) (place, error) {
	rest, ours := strings.CutPrefix(topic, root)
	device, rest, found := strings.Cut(rest, "/")
	if !ours || !found {
		return place{}, admission.ErrTopic(fmt.Sprintf("%q is no topic of a device; publish to jaunty/DEVICE/readings",
			topic))
	}
	if signal, bare := strings.CutPrefix(rest, readings+"/"); bare {
		if err := site.CheckName(signal); err != nil {
			return place{}, admission.ErrTopic("the signal in the topic " + err.Error())
		}
		return place{device, readings, signal}, nil
	}
	if output, isOutput := strings.CutPrefix(rest, outputs+"/"); isOutput {
		if name, said := strings.CutSuffix(output, "/"+confirms); said {
			if err := site.CheckName(name); err != nil {
				return place{}, admission.ErrTopic("the output in the topic " + err.Error())
			}
			return place{device, confirms, name}, nil
		}
	}
	switch rest {
	case readings, frames, presence, running:
		return place{device: device, topic: rest}, nil
	}
	reason := fmt.Sprintf(
		"%q is not one that a device publishes to: jaunty/%s/readings, …/readings/SIGNAL, …/frames, …/presence, "+
			"…/settings/running, …/outputs/OUTPUT/confirmed", topic, device)
	if near := site.Nearest(rest, []string{readings, frames, presence, running}); near != "" {
		reason += "; did you mean " + near + "?"
	}
	return place{}, admission.ErrTopic(reason)
}

// visitOf makes a visit of a message with readings. MQTT 5 may say the content type; otherwise it is
// guessed from the body.
func visitOf(sender credential.Sender, at place, contentType string, payload []byte) *admission.Visit {
	v := &admission.Visit{Sender: sender, Patient: true, ContentType: contentType, Body: payload}
	if at.topic == frames {
		v.Frame = &admission.FrameVisit{}
	} else if at.signal != "" {
		v.ContentType = intake.FlatJSON // a refusal names the signal
		v.Samples, v.Refused = intake.Bare(at.signal, payload)
	} else if contentType == "" {
		v.ContentType = intake.Guess(payload)
	}
	return v
}

// refusal is what stands on jaunty/DEVICE/refused.
type refusal struct {
	At      measure.Instant   `json:"at"`
	Topic   string            `json:"topic"`
	Reason  string            `json:"reason"`
	Refused []measure.Refusal `json:"rejected,omitempty"`
}

// refusalOf says what is wrong with a message: nil when nothing is.
func refusalOf(now measure.Instant, topic string, result reading.Outcome, err error) []byte {
	r := refusal{At: now, Topic: topic, Refused: result.Refused}
	switch {
	case err != nil:
		r.Reason = err.Error()
	case len(result.Refused) > 0:
		first := result.Refused[0]
		r.Reason = strings.TrimSpace(first.Field + " " + first.Reason)
	default:
		return nil
	}
	body, marshalErr := json.Marshal(r)
	if marshalErr != nil {
		return nil
	}
	return body
}
