package pipeline

import (
	"context"
	"time"

	"jauntylark/core/alarm"
	"jauntylark/core/drive"
	"jauntylark/core/measure"
	"jauntylark/store"
)

// Turn is one commit in the making.
type Turn struct {
	Tx       *store.Tx
	Now      measure.Instant
	CommitNo int64

	leap          time.Duration // by which the clock leapt since the commit before
	leapt         int64         // the sum of all leaps, with it, in milliseconds
	p             *Pipeline
	ctx           context.Context
	live          *live
	rows          []store.Row           // readings to store
	stored        map[at]float64        // readings that doubtful ones are compared with
	noted         int                   // so many of rows are in stored
	packs         int                   // so many packs were begun
	signals       map[int64]*signalLive // those whose state changed
	guards        map[int64]*guardLive  // those whose state may have to be saved
	lives         map[int64]*deviceLive // those whose life changed
	waiting       []*derivedLive        // to be computed when all readings of the instant are there
	events        []store.GuardEvent    // what happened to guards besides readings
	runs          map[int64]*store.Runs // what was seen of the runs of switches
	late          map[int64]reach       // where late readings came that guards did not step
	touches       map[int64]reach       // where what is derived from a signal must be computed anew
	forgotten     map[int64]bool        // signals whose past is another now
	happened      []happening
	room          []alarm.Transition
	alarmsMoved   bool                  // some alarm was raised, is over or is another now
	looking       map[int64]*lockLive   // interlocks that are to look
	movedLocks    map[int64]*lockLive   // those whose state has to be saved
	undecided     map[int64]*outputLive // outputs of which something else may be asked now
	orders        []drive.Output        // what is told to devices after the commit
	touched       bool                  // the state in memory is ahead of the database
	configRaised  bool
	configChanged bool // the state in memory must be loaded anew
	noticed       bool
	asked         bool          // whether the service was away lately
	outage        *store.Outage // the last one, once asked for
}

// begin takes the ledger and brings the state in memory up to the commit before this one.
func (t *Turn) begin() (err error) {
	asked, from := time.Now(), t.p.Clock.Elapsed()
	ledger, err := t.Tx.TakeLedger(t.ctx)
	t.p.Meter.Ledger(time.Since(asked))
	if err != nil {
		return err
	}
	t.CommitNo, t.live = ledger.CommitNo, t.p.live
	moved, err := t.readClock(ledger, from, t.p.Clock.Elapsed())
	if err != nil {
		return err
	}
	switch {
	case t.live == nil || t.live.configNo != ledger.ConfigNo || t.leap != 0 || moved != 0:
		if t.live, err = load(t.ctx, t.Tx); err != nil {
			return err
		}
		t.live.configNo = ledger.ConfigNo
	case t.live.commitNo != t.CommitNo-1:
		if err = t.live.refresh(t.ctx, t.Tx, t.live.commitNo); err != nil {
			return err
		}
	}
	t.live.commitNo = t.CommitNo - 1
	t.p.live = t.live
	if moved != 0 {
		if err := t.afterLeap(moved); err != nil {
			return err
		}
	}
	if t.asked = t.p.mayHaveBeenAway(); t.asked {
		t.touched = true
		return t.noteAbsence()
	}
	return nil
}

// mayHaveBeenAway tells whether this process cannot know by itself that the service was up until now: it has just begun, has
// lost the database, or has stood still.
func (p *Pipeline) mayHaveBeenAway() bool {
	seen := p.seen.Load()
	return p.unsure.Load() || seen != 0 && p.Clock.Elapsed().Milliseconds()-seen > stoodStill.Milliseconds()
}

// isUp notes that the process was at work at a moment.
func (p *Pipeline) isUp(at store.Moment) {
	p.upAt.Store(&at)
	p.seen.Store(p.Clock.Elapsed().Milliseconds())
}

// signalsChanged tells other processes to load anew; this one has already taken the change in.
func (t *Turn) signalsChanged() (err error) {
	if !t.configRaised {
		t.configRaised = true
		t.live.configNo, err = t.Tx.RaiseConfig(t.ctx)
	}
	return err
}

// ConfigChanged says that the act changed devices, keys or guards in the database, so that every
// process, this one too, must load anew.
func (t *Turn) ConfigChanged() error {
	t.configChanged = true
	_, err := t.Tx.RaiseConfig(t.ctx)
	return err
}

func (t *Turn) changed(s *signalLive) {
	if t.signals == nil {
		t.signals = map[int64]*signalLive{}
	}
	t.signals[s.ID] = s
}

// finish writes down what the turn has gathered.
func (t *Turn) finish() error {
	if err := t.tellAll(); err != nil {
		return err
	}
	if err := t.driveOutputs(); err != nil {
		return err
	}
	if err := t.saveRuns(); err != nil {
		return err
	}
	if err := t.Tx.CopyReadings(t.ctx, t.rows); err != nil {
		return err
	}
	if err := t.noteTouches(); err != nil {
		return err
	}
	if err := t.noteLate(); err != nil {
		return err
	}
	states := make([]store.SignalState, 0, len(t.signals))
	for _, s := range t.signals {
		states = append(states, s.state)
	}
	if err := t.Tx.SaveSignalStates(t.ctx, states, t.CommitNo); err != nil {
		return err
	}
	for id, d := range t.lives {
		if t.live.devices[id] != d {
			continue // removed in this turn
		}
		if err := t.Tx.SaveDeviceState(t.ctx, d.state, t.CommitNo); err != nil {
			return err
		}
	}
	return t.saveGuards()
}
