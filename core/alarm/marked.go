package alarm

// Marked tells how many of the past alarms that people marked a replay would have raised too.
type Marked struct {
	Real      int `json:"real"`
	RealOf    int `json:"real_of"`
	Useful    int `json:"useful"`
	UsefulOf  int `json:"useful_of"`
	False     int `json:"false"`
	FalseOf   int `json:"false_of"`
	NotRaised int `json:"not_raised" doc:"of its alarms, those that were never raised"`
}

// Meet compares the alarms of a replay with those of the past that people have marked: they meet where they stand at
// the same time on the same side.
func Meet(would []Occurrence, past []Alarm) *Marked {
	m := &Marked{}
	meets := func(o *Occurrence, a *Alarm) bool {
		return o.Side == a.Side && (a.ClearedAt == nil || o.RaisedAt <= *a.ClearedAt) && (o.ClearedAt == nil || a.RaisedAt <= *o.ClearedAt)
	}
	for i := range past {
		a, met := &past[i], 0
		for j := range would {
			if meets(&would[j], a) {
				met = 1
				break
			}
		}
		switch a.Mark {
		case MarkReal:
			m.Real, m.RealOf = m.Real+met, m.RealOf+1
		case MarkUseful:
			m.Useful, m.UsefulOf = m.Useful+met, m.UsefulOf+1
		case MarkFalse:
			m.False, m.FalseOf = m.False+met, m.FalseOf+1
		}
	}
	for j := range would {
		found := false
		for i := range past {
			found = found || meets(&would[j], &past[i])
		}
		if !found {
			m.NotRaised++
		}
	}
	return m
}
