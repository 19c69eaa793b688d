package main

import (
	"bytes"
	"context"
	"fmt"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/core/storage"
	"jauntylark/pipeline/record"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

const (
	meaningDevices = 32
	meaningPacks   = 100 // a device and round, of 25 instants of 4 signals, 10 ms apart
	meaningRounds  = 3
)

type object = map[string]any

// derivedOf are five derived signals of a device of the bench: role and signal for each input.
var derivedOf = []struct {
	name, kind string
	of         [][2]string
	more       object
}{
	{"power", "power", [][2]string{{"volts", "volts"}, {"amperes", "amperes"}}, nil},
	{"running", "on-off", [][2]string{{"of", "volts"}}, object{"when": "above 230", "deadband": 2}},
	{"dew", "dew-point", [][2]string{{"air", "air"}, {"humidity", "humidity"}}, nil},
	{"margin", "formula", [][2]string{{"air", "air"}, {"dew", "dew"}}, object{"formula": "air - dew"}},
	{"calm", "moving-mean", [][2]string{{"of", "air"}}, object{"window": "10s"}},
}

// meaning compares packs of readings of which five signals and three totals a device are computed with as many that
// are only stored.
func meaning(ctx context.Context, s *process) error {
	plain, err := s.readers(ctx, "plain")
	if err != nil {
		return err
	}
	rich, err := s.readers(ctx, "rich")
	if err != nil {
		return err
	}
	for i := range meaningDevices {
		if err := s.giveMeaning(ctx, fmt.Sprintf("rich-%d", i)); err != nil {
			return err
		}
	}
	var took [2]time.Duration
	for range meaningRounds {
		for i, keys := range [][]string{plain, rich} {
			one, err := s.measured(keys)
			if err != nil {
				return err
			}
			took[i] += one
		}
	}
	n := meaningRounds * meaningDevices * meaningPacks * packLength
	bare, ours := rate(n, took[0]), rate(n, took[1])
	fmt.Printf("packs of %d with 5 derived signals and 3 totals a device: %.0f readings/s\n", packLength, ours)
	fmt.Printf("  the same without: %.0f readings/s; it costs %.2f times as much (aim 2 at most)\n", bare, bare/ours)
	return nil
}

// readers adds devices that have sent once, and gives their keys.
func (s *process) readers(ctx context.Context, stem string) ([]string, error) {
	_, keys, err := s.devices(ctx, stem, meaningDevices)
	if err != nil {
		return nil, err
	}
	at := time.Now().Add(-time.Minute).UnixMilli()
	return keys, atOnce(len(keys), func(w int) error {
		c, err := call(s.url)
		if err != nil {
			return err
		}
		_, err = c.post(api.SendReadings.At().Path, keys[w], "application/senml+json", meaningPack(at, 0))
		return err
	})
}

// meaningPack is the body of one pack, whose instants begin at at.
func meaningPack(at int64, n int) []byte {
	var b bytes.Buffer
	for i := range packLength {
		comma, base := ",", ""
		if i == 0 {
			comma, base = "[", fmt.Sprintf(`"bt":%d.%03d,`, at/1000, at%1000)
		}
		signal := []struct {
			name, unit string
			value      float64
		}{{"volts", "V", 231}, {"amperes", "A", 8}, {"air", "Cel", 18}, {"humidity", "%RH", 70}}[i%4]
		fmt.Fprintf(&b, `%s{%s"n":"%s","u":"%s","t":%.2f,"v":%.1f}`, comma, base, signal.name, signal.unit,
			float64(i/4)/100, signal.value+float64((n*31+i*7)%100)/20-2.5)
	}
	b.WriteString("]")
	return b.Bytes()
}

func (s *process) giveMeaning(ctx context.Context, device string) error {
	for _, d := range derivedOf {
		of := []object{}
		for _, in := range d.of {
			of = append(of, object{"as": in[0], "signal": device + "/" + in[1]})
		}
		recipe := object{"kind": d.kind, "of": of}
		for k, v := range d.more {
			recipe[k] = v
		}
		if err := s.owner.Call(ctx, api.PutRecipe.At(device, d.name), object{"recipe": recipe}, nil); err != nil {
			return err
		}
	}
	for kind, signal := range map[string]string{"on-time": "running", "cycles": "running", "energy": "power"} {
		if err := s.owner.Call(ctx, api.AddTotal.At(), object{"name": device + "-" + kind, "signal": device + "/" +
			signal, "kind": kind}, nil); err != nil {
			return err
		}
	}
	return nil
}

// measured sends a round of packs that end now, and tells how long that took.
func (s *process) measured(keys []string) (time.Duration, error) {
	const span = meaningPacks * packLength / 4 * 10 // milliseconds
	start := time.Now().UnixMilli() - span
	bodies := make([][]byte, meaningPacks)
	for p := range bodies {
		bodies[p] = meaningPack(start+int64(p)*span/meaningPacks, p)
	}
	begin := time.Now()
	err := atOnce(len(keys), func(w int) error {
		c, err := call(s.url)
		if err != nil {
			return err
		}
		for _, body := range bodies {
			if status, err := c.post(api.SendReadings.At().Path, keys[w], "application/senml+json", body); err != nil ||
				status != 204 {
				return fmt.Errorf("pack: %d %v", status, err)
			}
		}
		return nil
	})
	took := time.Since(begin)
	time.Sleep(span*time.Millisecond - min(took, span*time.Millisecond)) // so that the next round's readings are newer
	return took, err
}

// correcting measures how long it takes until all that follows from a correction of 30 days of a reading a second is
// there: figures, then a derived signal and two totals as well.
func correcting(ctx context.Context, s *process) error {
	m, err := s.aMonth(ctx, "month")
	if err != nil {
		return err
	}
	defer m.records.Close()
	from, bare := m.from, m.reading
	if err := s.worked(ctx, nil, api.Place{}); err != nil {
		return err
	}
	fmt.Printf("merely reading 30 days of 1 s, %.1f million: %.0f ms\n", monthOfIt/1e6, ms(bare))
	for _, round := range []struct{ what, recipe string }{{"with figures", ""},
		{"with figures, a derived signal and two totals", "of * 2.0"}} {
		if round.recipe != "" {
			recipe := object{"kind": "formula", "formula": round.recipe,
				"of": []object{{"as": "of", "signal": "month/temp"}}}
			if err := s.worked(ctx, object{"recipe": recipe}, api.PutRecipe.At("month", "twice")); err != nil {
				return err
			}
			for _, name := range []string{"temp", "twice"} {
				if err := s.worked(ctx, object{"name": "month-" + name, "signal": "month/" + name, "kind": "integral"},
					api.AddTotal.At()); err != nil {
					return err
				}
			}
		}
		begin := time.Now()
		order := object{"from": from, "pairs": []object{{"shown": 20, "reference": 20.5}}}
		if err := s.worked(ctx, order, api.Calibrate.At("month", "temp")); err != nil {
			return err
		}
		took := time.Since(begin)
		fmt.Printf("correcting them, %s: %.1f s, %.0f times merely reading them\n", round.what, took.Seconds(),
			took.Seconds()/bare.Seconds())
	}
	return nil
}

// worked does an act and waits until nothing that follows from it waits any more.
func (s *process) worked(ctx context.Context, in object, act api.Place) error {
	if act != (api.Place{}) {
		if err := s.owner.Call(ctx, act, in, nil); err != nil {
			return err
		}
	}
	for work := (storage.Work{Left: 1}); work.Left > 0; time.Sleep(20 * time.Millisecond) {
		if err := s.owner.Call(ctx, api.GetWork.At("month", "temp"), nil, &work); err != nil {
			return err
		}
	}
	return nil
}

// month is 30 days of a reading a second of the signal temp of a device, and how long merely reading them takes.
type month struct {
	from, until measure.Instant
	records     *store.Store
	reading     time.Duration
}

// aMonth brings in 30 days of a reading a second.
func (s *process) aMonth(ctx context.Context, device string) (m month, err error) {
	if _, err = s.device(ctx, device); err != nil {
		return m, err
	}
	m.until = measure.InstantOf(time.Now().Add(-10 * time.Minute).Truncate(time.Minute))
	m.from = m.until - monthOfIt*1000
	p := &record.Past{Signal: device + "/temp", Kind: site.KindNumber, Unit: "Cel"}
	for at := m.from; at < m.until; at += 1000 {
		p.Readings = append(p.Readings, measure.Reading{At: at, Value: second(at)})
	}
	if _, err = record.Import(ctx, s.pipe, p); err != nil {
		return m, err
	}
	if m.records, err = store.Open(ctx, s.database); err != nil {
		return m, err
	}
	signal, err := config.Signal(ctx, m.records, device, "temp")
	if err != nil {
		return m, err
	}
	m.reading, err = typical(5, func() error {
		tx, err := m.records.Look(ctx)
		if err != nil {
			return err
		}
		defer tx.Rollback()
		n := 0
		err = timeseries.EachReading(ctx, tx, signal.ID, m.from, m.until,
			func(some []measure.Reading) error { n += len(some); return nil })
		if err == nil && n != monthOfIt {
			err = fmt.Errorf("%d readings", n)
		}
		return err
	})
	return m, err
}
