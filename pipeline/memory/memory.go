package memory

import (
	"jauntylark/pipeline/commit"
	"jauntylark/store"
)

// Memory is what one process knows of the site.
type Memory struct {
	site *Site // nil: it must be loaded
	turn *Turn // the one that works on it

	undone []store.Change // what turns that failed had changed
}

// Begin brings what is known up to the commit before a turn.
func (m *Memory) Begin(c *commit.Turn) (*Turn, error) {
	l := m.site
	m.site = nil
	err := error(nil)
	if l != nil {
		l, err = l.follow(c, m.undone)
	}
	m.undone = nil
	if err == nil && l == nil {
		l, err = Load(c.Ctx, c.Tx)
	}
	if err != nil {
		return nil, err
	}
	l.configNo, l.commitNo = c.ConfigNo, c.CommitNo-1
	m.site = l
	m.turn = &Turn{Turn: c, Site: l}
	return m.turn, nil
}

// follow takes in what other commits have changed, this process's own changes of the configuration, and what is not so
// after all; nil: all is to be loaded.
func (l *Site) follow(c *commit.Turn, undone []store.Change) (*Site, error) {
	if c.Leap != 0 || c.Moved != 0 {
		return nil, nil
	}
	loading, changes := loader{l, c.Ctx, c.Tx}, undone
	if l.configNo != c.ConfigNo {
		announced, err := store.ConfigSince(c.Ctx, c.Tx, l.configNo, c.ConfigNo)
		if err != nil {
			return nil, err
		}
		changes = append(changes, announced...)
	}
	for _, change := range changes {
		if change.Scope == store.OfAll {
			return nil, nil
		}
	}
	if err := loading.renew(changes); err != nil {
		return nil, err
	}
	if l.commitNo != c.CommitNo-1 {
		if err := loading.refresh(l.commitNo); err != nil {
			return nil, err
		}
	}
	return l, nil
}

// Ended keeps what the turn has changed. Where it failed, the next turn takes that anew.
func (m *Memory) Ended(committed bool) {
	if committed {
		m.turn.Site.commitNo = m.turn.CommitNo
		return
	}
	m.turn.Site.Driving = nil
	m.undone = append(m.undone, m.turn.touched()...)
}

// Forget has all loaded anew by the next turn.
func (m *Memory) Forget() { m.site = nil }
