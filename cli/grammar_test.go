package cli

import (
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"jauntylark/cli/place"
	"jauntylark/cli/terminal"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// everyCommand calls see with each command of ours.
func everyCommand(c *cobra.Command, see func(*cobra.Command)) {
	for _, sub := range c.Commands() {
		if sub.Name() != "completion" && sub.Name() != "help" {
			see(sub)
			everyCommand(sub, see)
		}
	}
}

// acts are the verbs that single nouns have besides list, show, add, set, remove and bring-back; views are nouns that
// show one side of a thing. A new one is weighed against the six, and then named here.
var acts = map[string][]string{
	"alarm":     {"ack", "comment", "hand", "hand-back", "health", "mark", "reset"},
	"arrival":   {"enrolment", "let-in", "turn-away"},
	"asset":     {"file", "guard", "label"},
	"board":     {"copy", "share", "start", "version"},
	"version":   {"restore"},
	"contact":   {"test"},
	"device":    {"code", "export", "key", "power-on", "setting", "sheet"},
	"key":       {"revoke", "rotate"},
	"drill":     {"start", "stop"},
	"enrolment": {"start", "end"},
	"frame":     {"export", "send"},
	"guard":     {"disable", "enable", "limits", "missed", "replay", "shelve", "unshelve"},
	"interlock": {"replay", "reset"},
	"kit":       {"apply", "schema"},
	"notice":    {"preview"},
	"output":    {"all-safe", "drive", "release", "reset", "resume"},
	"change":    {"follow"},
	"reader":    {"key", "rewind"},
	"run":       {"compare", "phase", "plan", "report", "start", "stop"},
	"signal":    {"kinds"},
	"site":      {"reach"},
	"standin":   {"fail", "inbox", "reply"},
	"statement": {"send"},
	"total":     {"reset"},
	"trial":     {"accept", "mark", "start", "suggest", "unmark"},

	"calibration": {"verify"},
}

var verbs = []string{"list", "show", "add", "set", "remove", "bring-back"}

// The command line has one grammar: a noun, then one of six verbs or an act of its own.
func TestCommandsHaveOneGrammar(t *testing.T) {
	everyCommand(newRoot(), func(c *cobra.Command) {
		noun := c.Parent().Name()
		if c.Parent().Parent() == nil {
			if c.HasSubCommands() && c.LocalNonPersistentFlags().HasFlags() {
				t.Errorf("%s is a noun and an act at once", c.CommandPath())
			}
			return
		}
		if !slices.Contains(verbs, c.Name()) && !slices.Contains(acts[noun], c.Name()) {
			t.Errorf("%s: %s is none of %v, and no act of %s", c.CommandPath(), c.Name(), verbs, noun)
		}
	})
	for noun, own := range acts {
		for _, act := range own {
			if slices.Contains(verbs, act) {
				t.Errorf("%s of %s is a verb of all", act, noun)
			}
		}
	}
}

// What can be removed can be brought back, but keys, which end.
func TestWhatIsRemovedCanBeBroughtBack(t *testing.T) {
	kept := map[string]bool{"jaunty reader": true}
	everyCommand(newRoot(), func(c *cobra.Command) {
		if child(c, "remove") != nil && child(c, "bring-back") == nil && !kept[c.CommandPath()] {
			t.Errorf("%s has remove without bring-back", c.CommandPath())
		}
	})
}

// A flag means the same thing everywhere: its type is one, and flags for one thing have one name.
func TestFlagsMeanTheSameEverywhere(t *testing.T) {
	types := map[string]string{}
	others := map[string]string{
		"from": "since", "begin": "since", "to-file": "file", "out": "file", "output-file": "file", "called": "title",
		"label": "title", "dry-run": "try", "sure": "yes", "force": "yes",
		"drop": "remove", "delete": "remove", "most": "limit", "max": "limit", "reason": "why", "comment": "note",
		"notify": "tell", "of-device": "device",
	}
	// A limit is a value or a number of rows; an alarm has a number, and what is driven by alarms says which in words;
	// a step is one of a scale or of a roster.
	words := map[string]bool{"limit": true, "alarm": true, "step": true}
	everyCommand(newRoot(), func(c *cobra.Command) {
		c.Flags().VisitAll(func(f *pflag.Flag) {
			if better := others[f.Name]; better != "" {
				t.Errorf("%s --%s: elsewhere it is --%s", c.CommandPath(), f.Name, better)
			}
			kind := strings.TrimSuffix(strings.TrimSuffix(f.Value.Type(), "Slice"), "Array")
			if was := types[f.Name]; was != "" && was != kind && !words[f.Name] {
				t.Errorf("%s --%s takes a %s, elsewhere a %s", c.CommandPath(), f.Name, kind, was)
			}
			types[f.Name] = kind
		})
		since, until := c.Flags().Lookup("since"), c.Flags().Lookup("until")
		if since != nil && until != nil && !(strings.HasPrefix(since.Usage, "from when: "+terminal.TimeHelp) &&
			strings.HasPrefix(until.Usage, "until when; ")) {
			t.Errorf("%s tells of --since %q and of --until %q", c.CommandPath(), since.Usage, until.Usage)
		}
	})
}

// Each command has a sentence, an example, and arguments that are checked.
func TestCommandsExplainThemselves(t *testing.T) {
	everyCommand(newRoot(), func(c *cobra.Command) {
		switch {
		case c.Short == "" || strings.HasSuffix(c.Short, "."):
			t.Errorf("%s has the sentence %q", c.CommandPath(), c.Short)
		case !c.HasSubCommands() && c.Runnable() && c.Example == "":
			t.Errorf("%s has no example", c.CommandPath())
		case c.Runnable() && c.Args == nil:
			t.Errorf("%s takes any arguments", c.CommandPath())
		}
		for line := range strings.Lines(c.Example) {
			if c.Example != "" && !strings.Contains(c.Example, c.CommandPath()) {
				t.Errorf("%s: the example %q is of another command", c.CommandPath(), line)
				break
			}
		}
	})
}

// What the help topics show as written rightly is read.
func TestTopicsAreTrue(t *testing.T) {
	part := func(name string) string {
		_, after, _ := strings.Cut(place.Topics, "\n"+name+"\n")
		text, _, _ := strings.Cut(after, "\n\n")
		return text
	}
	gap := regexp.MustCompile(` {2,}`)
	shown := func(name string, read func(string) error) {
		for line := range strings.Lines(part(name)) {
			example, is := strings.CutPrefix(strings.TrimRight(line, "\n"), "    ")
			if !is {
				continue
			}
			for i, text := range gap.Split(example, -1) {
				if text = strings.TrimSpace(text); text == "" {
					continue
				}
				if err := read(text); err != nil && (i == 0 || regexp.MustCompile(`^[0-9]|[0-9]$`).MatchString(text)) {
					t.Errorf("%s: %q: %v", name, text, err)
				}
			}
		}
	}
	shown("Times", func(text string) error { _, err := terminal.Moment(text); return err })
	shown("Tests", func(text string) error { _, err := alarm.ParseTest(text); return err })
	shown("Hours", func(text string) error { _, err := wall.ParseHours(text); return err })
	for _, code := range []measure.Unit{"Cel", "%RH", "ppm", "V", "kWh", "[degF]"} {
		if !code.Known() || !strings.Contains(part("Units"), string(code)) {
			t.Errorf("the unit %s", code)
		}
	}
	for _, code := range strings.Fields("10s 5m 2h 1d 1h30m") {
		if _, err := measure.ParseDuration(code); err != nil {
			t.Error(err)
		}
	}
}
