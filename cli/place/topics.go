package place

import "github.com/spf13/cobra"

// TopicsCommand is a page of the help: a command that does nothing is one.
func topicsCommand() *cobra.Command {
	return &cobra.Command{Use: "topics",
		Short: "How commands are built, and how times, tests, hours and units are written", Long: Topics}
}

// Topics are the help pages that are about no command.
const Topics = `Commands
  jaunty NOUN VERB NAME. The verbs are the same for all nouns that have them: list, show, add, set, remove, bring-back.
  add makes what is not there yet, set changes what is: what no flag says stays. remove can be undone for 30 days with bring-back.
  Other verbs are acts of one noun alone, like 'jaunty alarm ack' and 'jaunty guard shelve'. What is numbered is named by its number.
  --json prints JSON, one document or one a line. --try says what would be, and changes nothing. --yes answers yes where a command asks.
  Exit codes: 0 done, 1 failed, 2 written wrongly.

Times
  --since, --until and --at take a time or how long ago:
    2026-03-01T14:05:00Z   2026-03-01T15:05:00+01:00   with its offset (RFC 3339)
    2026-03-01             2026-03-01 15:05            on the clock of this machine
    15m   2h   3d   1h30m                              so long ago
  Lengths of time are written alike: 10s, 5m, 2h, 1d. A day is 24 hours.

Tests
  --when of guards, interlocks and derived signals:
    above 30      at least 30      below -5      at most 0        a limit, in --unit, else in the signal's unit
    outside 3..9  inside 3..9                                     two limits
    is on         is off           is "open"     is not "open"    of a switch, a word, or a band by its name
    silent for 10m                 stuck         faulty           by what is wrong with the readings
  --deadband says how far back past the limit the value must come; --on-delay and --off-delay how long the test must hold, and be gone.
  A further rung: --rung 'above 35, critical, on-delay 10s'.

Hours
  --armed, --hours and --quiet-hours take days and times of the site's clock, with commas between them:
    mon-fri 18:00-07:00, sat-sun, holidays     at night, all weekend, all day on holidays
    daily 22:00-06:00                          a stretch over midnight belongs to the day on which it begins
    mon-fri 07:00-19:00, holidays never        not on holidays ('jaunty site set --holiday' says which)

Units
  Codes of SenML (RFC 8428) or UCUM: Cel, %RH, ppm, V, kWh, [degF]. 'jaunty unit list' has all of them.
  Values are stored in the unit of the signal and shown in that which you chose with 'jaunty unit set'; --unit is the unit of what a
  command is given.`
