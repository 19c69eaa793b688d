package history

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/series"
	"jauntylark/core/site"
	"jauntylark/exchange"
	"jauntylark/pipeline/record"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// samplesAtMost is how many refusals are told in full.
const samplesAtMost = 20

// importAtOnce is how many readings of one signal are stored in a commit, and bundleAtMost how many wait at
// most for all signals.
const (
	importAtOnce = 8 * series.BlockReadings
	bundleAtMost = 64 * series.BlockReadings
)

// Import is an import under way.
type Import struct {
	Upkeep  *Upkeep
	Layout  exchange.Layout
	Replace bool                    // other values take the place of those that are there
	Try     bool                    // store nothing
	Told    func(exchange.Imported) // called now and then with how far it is
	known   map[string]site.Signal
	devices map[string]bool
	waiting map[string]*record.Past
	n       int
	out     exchange.Imported
}

// Run reads a file and stores what is in it. It can be cut off at any moment and begun again: what is there
// already is not stored twice.
func (m *Import) Run(ctx context.Context, f exchange.File, size int64) (exchange.Imported, error) {
	m.known, m.devices, m.waiting = map[string]site.Signal{}, map[string]bool{}, map[string]*record.Past{}
	m.out = exchange.Imported{Samples: []exchange.Refused{}, Signals: map[string]*exchange.Received{}}
	signals, err := config.Signals(ctx, m.Upkeep.store)
	if err != nil {
		return m.out, err
	}
	for _, s := range signals {
		m.known[s.Path()] = s
	}
	devices, err := config.PlainDevices(ctx, m.Upkeep.store)
	if err != nil {
		return m.out, err
	}
	for _, d := range devices {
		m.devices[d.Name] = true
	}
	err = exchange.Read(f, size, &m.Layout, func(r exchange.Record) error { return m.add(ctx, r) }, m.refuse)
	for _, signal := range m.inOrder() {
		if err == nil {
			err = m.store(ctx, m.waiting[signal])
		}
	}
	m.Told(m.out)
	m.Upkeep.Soon()
	return m.out, err
}

func (m *Import) inOrder() (names []string) {
	for name := range m.waiting {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

func (m *Import) refuse(r exchange.Refused) error {
	if m.out.Refused++; len(m.out.Samples) < samplesAtMost {
		m.out.Samples = append(m.out.Samples, r)
	}
	return nil
}

func (m *Import) add(ctx context.Context, r exchange.Record) error {
	past := m.waiting[r.Signal]
	if past == nil {
		if fault := m.welcome(r.Signal); fault != "" {
			return m.refuse(exchange.Refused{Line: r.Line, Field: "signal", Reason: fault})
		}
		past = &record.Past{Signal: r.Signal, Kind: r.Kind, Unit: r.Unit, Replace: m.Replace}
		if s, there := m.known[r.Signal]; there {
			past.Kind = s.Kind
		}
		m.waiting[r.Signal] = past
	}
	if fault := m.fits(past, &r); fault != "" {
		return m.refuse(exchange.Refused{Line: r.Line, Field: "value", Reason: fault})
	}
	if r.Unit != past.Unit && len(past.Readings) > 0 { // another unit from here on
		if err := m.store(ctx, past); err != nil {
			return err
		}
	}
	past.Unit = r.Unit
	past.Readings = append(past.Readings, r.Reading)
	if worded(past.Kind) {
		past.Texts = append(past.Texts, r.Text)
	}
	m.out.Readings++
	if m.n++; len(past.Readings) >= importAtOnce {
		return m.store(ctx, past)
	}
	if m.n < bundleAtMost {
		return nil
	}
	for _, signal := range m.inOrder() {
		if err := m.store(ctx, m.waiting[signal]); err != nil {
			return err
		}
	}
	return nil
}

// welcome tells why a signal cannot be had; empty when it can.
func (m *Import) welcome(path string) string {
	if _, there := m.known[path]; there {
		return ""
	}
	device, name, err := site.SplitPath(path)
	switch {
	case err != nil:
		return err.Error()
	case !m.devices[device]:
		names := []string{}
		for d := range m.devices {
			names = append(names, d)
		}
		return site.Unknown("device", device, names) + "; add it first"
	}
	if err := site.CheckName(name); err != nil {
		return err.Error()
	}
	return ""
}

func worded(kind string) bool { return kind == site.KindText || kind == site.KindData }

// fits tells why a reading does not go into a signal of a kind; empty when it does. Where a switch was
// expected and figures came, the signal is a number.
func (m *Import) fits(past *record.Past, r *exchange.Record) string {
	s, there := m.known[past.Signal]
	switch {
	case worded(r.Kind) != worded(past.Kind):
		return fmt.Sprintf("is %s, but the signal holds %s", r.Kind, past.Kind)
	case past.Kind == site.KindSwitch && r.Reading.Value != 0 && r.Reading.Value != 1:
		return fmt.Sprintf("is %v, but the signal is on or off (1 or 0)", r.Reading.Value)
	case past.Kind == site.KindNumber && r.Kind == site.KindSwitch:
		return "is on or off, but the signal holds numbers"
	case worded(past.Kind) || r.Unit == "" || there && (s.Unit == "" || s.Unit == r.Unit):
		return ""
	case !r.Unit.Known():
		return site.UnknownUnit(r.Unit)
	case there:
		if _, err := measure.Convert(r.Reading.Value, r.Unit, s.Unit); err != nil {
			return fmt.Sprintf("the signal is in %s, and %v", s.Unit, err)
		}
	}
	return ""
}

// store stores what waits of a signal, or tells what would become of it.
func (m *Import) store(ctx context.Context, past *record.Past) error {
	if len(past.Readings) == 0 {
		return nil
	}
	var told series.Merged
	var err error
	if m.Try {
		told, err = m.compare(ctx, past)
	} else {
		told, err = m.storeWhenFree(ctx, past)
	}
	var fault *measure.Fault
	if errors.As(err, &fault) {
		return m.refuse(exchange.Refused{Field: fault.Field, Reason: fault.Reason})
	}
	if err != nil {
		return err
	}
	m.count(past, told)
	m.n -= len(past.Readings)
	past.Readings, past.Texts = past.Readings[:0], past.Texts[:0]
	m.Told(m.out)
	return ctx.Err()
}

// storeWhenFree stores, as soon as nothing of the signal is being cleared.
func (m *Import) storeWhenFree(ctx context.Context, past *record.Past) (series.Merged, error) {
	for {
		told, err := record.Import(ctx, m.Upkeep.pipeline, past)
		if !errors.Is(err, record.ErrBeingCleared) {
			return told, err
		}
		m.Upkeep.Soon()
		select {
		case <-ctx.Done():
			return told, ctx.Err()
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func (m *Import) count(past *record.Past, told series.Merged) {
	m.out.Added, m.out.Same, m.out.Replaced = m.out.Added+told.Added, m.out.Same+told.Same, m.out.Replaced+told.Replaced
	for _, r := range told.Conflicts {
		if m.out.Conflicts++; len(m.out.Samples) < samplesAtMost {
			m.out.Samples = append(m.out.Samples, exchange.Refused{Field: past.Signal,
				Reason: fmt.Sprintf("holds another value than %v at %s", r.Value, r.At)})
		}
	}
	got := m.out.Signals[past.Signal]
	if got == nil {
		_, there := m.known[past.Signal]
		got = &exchange.Received{New: !there, From: past.Readings[0].At, Until: past.Readings[0].At}
		m.out.Signals[past.Signal] = got
	}
	got.Added += told.Added
	for _, r := range past.Readings {
		got.From, got.Until = min(got.From, r.At), max(got.Until, r.At)
	}
}

// compare tells what would become of past readings.
func (m *Import) compare(ctx context.Context, past *record.Past) (told series.Merged, err error) {
	s, there := m.known[past.Signal]
	fresh := slices.Clone(past.Readings)
	if past.Unit != "" && s.Unit != "" && past.Unit != s.Unit && !worded(past.Kind) {
		for i := range fresh {
			if fresh[i].Value, err = measure.Convert(fresh[i].Value, past.Unit, s.Unit); err != nil {
				return told, &measure.Fault{Field: "unit", Reason: err.Error()}
			}
		}
	}
	fresh, others := series.InOrder(fresh)
	if !there {
		return series.Merged{Added: len(fresh), Conflicts: others}, nil
	}
	told, err = timeseries.Compare(ctx, m.Upkeep.store, &s, fresh, past.Texts, m.Replace)
	told.Conflicts = append(told.Conflicts, others...)
	return told, err
}
