package due

import (
	"context"
	"errors"
	"maps"
	"slices"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/pipeline"
	"jauntylark/pipeline/commit"
	"jauntylark/pipeline/notice"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/record"
	"jauntylark/pipeline/respond"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// dueWork is one kind of work that falls due by time. What is due of one kind is done in a commit of its own. When that
// fails, each thing is tried in a commit of its own; one that keeps failing waits longer and longer, is told as an
// alarm of the service, and holds up nothing else.
type dueWork struct {
	name   string                                         // what the service cannot do when it fails: "send statements"
	wanted func(events.Due) bool                          // whether anything of it is due
	seldom func(context.Context, *pipeline.Pipeline) bool // the same of what is looked at seldom
	due    func(*reading.Turn) ([]int64, error)           // what is due
	do     func(*reading.Turn, []int64) error             // does it
	fails  map[int64]*failure                             // what failed when it was last tried
	told   bool                                           // whether an alarm of the service stands is known
	alarm  int64                                          // that alarm; 0: none
}

// failure is one thing that could not be done.
type failure struct {
	since measure.Instant
	leapt time.Duration // how far the clock had leapt by then
	next  time.Time
	times int
	err   error
}

// begun is when it first failed, by the clock as it is now.
func (f *failure) begun(p *pipeline.Pipeline) measure.Instant {
	return f.since.Add(p.Clock.Leapt() - f.leapt)
}

const (
	failsFor      = 10 * time.Second // and three times: then it is an alarm
	failsTimes    = 3
	retryAtMost   = time.Minute
	retryAtFirst  = 200 * time.Millisecond
	shownOfErrors = 160 // characters
	nothing       = 0   // stands for finding out what is due, and for work that is one piece
)

// dueWorks are all kinds, in the order in which they are done.
func dueWorks() []*dueWork {
	all := []*dueWork{
		{name: "look for silence", wanted: func(d events.Due) bool { return d.Devices },
			due: (*reading.Turn).DueDevices, do: (*reading.Turn).SweepDevices},
		{name: "end the delays of guards", wanted: func(d events.Due) bool { return d.Guards }, due: dueGuards,
			do: sweepGuards},
		{name: "end the delays of interlocks", wanted: func(d events.Due) bool { return d.Interlocks },
			due: (*reading.Turn).DueInterlocks, do: (*reading.Turn).SweepInterlocks},
		{name: "look after outputs", wanted: func(d events.Due) bool { return d.Outputs },
			due: (*reading.Turn).DueOutputs, do: (*reading.Turn).SweepOutputs},
		{name: "go on with rosters", wanted: func(d events.Due) bool { return d.Escalations },
			due: (*reading.Turn).DueEscalations, do: (*reading.Turn).Escalate},
		{name: "tell what was held back", wanted: func(d events.Due) bool { return d.Held },
			due: (*reading.Turn).DueHeld, do: (*reading.Turn).Release},
		{name: "end shelving", wanted: func(d events.Due) bool { return d.Shelves }, due: respond.DueShelves,
			do: respond.EndShelves},
		{name: "start and end runs by schedule", wanted: func(d events.Due) bool { return d.Plans },
			due: record.DuePlans, do: record.SweepPlans},
		{name: "send statements", wanted: func(d events.Due) bool { return d.Statements }, due: respond.DueStatements,
			do: respond.SendStatements},
		{name: "tell of its own absence", seldom: func(ctx context.Context, p *pipeline.Pipeline) bool {
			untold, err := events.OutageUntold(ctx, p.Store)
			return err == nil && untold
		}, do: whole((*reading.Turn).TellOutage)},
		{name: "sum up old news", seldom: func(ctx context.Context, p *pipeline.Pipeline) bool {
			old, err := events.AnyOld(ctx, p.Store, p.Now().Add(-notice.OldAfter), p.Now().Add(-notice.TriedAfter))
			return err == nil && old
		}, do: whole((*reading.Turn).SumUpOld)},
		{name: "end drills", seldom: func(ctx context.Context, p *pipeline.Pipeline) bool {
			open, err := events.AnyOpenDrill(ctx, p.Store, p.Now()-roster.DrillLasts)
			return err == nil && open
		}, do: whole(respond.EndDrills)},
		{name: "tell the word of the day", seldom: func(ctx context.Context,
			p *pipeline.Pipeline) bool {
			return quietIsDue(ctx, p)
		}, do: whole((*reading.Turn).TellQuiet)},
	}
	for _, d := range all {
		d.fails = map[int64]*failure{}
		if d.due == nil {
			d.due = func(*reading.Turn) ([]int64, error) { return []int64{nothing}, nil }
		}
	}
	return all
}

// whole makes due work of what is one piece of work.
func whole(act func(*reading.Turn) error) func(*reading.Turn, []int64) error {
	return func(t *reading.Turn, ids []int64) error {
		if len(ids) == 0 {
			return nil
		}
		return act(t)
	}
}

// run does what is due and may be tried now.
func (d *dueWork) run(ctx context.Context, p *pipeline.Pipeline) {
	if !d.ready(nothing) {
		return
	}
	var ids []int64
	err := p.Do(ctx, func(t *reading.Turn) error {
		all, err := d.due(t)
		ids = slices.DeleteFunc(all, func(id int64) bool { return !d.ready(id) })
		if err != nil || len(ids) == 0 {
			return err
		}
		return d.do(t, ids)
	})
	if len(ids) > 0 && !slices.Contains(ids, nothing) {
		delete(d.fails, nothing) // it was found out
	}
	switch {
	case len(ids) == 0: // what is due could not be found out, or nothing may be tried yet
		d.went(ctx, p, []int64{nothing}, err)
		return
	case len(ids) == 1 || err == nil:
		d.went(ctx, p, ids, err)
		return
	}
	for _, id := range ids {
		d.went(ctx, p, []int64{id}, p.Do(ctx, func(t *reading.Turn) error { return d.do(t, []int64{id}) }))
	}
}

// ready tells whether something may be tried now.
func (d *dueWork) ready(id int64) bool {
	return d.fails[id] == nil || !time.Now().Before(d.fails[id].next)
}

// went takes how it went with some things, and tells of what keeps failing.
func (d *dueWork) went(ctx context.Context, p *pipeline.Pipeline, ids []int64, err error) {
	if ctx.Err() != nil || errors.Is(err, commit.ErrAway) || store.Away(err) {
		return // which is logged by the commits
	}
	for _, id := range ids {
		d.note(id, p, err)
	}
	if err != nil {
		p.Log.Warn("the service cannot "+d.name+", will try again", "error", err)
	}
	if err := d.tell(ctx, p); err != nil && ctx.Err() == nil {
		p.Log.Warn("an alarm of the service could not be raised or ended", "about", d.name, "error", err)
	}
}

// note remembers how one thing went.
func (d *dueWork) note(id int64, p *pipeline.Pipeline, err error) {
	if err == nil {
		delete(d.fails, id)
		return
	}
	f := d.fails[id]
	if f == nil {
		f = &failure{since: p.Now(), leapt: p.Clock.Leapt()}
		d.fails[id] = f
	}
	f.times, f.err = f.times+1, err
	f.next = time.Now().Add(min(retryAtMost, retryAtFirst<<min(f.times, 16)))
}

// failing gives what keeps failing; nil: nothing does.
func (d *dueWork) failing(p *pipeline.Pipeline) *failure {
	for _, id := range slices.Sorted(maps.Keys(d.fails)) {
		if f := d.fails[id]; f.times >= failsTimes && p.Now().Sub(f.begun(p)) >= failsFor {
			return f
		}
	}
	return nil
}

// tell raises the alarm of work that keeps failing, and ends it when nothing of it fails any more.
func (d *dueWork) tell(ctx context.Context, p *pipeline.Pipeline) error {
	failing := d.failing(p)
	if d.told && (failing != nil) == (d.alarm != 0) || d.alarm != 0 && len(d.fails) > 0 {
		return nil
	}
	standing := int64(0)
	err := p.Do(ctx, func(t *reading.Turn) (err error) {
		if standing, err = events.ServiceAlarm(t.Ctx, t.Tx, "cannot "+d.name); err != nil {
			return err
		}
		switch {
		case failing != nil && standing == 0:
			standing, err = t.RaiseServiceAlarm(d.name, alarm.Warning, failing.begun(p),
				respond.ClipText(failing.err.Error(), shownOfErrors),
				"It tries again by itself, and all else goes on. Its log says more.")
		case failing == nil && standing != 0 && len(d.fails) == 0:
			err = t.EndServiceAlarm(standing)
			standing = 0
		}
		return err
	})
	if err == nil {
		d.told, d.alarm = true, standing
	}
	return err
}

// quietIsDue tells whether the word of the day is to be told.
func quietIsDue(ctx context.Context, p *pipeline.Pipeline) bool {
	own, err := config.SiteReach(ctx, p.Store)
	if err != nil || own.QuietWord == nil {
		return false
	}
	here, err := config.Site(ctx, p.Store)
	if err != nil {
		return false
	}
	day, due := notice.QuietDue(own.QuietWord, here, p.Now())
	told, err := events.QuietOn(ctx, p.Store)
	return err == nil && due && told != day
}
