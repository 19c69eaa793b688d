package mqttin

import (
	"encoding/json"

	"jauntylark/core/site"
	"jauntylark/pipeline"
)

// retained is a message that is to stand on a topic; an empty payload takes it away.
type retained struct {
	topic   string
	payload []byte
}

// ordersToPublish gives the retained orders that are not yet as they should be, by what is known to
// stand there, and brings known up to them.
func ordersToPublish(directory *pipeline.Directory, known map[string]int) []retained {
	var out []retained
	for name, d := range directory.ByName {
		if d.Version == 0 || known[name] == d.Version {
			continue
		}
		payload, err := json.Marshal(site.OrderOf(d.Version, d.Settings))
		if err != nil {
			continue
		}
		known[name] = d.Version
		out = append(out, retained{root + name + "/" + settings, payload})
	}
	for name := range known {
		if directory.ByName[name] == nil {
			delete(known, name)
			out = append(out, retained{root + name + "/" + settings, nil})
		}
	}
	return out
}
