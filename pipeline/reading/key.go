package reading

import (
	"jauntylark/pipeline/credential"
	"jauntylark/store/config"
)

// retireKeys ends the keys that the first use of a newer one ends, and enrolment with them.
func (t *Turn) retireKeys(who credential.Identity) error {
	d := t.Site.Devices[who.Device.ID]
	t.ConfigChanged(d.Change())
	delete(t.Site.Retires, who.Key.ID)
	if err := config.RetireKeys(t.Ctx, t.Tx, who.Key.ID); err != nil {
		return err
	}
	d.Enrolled = false
	if err := config.SaveDevice(t.Ctx, t.Tx, &d.Device); err != nil {
		return err
	}
	if err := t.Enter("key retired", d.Name, "", "Device "+d.Name+
		" has used its new key; the old one has ended"); err != nil {
		return err
	}
	return nil
}
