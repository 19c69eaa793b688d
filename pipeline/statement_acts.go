package pipeline

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
	"jauntylark/store"
)

// SaveStatement stores a statement, or changes the one of that name.
func (p *Pipeline) SaveStatement(ctx context.Context, s *statement.Statement, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		if err := s.Check(); err != nil {
			return err
		}
		if s.Tell == nil {
			s.Tell = []string{}
		}
		if s.Totals == nil {
			s.Totals = []string{}
		}
		if err := t.checkTell("tell", s.Tell); err != nil {
			return err
		}
		for _, name := range s.Totals {
			if _, err := t.Tx.Total(t.ctx, name); err != nil {
				return &measure.Fault{Field: "totals", Reason: "there is no total " + name}
			}
		}
		kind, old := "statement added", t.live.statements[s.Name]
		if s.ID, s.MadeAt, s.SentFor = 0, t.Now, nil; old != nil {
			kind, s.ID, s.MadeAt, s.SentFor = "statement changed", old.ID, old.MadeAt, old.SentFor
		}
		s.DueAt = nil
		if len(s.Tell) > 0 {
			due := s.NextDue(t.Now, t.live.site.Location())
			s.DueAt = &due
		}
		if err := t.Tx.SaveStatement(t.ctx, s); err != nil {
			return err
		}
		if err := t.Enter(kind, s.Name, who, fmt.Sprintf("Statement %s: %s of each %s, told at %s", s.Called(), s.Kind, s.Every, s.At)); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

func (t *Turn) statementNamed(name string) (*statement.Statement, error) {
	if s := t.live.statements[name]; s != nil {
		return s, nil
	}
	var names []string
	for other := range t.live.statements {
		names = append(names, other)
	}
	slices.Sort(names)
	return nil, fmt.Errorf("%s: %w", site.Unknown("statement", name, names), store.ErrNotFound)
}

// RemoveStatement removes a statement.
func (p *Pipeline) RemoveStatement(ctx context.Context, name, who string) error {
	return p.Do(ctx, func(t *Turn) error {
		s, err := t.statementNamed(name)
		if err != nil {
			return err
		}
		if err := t.KeepRemoved("statement", name, s.Title, who, "statement", "id", s.ID); err != nil {
			return err
		}
		if err := t.Tx.RemoveStatement(t.ctx, s.ID); err != nil {
			return err
		}
		if err := t.Enter("statement removed", name, who, "Statement "+s.Called()+" was removed"); err != nil {
			return err
		}
		return t.ConfigChanged()
	})
}

// SendStatement sends the statement of a period now, to those whom it is for or, when names are given, to these. It tells how
// many notices were planned.
func (p *Pipeline) SendStatement(ctx context.Context, name string, period statement.Period, names []string, who string) (sent int, err error) {
	err = p.Do(ctx, func(t *Turn) error {
		s, err := t.statementNamed(name)
		if err != nil {
			return err
		}
		tell := s.Tell
		if len(names) > 0 {
			if err := t.checkTell("to", names); err != nil {
				return err
			}
			tell = names
		}
		if sent, err = t.planStatement(s, period, tell); err != nil {
			return err
		}
		if sent == 0 {
			return &measure.Fault{Field: "to", Reason: "nobody of them has an address but for calls"}
		}
		return t.Enter("statement sent", name, who, fmt.Sprintf("%s sent the statement %s of %s", who, s.Called(), s.Words(period, t.live.site.Location())))
	})
	return sent, err
}

// planStatement puts a statement into the outbox; its sheet is made when it is sent. It goes by all carriers but a call.
func (t *Turn) planStatement(s *statement.Statement, period statement.Period, names []string) (int, error) {
	readers := slices.DeleteFunc(roster.Distinct(t.plainReaders(names)), func(r roster.Reader) bool {
		return r.Carrier == roster.Voice
	})
	zone := t.live.site.Location()
	words := roster.Message{Short: s.Called() + ": " + s.Words(period, zone), Long: s.Called() + " of " + s.Words(period, zone) + "\n"}
	return len(readers), t.send(roster.Statement, words, readers, func(n *roster.Notice) { n.Route.Statement, n.Route.Period = s.Name, period.From })
}

// sendStatements sends what is due. After an outage the newest period is sent, once; those before it are not made up for.
func (t *Turn) sendStatements(ids []int64) error {
	due, err := t.Tx.StatementsDue(t.ctx, t.Now)
	if err != nil {
		return err
	}
	zone := t.live.site.Location()
	for _, s := range due {
		if !slices.Contains(ids, s.ID) {
			continue
		}
		period := s.Last(t.Now, zone)
		if s.Due(period.From, zone) > t.Now { // the clock or the zone was set back
			period = s.Before(period, zone)
		}
		if s.SentFor == nil || *s.SentFor < period.From {
			if _, err := t.planStatement(&s, period, s.Tell); err != nil {
				return fmt.Errorf("statement %s: %w", s.Name, err)
			}
			s.SentFor = &period.From
		}
		next := s.NextDue(t.Now, zone)
		s.DueAt = &next
		if err := t.Tx.SaveStatement(t.ctx, &s); err != nil {
			return err
		}
		if known := t.live.statements[s.Name]; known != nil {
			t.touched = true
			*known = s
		}
	}
	return nil
}

// dueStatements gives the statements that are to be sent now.
func (t *Turn) dueStatements() (ids []int64, err error) {
	due, err := t.Tx.StatementsDue(t.ctx, t.Now)
	for i := range due {
		ids = append(ids, due[i].ID)
	}
	return ids, err
}

func (t *Turn) rezoneStatements(from, to *time.Location) error {
	for _, s := range t.live.statements {
		s.Rezone(t.Now, from, to)
		if err := t.Tx.SaveStatement(t.ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// Sheet makes what a statement says of a period.
func (p *Pipeline) Sheet(ctx context.Context, s *statement.Statement, period statement.Period) (statement.Sheet, error) {
	here, err := p.store.Site(ctx)
	if err != nil {
		return statement.Sheet{}, err
	}
	zone, at := here.Location(), p.Now()
	before, _ := s.Compared(period, at, zone)
	if s.Kind == statement.Alarms {
		from, until := period.Stretch()
		now, err := p.HealthOf(ctx, from, until)
		if err != nil {
			return statement.Sheet{}, err
		}
		from, until = before.Stretch()
		old, err := p.HealthOf(ctx, from, until)
		return statement.OfAlarms(s, here, period, at, now, old), err
	}
	all, err := p.came(ctx, s, period, before, here)
	if s.Kind == statement.Energy {
		return statement.OfEnergy(s, here, period, at, all), err
	}
	return statement.OfTotals(s, here, period, at, all), err
}

// came gives what the totals of a statement came to in a period, and in what it is compared with.
func (p *Pipeline) came(ctx context.Context, s *statement.Statement, period, before statement.Period, here site.Site) (all []statement.Came, err error) {
	totals, err := p.store.Totals(ctx)
	if err != nil {
		return nil, err
	}
	for _, t := range totals {
		energy := t.Kind == total.Energy || t.Kind == total.Cost
		if len(s.Totals) > 0 && !slices.Contains(s.Totals, t.Name) || s.Kind == statement.Energy && !energy {
			continue
		}
		unit, currency, err := p.store.UnitOf(ctx, t.Signal)
		if err != nil {
			return nil, err
		}
		t.Unit = t.OutUnit(unit, currency)
		results := func(edges ...measure.Instant) ([]total.Result, error) {
			return p.store.Results(ctx, store.Asked{Total: t, Currency: here.Currency, Edges: func(*time.Location) []measure.Instant { return edges }})
		}
		two, err := results(slices.Compact([]measure.Instant{before.From, max(before.Until, before.From+1), period.From, period.Until})...)
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
