package cli_test

import (
	"testing"

	"jauntylark/core/alarm"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
)

// Whatever is removed is told with its way back, listed, and brought back.
func TestRemovedAndBroughtBack(t *testing.T) {
	s := servertest.Start(t)
	p := newPerson(t)
	p.login(s.URL, servertest.Owner, servertest.Password)
	p.must("device", "add", "shed")
	p.must("send", "shed/vapour=10")
	p.must("guard", "add", "shed/vapour", "--name", "gas-high", "--when", "above 50", "--advice", "open the door")
	expectIn(t, p.must("guard", "remove", "gas-high"), "jaunty guard bring-back gas-high")
	all := get[[]site.Removal](p, "removed", "list", "--kind", "guard")
	if len(all) != 1 || all[0].Name != "gas-high" || all[0].Kind != "guard" || all[0].Until <= all[0].At {
		t.Fatalf("%+v", all)
	}
	expectIn(t, p.must("removed", "list"), "gas-high")
	p.refused(1, "Did you mean gas-high?", "guard", "bring-back", "gas-hgih")
	p.refused(2, "did you mean guard?", "removed", "bring-back", "guad", "gas-high")
	p.refused(2, "KIND", "removed", "bring-back", "guard")
	expectIn(t, p.must("guard", "bring-back", "gas-high"), "Guard gas-high is back.")
	if guards := get[[]alarm.Guard](p, "guard", "list"); len(guards) != 1 || guards[0].Advice != "open the door" {
		t.Errorf("%+v", guards)
	}
	expectIn(t, p.must("device", "remove", "shed"), "jaunty device bring-back shed")
	p.must("removed", "bring-back", "device", "shed")
	if guards := get[[]alarm.Guard](p, "guard", "list"); len(guards) != 1 {
		t.Errorf("its guard is not back: %+v", guards)
	}
	expectIn(t, p.must("removed", "list"), "Nothing was removed in the last 30 days.")
}
