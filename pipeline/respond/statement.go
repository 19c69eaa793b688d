package respond

import (
	"context"
	"fmt"
	"slices"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/roster"
	"jauntylark/core/site"
	"jauntylark/core/statement"
	"jauntylark/core/total"
	"jauntylark/pipeline"
	"jauntylark/pipeline/configure"
	"jauntylark/pipeline/evidence"
	"jauntylark/pipeline/reading"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/timeseries"
)

// SaveStatement stores a statement, or changes the one of that name.
func SaveStatement(ctx context.Context, p *pipeline.Pipeline, s *statement.Statement, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		if err := s.Check(); err != nil {
			return err
		}
		if s.Tell == nil {
			s.Tell = []string{}
		}
		if s.Totals == nil {
			s.Totals = []string{}
		}
		if err := t.Site.CheckTell("tell", s.Tell); err != nil {
			return err
		}
		for _, name := range s.Totals {
			if _, err := timeseries.Total(t.Ctx, t.Tx, name); err != nil {
				return &measure.Fault{Field: "totals", Reason: "there is no total " + name}
			}
		}
		kind, old := "statement added", t.Site.Statements[s.Name]
		if s.ID, s.MadeAt, s.SentFor = 0, t.Now, nil; old != nil {
			kind, s.ID, s.MadeAt, s.SentFor = "statement changed", old.ID, old.MadeAt, old.SentFor
		}
		s.DueAt = nil
		if len(s.Tell) > 0 {
			due := s.NextDue(t.Now, t.Site.Settings.Location())
			s.DueAt = &due
		}
		if err := config.SaveStatement(t.Ctx, t.Tx, s); err != nil {
			return err
		}
		if err := t.Enter(kind, s.Name, who, fmt.Sprintf("Statement %s: %s of each %s, told at %s", s.Called(), s.Kind,
			s.Every, s.At)); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPeople})
		return nil
	})
}

func statementNamed(t *reading.Turn, name string) (*statement.Statement, error) {
	if s := t.Site.Statements[name]; s != nil {
		return s, nil
	}
	var names []string
	for other := range t.Site.Statements {
		names = append(names, other)
	}
	slices.Sort(names)
	return nil, fmt.Errorf("%s: %w", site.Unknown("statement", name, names), store.ErrNotFound)
}

// RemoveStatement removes a statement.
func RemoveStatement(ctx context.Context, p *pipeline.Pipeline, name, who string) error {
	return p.Do(ctx, func(t *reading.Turn) error {
		s, err := statementNamed(t, name)
		if err != nil {
			return err
		}
		if err := configure.KeepRemoved(t, "statement", name, s.Title, who, "statement", "id", s.ID); err != nil {
			return err
		}
		if err := config.RemoveStatement(t.Ctx, t.Tx, s.ID); err != nil {
			return err
		}
		if err := t.Enter("statement removed", name, who, "Statement "+s.Called()+" was removed"); err != nil {
			return err
		}
		t.ConfigChanged(store.Change{Scope: store.OfPeople})
		return nil
	})
}

// SendStatement sends the statement of a period now, to those whom it is for or, when names are given, to these. It
// tells how many notices were planned.
func SendStatement(ctx context.Context, p *pipeline.Pipeline, name string, period statement.Period, names []string,
	who string) (sent int, err error) {
	err = p.Do(ctx, func(t *reading.Turn) error {
		s, err := statementNamed(t, name)
		if err != nil {
			return err
		}
		tell := s.Tell
		if len(names) > 0 {
			if err := t.Site.CheckTell("to", names); err != nil {
				return err
			}
			tell = names
		}
		if sent, err = planStatement(t, s, period, tell); err != nil {
			return err
		}
		if sent == 0 {
			return &measure.Fault{Field: "to", Reason: "nobody of them has an address but for calls"}
		}
		return t.Enter("statement sent", name, who, fmt.Sprintf("%s sent the statement %s of %s", who, s.Called(),
			s.Words(period, t.Site.Settings.Location())))
	})
	return sent, err
}

// planStatement puts a statement into the outbox; its sheet is made when it is sent. It goes by all carriers but a
// call.
func planStatement(t *reading.Turn, s *statement.Statement, period statement.Period, names []string) (int, error) {
	readers := slices.DeleteFunc(roster.Distinct(t.Readers(names)), func(r roster.Recipient) bool {
		return r.Carrier == roster.Voice
	})
	zone := t.Site.Settings.Location()
	words := roster.Message{Short: s.Called() + ": " + s.Words(period, zone), Long: s.Called() + " of " +
		s.Words(period, zone) + "\n"}
	return len(readers), t.Send(roster.Statement, words, readers, func(n *roster.Notice) {
		n.Route.Statement, n.Route.Period = s.Name, period.From
	})
}

// SendStatements sends what is due. After an outage the newest period is sent, once; those before it are not made up
// for.
func SendStatements(t *reading.Turn, ids []int64) error {
	due, err := config.StatementsDue(t.Ctx, t.Tx, t.Now)
	if err != nil {
		return err
	}
	zone := t.Site.Settings.Location()
	for _, s := range due {
		if !slices.Contains(ids, s.ID) {
			continue
		}
		period := s.Last(t.Now, zone)
		if s.Due(period.From, zone) > t.Now { // the clock or the zone was set back
			period = s.Before(period, zone)
		}
		if s.SentFor == nil || *s.SentFor < period.From {
			if _, err := planStatement(t, &s, period, s.Tell); err != nil {
				return fmt.Errorf("statement %s: %w", s.Name, err)
			}
			s.SentFor = &period.From
		}
		next := s.NextDue(t.Now, zone)
		s.DueAt = &next
		if err := config.SaveStatement(t.Ctx, t.Tx, &s); err != nil {
			return err
		}
		t.ConfigTaken(store.Change{Scope: store.OfPeople})
		if known := t.Site.Statements[s.Name]; known != nil {
			*known = s
		}
	}
	return nil
}

// DueStatements gives the statements that are to be sent now.
func DueStatements(t *reading.Turn) (ids []int64, err error) {
	due, err := config.StatementsDue(t.Ctx, t.Tx, t.Now)
	for i := range due {
		ids = append(ids, due[i].ID)
	}
	return ids, err
}

func rezoneStatements(t *reading.Turn, from, to *time.Location) error {
	for _, s := range t.Site.Statements {
		s.Rezone(t.Now, from, to)
		if err := config.SaveStatement(t.Ctx, t.Tx, s); err != nil {
			return err
		}
	}
	return nil
}

// Sheet makes what a statement says of a period.
func Sheet(ctx context.Context, p *pipeline.Pipeline, s *statement.Statement,
	period statement.Period) (statement.Sheet, error) {
	here, err := config.Site(ctx, p.Store)
	if err != nil {
		return statement.Sheet{}, err
	}
	zone, at := here.Location(), p.Now()
	before, _ := s.Compared(period, at, zone)
	if s.Kind == statement.Alarms {
		from, until := period.Stretch()
		now, err := evidence.HealthOf(ctx, p, from, until)
		if err != nil {
			return statement.Sheet{}, err
		}
		from, until = before.Stretch()
		old, err := evidence.HealthOf(ctx, p, from, until)
		return statement.OfAlarms(s, here, period, at, now, old), err
	}
	all, err := came(ctx, p, s, period, before, here)
	if s.Kind == statement.Energy {
		return statement.OfEnergy(s, here, period, at, all), err
	}
	return statement.OfTotals(s, here, period, at, all), err
}

// came gives what the totals of a statement came to in a period, and in what it is compared with.
func came(ctx context.Context, p *pipeline.Pipeline, s *statement.Statement, period, before statement.Period,
	here site.Site) (all []statement.Came, err error) {
	totals, err := timeseries.Totals(ctx, p.Store)
	if err != nil {
		return nil, err
	}
	for _, t := range totals {
		energy := t.Kind == total.Energy || t.Kind == total.Cost
		if len(s.Totals) > 0 && !slices.Contains(s.Totals, t.Name) || s.Kind == statement.Energy && !energy {
			continue
		}
		unit, currency, err := timeseries.UnitOf(ctx, p.Store, t.Signal)
		if err != nil {
			return nil, err
		}
		t.Unit = t.OutUnit(unit, currency)
		results := func(edges ...measure.Instant) ([]total.Result, error) {
			return timeseries.Results(ctx, p.Store, timeseries.Asked{Total: t, Currency: here.Currency,
				Edges: func(*time.Location) []measure.Instant { return edges }})
		}
		two, err := results(slices.Compact([]measure.Instant{before.From, max(before.Until, before.From+1), period.From,
			period.Until})...)
		if err != nil {
			return nil, err
		}
		days, err := results(total.Edges(total.ByDay, period.From, period.Until-1, here.Location())...)
		if err != nil {
			return nil, err
		}
		all = append(all, statement.Came{Total: t, Before: two[0], Now: two[len(two)-1], Days: days})
	}
	return all, nil
}
