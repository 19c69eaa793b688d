package cli_test

import (
	"testing"

	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/server/servertest"
	"jauntylark/store/storetest"
)

// add makes what is not there yet and set changes what is; each names the other, and the nearest name, where it is the
// wrong one.
func TestAddAndSetByHand(t *testing.T) {
	p, s := newPerson(t), servertest.On(t, storetest.URL(t), "127.0.0.1:0")
	p.login(s.URL, servertest.Owner, servertest.Password)
	s.Send(s.Device("pond"), `{"oxygen": 90}`)
	p.must("contact", "add", "orla", "--mail", "orla@b.example", "--text", "+353 86 000 0001")
	p.must("roster", "add", "house", "--step", "orla")
	p.must("statement", "add", "week", "--kind", "alarms", "--every", "week", "--tell", "orla")
	p.must("contact", "set", "orla", "--title", "Orla")
	if orla := get[roster.Contact](p, "contact", "show", "orla"); orla.Title != "Orla" || len(orla.Addresses) != 2 {
		t.Errorf("what was not said did not stay: %+v", orla)
	}
	p.must("contact", "set", "orla", "--remove", "text")
	p.must("roster", "set", "house", "--repeat", "10m")
	if house := get[roster.Roster](p, "roster", "show", "house"); len(house.Steps) != 1 || house.Repeat == 0 {
		t.Errorf("what was not said did not stay: %+v", house)
	}
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{1, "there is a contact orla already; 'jaunty contact set orla' changes it",
			[]string{"contact", "add", "orla", "--mail", "o@b.example"}},
		{1, "there is no contact orlo; did you mean orla?; 'jaunty contact add orlo' makes it",
			[]string{"contact", "set", "orlo", "--title", "O"}},
		{1, "there is a roster house already", []string{"roster", "add", "house", "--step", "orla"}},
		{1, "did you mean house?", []string{"roster", "set", "hause", "--repeat", "5m"}},
		{1, "there is a statement week already", []string{"statement", "add", "week", "--kind", "alarms"}},
		{1, "there is no statement month; 'jaunty statement add month' makes it",
			[]string{"statement", "set", "month", "--every", "month"}},
		{1, "there is no plan night; 'jaunty run plan add night' makes it",
			[]string{"run", "plan", "set", "night", "--hours", "daily"}},
		{2, "say at least one of --keep-readings, --keep-figures", []string{"storage", "set"}},
		{2, "say at least one of --interval", []string{"device", "setting", "set", "pond"}},
		{2, "say at least one of --tell", []string{"site", "reach", "set"}},
		{2, "--device, --signal, --asset do not go together", []string{"journal", "add", "x", "--device", "pond",
			"--signal", "pond/oxygen"}},
		{2, "do not go together", []string{"journal", "list", "--asset", "pump", "--device", "pond"}},
		{2, "--asset takes no words", []string{"journal", "list", "--asset", "pump", "valve"}},
		{2, "--why belongs to --condition", []string{"asset", "set", "pump", "--why", "it drips"}},
		{2, "is not the number of a trial", []string{"trial", "show", "first"}},
		{2, "no number like 3", []string{"reading", "bring-back", "x"}},
		{2, "unknown command", []string{"guard", "out", "x"}},
		{2, "unknown command", []string{"clear", "pond"}},
		{2, "did you mean guard?", []string{"guarrd", "list"}},
		{2, "did you mean list?", []string{"guard", "lst"}},
		{2, "did you mean readings?", []string{"removed", "list", "--kind", "readngs"}},
		{2, "did you mean --remove?", []string{"contact", "set", "orla", "--remov", "text"}},
	} {
		p.refused(c.code, c.says, c.args...)
	}
}

// What was removed is listed in one place, readings too, and comes back by its noun.
func TestReadingsAreAmongWhatWasRemoved(t *testing.T) {
	p, s := newPerson(t), servertest.On(t, storetest.URL(t), "127.0.0.1:0")
	p.login(s.URL, servertest.Owner, servertest.Password)
	s.Send(s.Device("pond"), `{"oxygen": 90}`)
	p.must("contact", "add", "orla", "--mail", "orla@b.example")
	p.must("contact", "remove", "orla")
	p.must("reading", "remove", "pond", "--without-data", "--confirm", "pond")
	all := get[[]site.Removal](p, "removed", "list")
	if len(all) != 2 || all[0].Kind != "readings" || all[0].Title != "1 reading of pond" || all[1].Name != "orla" {
		t.Fatalf("%+v", all)
	}
	if only := get[[]site.Removal](p, "removed", "list", "--kind", "contact"); len(only) != 1 {
		t.Errorf("%+v", only)
	}
	expectIn(t, p.must("reading", "bring-back", all[0].Name), "1 reading is back.")
	if left := get[[]site.Removal](p, "removed", "list", "--kind", "readings"); len(left) != 0 {
		t.Errorf("%+v", left)
	}
}
