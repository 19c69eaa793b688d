package main

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"

	"jauntylark/api"
)

const changesTimed = 40

// configuring tells how long the readings of others wait for a change of one device, as the site grows: against
// readings with no change before them.
func configuring(ctx context.Context, s *process) error {
	key, err := s.device(ctx, "sender")
	if err != nil {
		return err
	}
	if _, err := s.device(ctx, "changing"); err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, s.database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for there, of := 0, []int{500, 2000, 10_000}; len(of) > 0; there, of = of[0], of[1:] {
		if err := fill(ctx, conn, there, of[0]); err != nil {
			return err
		}
		bare, err := s.packsAfter(key, func(int) error { return nil })
		if err != nil {
			return err
		}
		changed, err := s.packsAfter(key, func(i int) error {
			return s.owner.Call(ctx, api.SetDevice.At("changing"), map[string]string{"title": fmt.Sprint("Probe ", i)},
				nil)
		})
		if err != nil {
			return err
		}
		fmt.Printf("%d devices with two signals and a guard each: after a change of one, the next pack takes %.1f "+
			"ms, %.1f times one with no change before it\n",
			of[0], ms(changed), changed.Seconds()/bare.Seconds())
	}
	return nil
}

// packsAfter gives the median of how long a pack takes that is sent after something was done.
func (s *process) packsAfter(key string, do func(int) error) (time.Duration, error) {
	c, err := call(s.url)
	if err != nil {
		return 0, err
	}
	var took []time.Duration
	for i := range changesTimed {
		if err := do(i); err != nil {
			return 0, err
		}
		begin := time.Now()
		status, err := c.post(api.SendReadings.At().Path, key, "application/json", []byte(`{"v":1}`))
		if err != nil || status != http.StatusNoContent {
			return 0, fmt.Errorf("pack: %d %v", status, err)
		}
		took = append(took, time.Since(begin))
	}
	slices.Sort(took)
	return took[len(took)/2], nil
}

// fill makes a site larger at once.
func fill(ctx context.Context, conn *pgx.Conn, from, until int) error {
	_, err := conn.Exec(ctx, `
		with new as (insert into device (name, title, created_at) select 'crowd-' || n, '', 0
		    from generate_series($1::int + 1, $2::int) n returning id)
		insert into device_state (device_id, changed_in) select id, 1 from new`, from, until)
	for _, statement := range []string{
		`with new as (insert into signal (device_id, name, kind, created_at) select d.id, s, 'number', 0
			from device d, unnest(array['air', 'damp']) s
		 where d.name like 'crowd-%' and not exists (select from signal where device_id = d.id) returning id)
		 insert into signal_state (signal_id, changed_in) select id, 1 from new`,
		`insert into guard (signal_id, name, when_text, deadband, on_delay, off_delay, severity, tell, advice)
		 select s.id, 'crowd-' || s.id, 'above 39', 0.5, 0, 0, 'warning', '{}', '' from signal s
		     join device d on d.id = s.device_id
		 where d.name like 'crowd-%' and s.name = 'air' and not exists (select from guard where signal_id = s.id)`,
		`update ledger set config_no = config_no + 1`,
		`analyze`, // as the database does by itself, a minute later
	} {
		if err == nil {
			_, err = conn.Exec(ctx, statement)
		}
	}
	return err
}
