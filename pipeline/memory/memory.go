package memory

import "jauntylark/pipeline/commit"

// Memory is what one process knows of the site.
type Memory struct {
	site *Site // nil: it must be loaded
	turn *Turn // the one that works on it
}

// Begin brings what is known up to the commit before a turn.
func (m *Memory) Begin(c *commit.Turn) (*Turn, error) {
	switch l := m.site; {
	case l == nil || l.configNo != c.ConfigNo || c.Leap != 0 || c.Moved != 0:
		m.site = nil
		l, err := Load(c.Ctx, c.Tx)
		if err != nil {
			return nil, err
		}
		l.configNo = c.ConfigNo
		m.site = l
	case l.commitNo != c.CommitNo-1:
		m.site = nil
		if err := l.refresh(c.Ctx, c.Tx, l.commitNo); err != nil {
			return nil, err
		}
		m.site = l
	}
	m.site.commitNo = c.CommitNo - 1
	m.turn = &Turn{Turn: c, Site: m.site}
	return m.turn, nil
}

// Ended keeps what the turn has changed, or forgets it.
func (m *Memory) Ended(committed bool) {
	switch {
	case !committed && m.turn.Touched, m.turn.configChanged:
		m.Forget()
	case committed:
		m.turn.Site.commitNo = m.turn.CommitNo
	}
}

// Forget has all loaded anew by the next turn.
func (m *Memory) Forget() { m.site = nil }
