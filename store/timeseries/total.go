package timeseries

import (
	"context"
	"fmt"
	"slices"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/total"
	"jauntylark/store"
)

const selectTotal = `

	select t.id, t.name, t.title, d.name || '/' || s.name as signal, t.kind, coalesce(t.tariff, '') as tariff,
	    t.created_at,
	       (select max(at) from total_reset where total_id = t.id and undone_at is null) as reset_at
	from total t join signal s on s.id = t.signal_id join device d on d.id = s.device_id`

// Totals lists all totals by name.
func Totals(ctx context.Context, db store.Reader) ([]total.Total, error) {
	list := []total.Total{}
	err := db.Select(ctx, &list, selectTotal+` order by t.name`)
	return list, err
}

// Total gives one total by its name.
func Total(ctx context.Context, db store.Reader, name string) (out total.Total, err error) {
	err = db.Get(ctx, &out, selectTotal+` where t.name = $1`, name)
	return out, store.Found(err)
}

// AddTotal stores a total; ErrTaken when the name is in use. It is added up in the background.
func AddTotal(ctx context.Context, db store.Writer, v *total.Total, signal int64) error {
	err := db.Get(ctx, &v.ID,
		`insert into total (name, title, signal_id, kind, tariff, created_at)
			values ($1, $2, $3, $4, nullif($5, ''), $6) returning id`,
		v.Name, v.Title, signal, v.Kind, v.Tariff, v.CreatedAt)
	if store.Taken(err) {
		return fmt.Errorf("%s %w", v.Name, store.ErrTaken)
	}
	return err
}

// RemoveTotal removes a total with what it came to.
func RemoveTotal(ctx context.Context, db store.Writer, id int64) error {
	_, err := db.Exec(ctx, `delete from total where id = $1`, id)
	return err
}

// Resets lists the resets of a total, newest first.
func Resets(ctx context.Context, db store.Reader, id int64) ([]total.Reset, error) {
	list := []total.Reset{}
	err := db.Select(ctx, &list,
		`select id, at, who, note, undone_at from total_reset where total_id = $1 order by at desc, id desc`, id)
	return list, err
}

// AddReset stores a reset.
func AddReset(ctx context.Context, db store.Writer, id int64, r *total.Reset) error {
	return db.Get(ctx, &r.ID, `insert into total_reset (total_id, at, who, note) values ($1, $2, $3, $4) returning id`,
		id, r.At, r.Who, r.Note)
}

// UndoReset takes the newest reset of a total back; ErrNotFound when there is none.
func UndoReset(ctx context.Context, db store.Writer, id int64, now measure.Instant) (r total.Reset, err error) {
	err = db.Get(ctx, &r, `
		update total_reset set undone_at = $2
		    where id = (select id from total_reset where total_id = $1 and undone_at is null order by at desc, id desc
		    limit 1)
		returning id, at, who, note, undone_at`, id, now)
	return r, store.Found(err)
}

// Tariffs lists all tariffs by name.
func Tariffs(ctx context.Context, db store.Reader) ([]total.Tariff, error) {
	rows := []struct {
		Name     string         `db:"name"`
		Versions total.Versions `db:"versions"`
	}{}
	err := db.Select(ctx, &rows, `select name, versions from tariff order by name`)
	list := make([]total.Tariff, len(rows))
	for i, r := range rows {
		list[i] = total.Tariff{Name: r.Name, Versions: r.Versions}
	}
	return list, err
}

// SaveTariff stores a tariff, new or not, and notes as stale what was added up by it.
func SaveTariff(ctx context.Context, db store.Writer, v *total.Tariff, now measure.Instant) error {
	_, err := db.Exec(ctx,
		`insert into tariff (name, versions) values ($1, $2) on conflict (name) do update
			set versions = excluded.versions`, v.Name, total.Versions(v.Versions))
	if err != nil {
		return err
	}
	var signals []int64
	if err := db.Select(ctx, &signals, `select distinct signal_id from total where tariff = $1 order by 1`,
		v.Name); err != nil {
		return err
	}
	for _, signal := range signals {
		if err := NoteAllStale(ctx, db, signal, now); err != nil {
			return err
		}
	}
	return nil
}

// ErrInUse says that something is needed elsewhere.
var ErrInUse = fmt.Errorf("is in use")

// RemoveTariff removes a tariff that no total uses; ErrInUse when one does.
func RemoveTariff(ctx context.Context, db store.Writer, name string) error {
	var used bool
	if err := db.Get(ctx, &used, `select exists (select from total where tariff = $1)`, name); err != nil {
		return err
	}
	if used {
		return fmt.Errorf("tariff %s %w", name, ErrInUse)
	}
	var gone string
	return store.Found(db.Get(ctx, &gone, `delete from tariff where name = $1 returning name`, name))
}

// summing is a total with what adding it up needs.
type summing struct {
	id     int64
	resets []measure.Instant
	tariff *total.Tariff
}

// summings gives the totals of a signal.
func summings(ctx context.Context, db store.Reader, signal int64) ([]summing, error) {
	var rows []struct {
		ID       int64          `db:"id"`
		Tariff   *string        `db:"tariff"`
		Versions total.Versions `db:"versions"`
	}
	err := db.Select(ctx, &rows, `
		select t.id, t.tariff, coalesce(f.versions, '[]') as versions from total t left
		    join tariff f on f.name = t.tariff where t.signal_id = $1 order by t.id`, signal)
	if err != nil {
		return nil, err
	}
	all := make([]summing, len(rows))
	for i, r := range rows {
		all[i].id = r.ID
		if r.Tariff != nil {
			all[i].tariff = &total.Tariff{Name: *r.Tariff, Versions: r.Versions}
		}
		if err := db.Select(ctx, &all[i].resets,
			`select distinct at from total_reset where total_id = $1 and undone_at is null order by at`,
			r.ID); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// pieces gives the edges of the pieces that a stretch touches: local midnights and resets.
func (m *summing) pieces(of stretch, zone *time.Location) []measure.Instant {
	edges := total.Edges(total.ByDay, of.From, of.Until, zone)
	first, last := edges[0], edges[len(edges)-1]
	for _, at := range m.resets {
		if at > first && at < last {
			edges = append(edges, at)
		}
	}
	slices.Sort(edges)
	return slices.Compact(edges)
}

// add adds up the pieces that a stretch touches from the readings themselves.
func add(ctx context.Context, tx *store.Tx, signal int64, m *summing, of stretch,
	about past) ([]total.Tally, []measure.Instant, error) {
	edges := m.pieces(of, about.zone)
	if about.ReadingsFrom > 0 {
		edges = edgesFrom(edges, about.ReadingsFrom+about.Silence)
	}
	if len(edges) < 2 {
		return nil, nil, nil
	}
	begin, end := edges[0], edges[len(edges)-1]
	var cuts []total.Cut
	if m.tariff != nil {
		cuts = m.tariff.Cuts(begin, end, about.zone)
	}
	f := total.NewAggregator(edges, cuts, about.Silence)
	err := EachReading(ctx, tx, signal, begin-about.Silence, end+about.Silence,
		func(some []measure.Reading) error { f.Add(some); return nil })
	return f.Tallies(), edges, err
}

const tallyColumns = `at, until_at, known, left_out, on_for, starts, lead, trail, longest, last_on, amount, rates`

// retally adds up anew what a stretch of readings takes part in, for all totals of a signal, from what look sees.
func retally(ctx context.Context, db store.Writer, look *store.Tx, signal int64, of stretch, about past) error {
	all, err := summings(ctx, look, signal)
	if err != nil {
		return err
	}
	of.From, of.Until = of.From-about.Silence, of.Until+about.Silence
	for i := range all {
		tallies, edges, err := add(ctx, look, signal, &all[i], of, about)
		if err != nil {
			return err
		}
		if edges == nil {
			continue
		}
		if _, err := db.Exec(ctx, `delete from tally where total_id = $1 and at >= $2 and at < $3`, all[i].id, edges[0],
			edges[len(edges)-1]); err != nil {
			return err
		}
		for _, y := range tallies {
			_, err := db.Exec(ctx, `insert into tally (total_id, `+tallyColumns+
				`) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12::numeric, $13)`,
				all[i].id, y.At, y.Until, y.Known, y.LeftOut, y.On, y.Starts, y.Lead, y.Trail, y.Longest, y.LastOn,
				y.Amount, y.Rates)
			if err != nil {
				return err
			}
		}
	}
	return nil
}

// Asked is what a total is asked for: results between edges, which ascend.
type Asked struct {
	total.Total
	Currency string
	Edges    func(zone *time.Location) []measure.Instant
}

// Results gives what a total comes to, exact at any moment: what is kept is used where it holds, and added up
// from the readings where it does not, or not yet.
func Results(ctx context.Context, s *store.Store, asked Asked) ([]total.Result, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return nil, err
	}
	defer tx.Rollback()
	var signal struct {
		ID   int64           `db:"id"`
		Unit measure.Unit    `db:"unit"`
		At   measure.Instant `db:"at"`
	}
	err = tx.Get(ctx, &signal,
		`select s.id, s.unit, st.at from total t join signal s on s.id = t.signal_id
			join signal_state st on st.signal_id = s.id where t.id = $1`, asked.ID)
	if err != nil {
		return nil, store.Found(err)
	}
	about, err := readPast(ctx, tx, signal.ID)
	if err != nil {
		return nil, err
	}
	all, err := summings(ctx, tx, signal.ID)
	if err != nil {
		return nil, err
	}
	m := &all[slices.IndexFunc(all, func(m summing) bool { return m.id == asked.ID })]
	edges := asked.Edges(about.zone)
	_, last, err := within(ctx, tx, signal.ID, 0, endOfTime)
	if err != nil {
		return nil, err
	}
	first, err := firstTrue(ctx, tx, signal.ID)
	if err != nil {
		return nil, err
	}
	if first == 0 {
		last = 0
	}
	if signal.At > 0 {
		last = min(last, signal.At)
	}
	tallies, err := tallies(ctx, tx, signal.ID, m, stretch{total.MonthStart(edges[0], about.zone),
		edges[len(edges)-1] - 1}, about)
	if err != nil {
		return nil, err
	}
	from := total.Source{Unit: signal.Unit, First: first, Last: last, Zone: about.zone, Tariff: m.tariff,
		Currency: asked.Currency}
	return asked.Total.Results(tallies, edges, &from), nil
}

// tallies gives the pieces of a total that lie in a stretch of whole days.
func tallies(ctx context.Context, tx *store.Tx, signal int64, m *summing, of stretch,
	about past) (tallies []total.Tally, err error) {
	err = tx.Select(ctx, &tallies, `select `+tallyColumns+
		` from tally where total_id = $1 and at >= $2 and at <= $3 order by at`, m.id, of.From, of.Until)
	if err != nil {
		return nil, err
	}
	dirty, err := unsettled(ctx, tx, signal)
	if err != nil {
		return nil, err
	}
	_, newest, err := within(ctx, tx, signal, 0, endOfTime)
	if err != nil {
		return nil, err
	}
	for _, d := range merged(dirty, about.Silence) {
		if d.From, d.Until = max(d.From, of.From), min(d.Until, of.Until, newest); d.From > d.Until {
			continue
		}
		fresh, edges, err := add(ctx, tx, signal, m, d, about)
		if err != nil {
			return nil, err
		}
		if edges != nil {
			tallies = spliceTallies(tallies, fresh, edges[0], edges[len(edges)-1])
		}
	}
	return tallies, nil
}

// spliceTallies puts fresh pieces in place of those that begin from from and before until.
func spliceTallies(tallies, fresh []total.Tally, from, until measure.Instant) []total.Tally {
	begin, _ := slices.BinarySearchFunc(tallies, from,
		func(y total.Tally, at measure.Instant) int { return int(y.At - at) })
	end, _ := slices.BinarySearchFunc(tallies, until,
		func(y total.Tally, at measure.Instant) int { return int(y.At - at) })
	return slices.Concat(tallies[:begin], fresh, tallies[end:])
}

// UnitOf gives the unit of a signal, and the site's currency.
func UnitOf(ctx context.Context, db store.Reader, path string) (unit measure.Unit, currency string, err error) {
	err = db.QueryRow(ctx, `
		select s.unit, w.currency from signal s join device d on d.id = s.device_id cross join site w
		    where d.name || '/' || s.name = $1`, path).Scan(&unit, &currency)
	return unit, currency, store.Found(err)
}

// SumBetween gives what a total comes to between any two instants, added up from the readings themselves.
func SumBetween(ctx context.Context, s *store.Store, v *total.Total, from, until measure.Instant) (float64, error) {
	tx, err := s.Look(ctx)
	if err != nil {
		return 0, err
	}
	defer tx.Rollback()
	var signal struct {
		ID   int64        `db:"id"`
		Unit measure.Unit `db:"unit"`
	}
	if err := tx.Get(ctx, &signal,
		`select s.id, s.unit from total t join signal s on s.id = t.signal_id where t.id = $1`, v.ID); err != nil {
		return 0, store.Found(err)
	}
	about, err := readPast(ctx, tx, signal.ID)
	if err != nil {
		return 0, err
	}
	all, err := summings(ctx, tx, signal.ID)
	if err != nil {
		return 0, err
	}
	var tariff *total.Tariff
	for i := range all {
		if all[i].id == v.ID {
			tariff = all[i].tariff
		}
	}
	edges := []measure.Instant{from}
	for _, midnight := range total.Edges(total.ByDay, from, until, about.zone) {
		if midnight > from && midnight < until {
			edges = append(edges, midnight)
		}
	}
	edges = append(edges, until)
	var cuts []total.Cut
	if tariff != nil {
		cuts = tariff.Cuts(from, until, about.zone)
	}
	f := total.NewAggregator(edges, cuts, about.Silence)
	if err := EachReading(ctx, tx, signal.ID, from-about.Silence, until+about.Silence,
		func(some []measure.Reading) error { f.Add(some); return nil }); err != nil {
		return 0, err
	}
	return v.Over(f.Tallies(), &total.Source{Unit: signal.Unit, Zone: about.zone, Tariff: tariff}), nil
}
