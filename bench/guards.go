package main

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"jauntylark/api"
	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/pipeline/evidence"
	"jauntylark/store"
	"jauntylark/store/events"
)

const (
	guardedDevices = 100
	signalsEach    = 20
	guardsEach     = 5 // a signal: 10,000 in all
	guardedRate    = 5000
	guardedFor     = 8 * time.Second
	pendingDues    = 100_000
	journalEntries = 2_000_000
)

// guarding sends 5,000 readings/s of 2,000 signals, without guards and with 10,000, and tells how long it takes until
// what follows from them is committed, and which share of the work is looking at guards.
func guarding(ctx context.Context, s *process) error {
	_, keys, err := s.devices(ctx, "guarded", guardedDevices)
	if err != nil {
		return err
	}
	if _, _, err := s.paced(keys, time.Second); err != nil { // the signals appear
		return err
	}
	conn, err := pgx.Connect(ctx, s.database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	bare, bareCPU, err := s.paced(keys, guardedFor)
	if err != nil {
		return err
	}
	if err := guardAll(ctx, conn); err != nil {
		return err
	}
	if _, _, err := s.paced(keys, time.Second); err != nil { // they are read in
		return err
	}
	took, cpu, err := s.paced(keys, guardedFor)
	if err != nil {
		return err
	}
	var alarms int
	if err := conn.QueryRow(ctx, `select count(*) from alarm where guard like 'bench-%'`).Scan(&alarms); err != nil {
		return err
	}
	fmt.Printf("%d guards on %d signals at %d readings/s: reading to committed alarm p50 %.0f ms, p99 %.0f ms (aim "+
		"200), %d alarms\n", guardedDevices*signalsEach*guardsEach,
		guardedDevices*signalsEach, guardedRate, ms(took[len(took)/2]), ms(took[len(took)*99/100]), alarms)
	fmt.Printf("  without guards p50 %.0f ms, p99 %.0f ms; guards with all that they raise take %.0f %% of the "+
		"processor time\n", ms(bare[len(bare)/2]), ms(bare[len(bare)*99/100]),
		100*(cpu-bareCPU).Seconds()/cpu.Seconds())
	step := stepping()
	fmt.Printf("  evaluation alone: %.0f ns a guard and reading, %.2f %% of the processor time (aim 15)\n",
		float64(step.Nanoseconds()), 100*step.Seconds()*guardsEach*guardedRate*guardedFor.Seconds()/cpu.Seconds())
	return sweeping(ctx, conn, s.database)
}

// paced sends packs of one reading of each signal of a device at the rate of the bench, and gives how long each took,
// and the processor time of this process, clients included.
func (s *process) paced(keys []string, length time.Duration) (took []time.Duration, cpu time.Duration, err error) {
	const workers = 25
	parts := make([][]time.Duration, workers)
	every := time.Duration(float64(time.Second) * signalsEach * workers / guardedRate)
	begin, before := time.Now(), processor()
	err = atOnce(workers, func(w int) error {
		c, err := call(s.url)
		if err != nil {
			return err
		}
		r := rand.New(rand.NewPCG(uint64(w), 5))
		for n := 0; ; n++ {
			at := begin.Add(time.Duration(n)*every + time.Duration(w)*every/workers)
			if at.Sub(begin) > length {
				return nil
			}
			time.Sleep(time.Until(at))
			body := guardedPack(r)
			sent := time.Now()
			if status, err := c.post(api.SendReadings.At().Path, keys[(n*workers+w)%len(keys)], "application/json",
				body); err != nil || status != 204 {
				return fmt.Errorf("pack: %d %v", status, err)
			}
			parts[w] = append(parts[w], time.Since(sent))
		}
	})
	took = slices.Concat(parts...)
	slices.Sort(took)
	return took, processor() - before, err
}

func guardedPack(r *rand.Rand) []byte {
	var b bytes.Buffer
	for i := range signalsEach {
		value := 20 + 5*r.Float64()
		if r.IntN(500) == 0 {
			value = 40
		}
		fmt.Fprintf(&b, `%c"s%d":%.2f`, "{,"[min(i, 1)], i, value)
	}
	b.WriteByte('}')
	return b.Bytes()
}

// processor is the processor time that this process has used.
func processor() time.Duration {
	var u syscall.Rusage
	_ = syscall.Getrusage(syscall.RUSAGE_SELF, &u)
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

// guardAll puts guards on all signals of the bench at once.
func guardAll(ctx context.Context, conn *pgx.Conn) error {
	_, err := conn.Exec(ctx, `
		insert into guard (signal_id, name, when_text, deadband, on_delay, off_delay, severity, tell, advice)
		select s.id, 'bench-' || s.id || '-' || n, case n when 1 then 'above 39' when 2 then 'below 5' when 3
		    then 'outside -10..60' when 4 then 'above 50' else 'above 45' end,
		       0.5, case n when 5 then 1000000000 else 0 end, 0, 'warning', '{}', ''
		from signal s join device d on d.id = s.device_id cross join generate_series(1, $1) n
		    where d.name like 'guarded-%'`, guardsEach)
	if err == nil {
		_, err = conn.Exec(ctx, `update ledger set config_no = config_no + 1`)
	}
	return err
}

// stepping is how long one guard takes for one reading.
func stepping() time.Duration {
	g := &alarm.Guard{Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: 39}, Deadband: 0.5,
		Severity: alarm.Warning}}
	const n = 5_000_000
	room := make([]alarm.Transition, 0, 4)
	var state alarm.State
	begin := time.Now()
	for i := range n {
		state, room = alarm.Step(g, state, alarm.Event{Kind: alarm.NewReading, At: measure.Instant(i + 1),
			Value: float64(i % 40)}, room[:0])
	}
	return time.Since(begin) / n
}

// sweeping tells what a tick of the sweeper costs while many guards wait for an instant that is still to come.
func sweeping(ctx context.Context, conn *pgx.Conn, database string) error {
	records, err := store.Open(ctx, database)
	if err != nil {
		return err
	}
	defer records.Close()
	tick := func() error {
		_, err := events.WhatIsDue(ctx, records, measure.InstantOf(time.Now()))
		return err
	}
	none, err := typical(200, tick)
	if err != nil {
		return err
	}
	kept, err := alarm.Kept{}.MarshalBinary()
	if err != nil {
		return err
	}
	steps := []string{`alter table guard_state drop constraint guard_state_guard_id_fkey`,
		`insert into guard_state (guard_id, changed_in, kept, due_at) select 1000000000 + n, 0, $1, 4000000000000 + n
			from generate_series(1, $2::int) n`}
	if _, err := conn.Exec(ctx, steps[0]); err != nil {
		return err
	}
	if _, err := conn.Exec(ctx, steps[1], kept, pendingDues); err != nil {
		return err
	}
	many, err := typical(200, tick)
	if err != nil {
		return err
	}
	fmt.Printf("a tick of the sweeper with %d due times pending: %.2f ms, %.1f times one with none\n", pendingDues,
		ms(many), many.Seconds()/none.Seconds())
	_, err = conn.Exec(ctx, `delete from guard_state where guard_id > 1000000000`)
	return err
}

// replaying compares a replay of 30 days of a reading a second with merely reading them.
func replaying(ctx context.Context, s *process) error {
	m, err := s.aMonth(ctx, "replayed")
	if err != nil {
		return err
	}
	defer m.records.Close()
	from, until, bare := m.from, m.until, m.reading
	highest := 0.0
	for at := from; at < until; at += 1000 {
		highest = max(highest, second(at))
	}
	for _, limit := range []float64{highest - 0.1, highest - 2} {
		var found evidence.Replayed
		g := alarm.Guard{Signal: "replayed/temp", Rung: alarm.Rung{When: alarm.Test{Kind: alarm.Above, A: limit},
			Deadband: 0.5, Severity: alarm.Warning, OnDelay: measure.Duration(10 * time.Second)}}
		took, err := typical(5, func() (err error) {
			found, err = evidence.Replay(ctx, s.pipe, evidence.ReplayOrder{Guard: g, From: from, Until: until}, nil)
			return err
		})
		if err != nil {
			return err
		}
		fmt.Printf("replaying 30 days of 1 s, %.1f million readings, %d alarms: %.0f ms; %.2f of merely reading them "+
			"(aim 0.5)\n", float64(found.Readings)/1e6, len(found.Alarms), ms(took), bare.Seconds()/took.Seconds())
	}
	return nil
}

// searching asks for pages of a journal of millions of entries.
func searching(ctx context.Context, s *process) error {
	conn, err := pgx.Connect(ctx, s.database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `
		insert into journal (commit_no, at, learned_at, kind, subject, text)
		select 0, 1700000000000 + n, 1700000000000 + n,
		    (array['alarm raised', 'alarm over', 'guard changed', 'device silent'])[1 + n % 4],
		    'device-' || n % 500 || '/signal',
		       'Device ' || n % 500 || ' signal is above ' || n % 97 || case when n % 100000 = 7
		           then ' while the heron stood in the pond' else '' end from generate_series(1, $1::int) n`,
		journalEntries)
	if err == nil {
		_, err = conn.Exec(ctx, `analyze journal`)
	}
	if err != nil {
		return err
	}
	records, err := store.Open(ctx, s.database)
	if err != nil {
		return err
	}
	defer records.Close()
	var last *time.Duration
	for _, ask := range []struct {
		what string
		q    events.JournalQuery
	}{{"the newest page", events.JournalQuery{Limit: 100}},
		{"of one device", events.JournalQuery{Device: "device-77", Limit: 100}},
		{"of one kind", events.JournalQuery{Kind: "alarm", Limit: 100}},
		{"with a rare word", events.JournalQuery{Words: "heron", Limit: 100}},
		{"with a common word", events.JournalQuery{Words: "signal", Limit: 100}},
		{"of a device with a word", events.JournalQuery{Device: "device-7", Words: "heron", Limit: 100}}} {
		took, err := typical(9, func() error { _, err := events.Journal(ctx, records, ask.q); return err })
		if err != nil {
			return err
		}
		if last == nil {
			last = &took
			fmt.Printf("a journal of %.0f million entries, %s: %.1f ms\n", journalEntries/1e6, ask.what, ms(took))
			continue
		}
		fmt.Printf("  %s: %.1f ms, %.1f times as much\n", ask.what, ms(took), took.Seconds()/last.Seconds())
	}
	return nil
}
