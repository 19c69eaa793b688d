package events

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"jauntylark/core/alarm"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// FeedQuery says what is wanted of the feed of changes.
type FeedQuery struct {
	After   feed.Place
	Kinds   []string // of changes; none: all
	Devices []string // what is about these, and about their signals and outputs; none: all
	Limit   int      // so many changes
	// so many readings, and those of one change more, of which one has 1000 at most; 0: 10,000
	Readings int
}

// ErrForgotten says that what a place is followed by is not known any more.
type ErrForgotten struct {
	Begin  int64 // the first place that is followed by all
	Newest int64 // the newest commit
}

// Error tells where to begin.
func (e *ErrForgotten) Error() string {
	return fmt.Sprintf("changes are known from %d to %d", e.Begin, e.Newest)
}

// FeedKnown gives the first place that all is known after, and the newest commit.
func FeedKnown(ctx context.Context, db store.Reader) (begin, newest int64, err error) {
	var known struct {
		Begin  int64 `db:"forgotten_no"`
		Newest int64 `db:"commit_no"`
	}
	err = db.Get(ctx, &known, `select forgotten_no, commit_no from ledger`)
	return known.Begin, known.Newest, err
}

const (
	feedRows     = 1000   // of each kind that are looked at in one page, and the rest of the last commit
	feedReadings = 10_000 // in one page
	inOneChange  = 1000   // readings
)

// Feed tells what commits after a place have changed, in their order, a page of it: a page may be empty though there is
// more, where nothing of it is wanted.
func Feed(ctx context.Context, s *store.Store, q FeedQuery) (page feed.Page, err error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return page, err
	}
	defer tx.Rollback()
	var known ErrForgotten
	if known.Begin, known.Newest, err = FeedKnown(ctx, tx); err != nil {
		return page, err
	}
	if q.After.No < known.Begin || q.After.No > known.Newest {
		return page, &known
	}
	r := &feedReader{ctx: ctx, tx: tx, query: q, page: feed.Page{Changes: []feed.Change{}, Next: q.After,
		Newest: known.Newest}}
	err = r.read(known.Newest)
	return r.page, err
}

// feedReader puts a page of the feed together.
type feedReader struct {
	ctx      context.Context
	tx       *store.Tx
	query    FeedQuery
	page     feed.Page
	commits  map[int64]*changedIn
	signals  map[int64]*fedSignal
	alarms   map[int64]*alarm.Alarm
	readings int
}

// changedIn is what one commit has changed.
type changedIn struct {
	no        int64
	at        measure.Instant
	stretches []feed.Stretch
	entries   []site.Entry
}

// fedSignal is what the feed tells of a signal.
type fedSignal struct {
	ID     int64           `db:"id"`
	Device string          `db:"device"`
	Name   string          `db:"name"`
	Kind   string          `db:"kind"`
	Newest measure.Instant `db:"at"`
}

func (r *feedReader) read(newest int64) error {
	until, err := r.load(newest)
	if err != nil {
		return err
	}
	if err := r.loadSignals(); err != nil {
		return err
	}
	if err := r.loadAlarms(); err != nil {
		return err
	}
	numbers := make([]int64, 0, len(r.commits))
	for no := range r.commits {
		if no <= until {
			numbers = append(numbers, no)
		}
	}
	slices.Sort(numbers)
	for _, no := range numbers {
		done, err := r.tell(r.commits[no])
		if err != nil {
			return err
		}
		if !done {
			return nil
		}
		r.page.Next = feed.After(no)
	}
	r.page.Next = feed.After(until)
	return nil
}

func (r *feedReader) full() bool {
	return len(r.page.Changes) >= r.query.Limit || r.readings >= cmp.Or(r.query.Readings, feedReadings)
}

// stopAt ends the page at a place: after the commit before, where nothing of the next was told.
func (r *feedReader) stopAt(place feed.Place) {
	if place.Signal != 0 || place.Entry != 0 {
		r.page.Next = place
	}
}

// tell tells what a commit has changed, after the part of it that was told already. It is false when the page is full
// before its end: then the page says where.
func (r *feedReader) tell(c *changedIn) (done bool, err error) {
	place := feed.Place{No: r.page.Next.No, In: c.no}
	if r.query.After.In == c.no {
		place.Signal, place.At, place.Entry = r.query.After.Signal, r.query.After.At, r.query.After.Entry
	}
	for _, s := range feed.Together(c.stretches) {
		if s.Signal < place.Signal || s.Signal == place.Signal && s.Until < place.At {
			continue
		}
		if s.Signal == place.Signal {
			s.From = max(s.From, place.At)
		}
		if done, err := r.tellReadings(c, s, &place); err != nil || !done {
			return false, err
		}
		place.Signal, place.At = s.Signal, s.Until+1
	}
	slices.SortFunc(c.entries, func(a, b site.Entry) int { return int(a.ID - b.ID) })
	for i := range c.entries {
		e := &c.entries[i]
		if e.ID <= place.Entry || !r.wantsEntry(e) {
			continue
		}
		if r.full() {
			r.stopAt(place)
			return false, nil
		}
		r.tellEntry(c, e)
		place.Entry = e.ID
	}
	return true, nil
}

// tellReadings tells what a stretch holds, in as many changes as it takes.
func (r *feedReader) tellReadings(c *changedIn, of feed.Stretch, place *feed.Place) (done bool, err error) {
	s := r.signals[of.Signal]
	if s == nil || !r.wantsDevice(s.Device) {
		return true, nil
	}
	// nothing lies further ahead
	of.Until = min(of.Until, max(s.Newest, c.at.Add(measure.FarAhead)))
	for begin := of.From; of.From <= of.Until; {
		if r.full() {
			if of.From > begin {
				place.Signal, place.At = of.Signal, of.From
			}
			r.stopAt(*place)
			return false, nil
		}
		readings, next, err := r.readingsOf(s, of)
		if err != nil {
			return false, err
		}
		since := of.From
		r.readings += len(readings)
		r.page.Changes = append(r.page.Changes, feed.Change{No: c.no, At: c.at, Kind: feed.Readings,
			Signal: s.Device + "/" + s.Name, Since: &since, Until: &next, Readings: &readings})
		of.From = next
	}
	return true, nil
}

// errEnough ends a walk before its end.
var errEnough = errors.New("enough")

// readingsOf gives the first readings of a stretch, and where the next one lies, or it ends.
func (r *feedReader) readingsOf(s *fedSignal, of feed.Stretch) ([]measure.Reading, measure.Instant, error) {
	readings, next := []measure.Reading{}, of.Until+1
	err := timeseries.EachReading(r.ctx, r.tx, s.ID, of.From, of.Until, func(some []measure.Reading) error {
		if readings = append(readings, some...); len(readings) > inOneChange {
			readings, next = readings[:inOneChange], readings[inOneChange].At
			return errEnough
		}
		return nil
	})
	if err == errEnough {
		err = nil
	}
	if err == nil && (s.Kind == site.KindText || s.Kind == site.KindData) {
		err = timeseries.Spell(r.ctx, r.tx, readings)
	}
	return readings, next, err
}

func (r *feedReader) wantsDevice(device string) bool {
	return len(r.query.Devices) == 0 || slices.Contains(r.query.Devices, device)
}

func (r *feedReader) wantsEntry(e *site.Entry) bool {
	kind := feed.Journal
	if e.AlarmID != nil {
		kind = feed.Alarm
	}
	return r.wants(kind) && r.wantsDevice(feed.DeviceOf(e))
}

func (r *feedReader) tellEntry(c *changedIn, e *site.Entry) {
	change := feed.Change{No: c.no, At: c.at, Kind: feed.Journal, Entry: e}
	if e.AlarmID != nil {
		change.Kind, change.Alarm = feed.Alarm, r.alarms[*e.AlarmID]
	}
	r.page.Changes = append(r.page.Changes, change)
}
