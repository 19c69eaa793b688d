package events

import (
	"context"

	"jauntylark/core/measure"
	"jauntylark/store"
)

// Any tells whether anything is due.
func (d Due) Any() bool { return d != Due{} }

// Due tells which kinds of work have something that is due.
type Due struct {
	Devices     bool `db:"devices"`
	Guards      bool `db:"guards"`
	Outputs     bool `db:"outputs"`
	Interlocks  bool `db:"interlocks"`
	Escalations bool `db:"escalations"`
	Held        bool `db:"held"` // notices that were held back
	Shelves     bool `db:"shelves"`
	Plans       bool `db:"plans"`
	Statements  bool `db:"statements"`
}

// Due tells what is due by at.
func WhatIsDue(ctx context.Context, db store.Reader, at measure.Instant) (d Due, err error) {
	// The first of each index tells; to ask whether any is due may read them all.
	err = db.Get(ctx, &d, `
		select coalesce((select due_at from device_state where due_at is not null order by due_at limit 1) <= $1,
		    false) as devices,
		       coalesce((select due_at from guard_state where due_at is not null order by due_at limit 1) <= $1,
		           false) as guards,
		       coalesce((select due_at from output_state where due_at is not null order by due_at limit 1) <= $1,
		           false) as outputs,
		       coalesce((select due_at from interlock_state where due_at is not null order by due_at limit 1) <= $1,
		           false) as interlocks,
		       coalesce((select due_at from escalation where due_at is not null order by due_at limit 1) <= $1,
		           false) as escalations,
		       coalesce((select min(due_at) from notice where state = 'held') <= $1, false) as held,
		       coalesce((select shelved_until from guard where shelved_until is not null order by shelved_until
		           limit 1) <= $1, false) as shelves,
		       coalesce((select due_at from run_plan where due_at is not null order by due_at limit 1) <= $1,
		           false) as plans,
		       coalesce((select min(due_at) from statement) <= $1, false) as statements`, at)
	return d, err
}
