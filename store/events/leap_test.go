package events_test

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"testing"
	"time"

	_ "github.com/jackc/pgx/v5/stdlib"

	"jauntylark/store"
	"jauntylark/store/events"
	"jauntylark/store/storetest"
)

// fixed are the columns of whole numbers that a leap of the clock leaves as they are: numbers of things, lengths of
// time, what tells of the past, what goes by a signal's own time, and what goes by the wall.
const fixed = `
alarm: id changed_in cleared_at acknowledged_at learned_at corrected_at told_with
amended: id commit_no at from_at until_at signal_id
arrival: id first_at last_at
arrival_pack: id arrival_id arrived
asset: id condition_since made_at removed_at
attachment: id asset_id made_at
block: first_at last_at low_at high_at held_for gap digest
board: id maker_id removed_at
board_start: person_id board_id
board_version: board_id published_at
calibration: id signal_id from_at made_at retired_at
carrier: alarm_id
changed: commit_no at
cleared_block: clearing_id first_at last_at digest
clearing: id from_at until_at readings ordered_at gone_at
clearing_step: clearing_id
config_change: config_no id
contact: id
delivery: id notice_id at
derived_input: derived_id input_id
device: id created_at behind_id interval settings_at running_at
device_contact: device_id clock_behind
device_key: device_id created_at id expires_at until_used last_used_at
device_state: device_id changed_in alarm_id clock_alarm_id
drill: id committed_at alarm_id ended_at
escalation: alarm_id roster_id spoken
eye: device_id
figure: at first_at last_at low_at high_at held_for
former_key: deleted_at
frame: device_id at
goose_db_version: version_id
guard: id signal_id on_delay off_delay made_at least_gap
guard_event: id guard_id at signal_stepped since
guard_state: guard_id changed_in begun_at alarm_id low_alarm_id
interlock: id output_id signal_id on_delay off_delay made_at
interlock_state: interlock_id changed_in begun_at
journal: id commit_no at learned_at alarm_id
kit: changed_at
knock: at
late_stretch: signal_id from_at until_at
ledger: commit_no config_no leapt forgotten_no
missed: id at said_at
notice: id alarm_id held_for delivered_at taken_at
output: id device_id least_on least_off hand_holds expires confirm_within
output_state: output_id changed_in order_no alarm_id
person: id created_at
picture: id made_at
reader: id made_at
reading: at
recompute: id signal_id from_at until_at begun_at
removed: id removed_at
roster: id repeat_every drilled_at made_at alarm_id
run: id asset_id started_at ended_at
run_plan: id asset_id made_at due_at
signal: id device_id created_at interval keep_readings keep_figures readings_from hold warm_up warm_gap stuck_after fault_after verify_from due_alarm_id reach silence computed_until
signal_state: signal_id changed_in at held_at stepped_at judged_at same_since warm_from fault_since beyond_at fault_alarm_id touched_in made_in lag_before highest_at
site: keep_readings keep_figures disk_alarm_id keep_alarms keep_journal
stale: id from_at until_at begun_at
statement: id made_at sent_for due_at
switch_run: signal_id ran_from ran_until
tally: total_id at until_at known on_for lead trail longest last_on
token: person_id created_at expires_at
total: id signal_id created_at
total_reset: id total_id at undone_at
trial: id signal_id started_at ended_at
trial_stretch: id trial_id from_at until_at
verification: id signal_id at
word: id
`

// Each column that may hold an instant is moved by a leap or is one of the fixed: a new one has to be decided.
func TestALeapMovesWhatRunsByElapsedTime(t *testing.T) {
	ctx, database := context.Background(), storetest.URL(t)
	s, err := store.Open(ctx, database)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	tx, err := s.Begin(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if err := events.Leap(ctx, tx, time.Hour, 1_790_000_000_000); err != nil || tx.Commit() != nil {
		t.Fatal(err)
	}
	undecided := map[string][]string{}
	for line := range strings.Lines(strings.TrimSpace(fixed)) {
		table, columns, _ := strings.Cut(strings.TrimSpace(line), ":")
		undecided[table] = strings.Fields(columns)
	}
	moved := events.MovedByLeaps()
	db, err := sql.Open("pgx", database)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	rows, err := db.Query(`select table_name, column_name from information_schema.columns
		join information_schema.tables using (table_schema, table_name)
		where table_schema = 'public' and data_type = 'bigint' and table_type = 'BASE TABLE'`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	for rows.Next() {
		var table, column string
		if err := rows.Scan(&table, &column); err != nil {
			t.Fatal(err)
		}
		if moves, stays := slices.Contains(moved[table], column),
			slices.Contains(undecided[table], column); moves == stays {
			t.Errorf("%s.%s: moved by a leap %v, fixed %v; it must be one of both", table, column, moves, stays)
		}
	}
	var beat, leapt int64
	if err := db.QueryRow(`select beat_at, leapt from way_in, ledger`).Scan(&beat, &leapt); err != nil || beat != 0 ||
		leapt != 3_600_000 {
		t.Errorf("what is 0 is none, and stays: %d; the sum of the leaps is %d; %v", beat, leapt, err)
	}
}
