package configure

import (
	"jauntylark/core/site"
	"jauntylark/pipeline/reading"
)

// checkFaults sees that what is said of faults can be done.
func checkFaults(t *reading.Turn, f site.Faults) error {
	if err := f.Check(); err != nil {
		return err
	}
	return t.Site.CheckTell("faults.tell", f.Tell)
}
