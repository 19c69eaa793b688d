package alarm

// Ending says why an alarm is over.
type Ending string

// The endings.
const (
	EndBack      Ending = "back"      // what was wrong is back in order
	EndReset     Ending = "reset"     // it was back in order, and a person reset it
	EndUnwatched Ending = "unwatched" // nothing looks any more; what was wrong may still be
	EndChanged   Ending = "changed"   // what is asked was changed: by that, nothing is wrong
	EndDisproved Ending = "disproved" // readings that came late show that it never was
	EndDrill     Ending = "drill"     // nothing was wrong
)

// Ended says why a transition of the guard, with the reasons why it does not look, ended an alarm, and in words what
// ended it; no words where the value came back.
func (g *Guard) Ended(tr Transition, off Off) (Ending, string) {
	switch tr.Cause {
	case HoursChange, Arming:
		return EndUnwatched, g.offWords(off)
	case End:
		return EndUnwatched, "the guard was removed"
	case Begin:
		if off != 0 {
			return EndUnwatched, g.offWords(off)
		}
		return EndChanged, "the guard was changed"
	case Reset:
		return EndReset, "it was reset"
	case Disproved:
		return EndDisproved, "readings that came late disprove it"
	}
	return EndBack, ""
}

// offWords says the foremost of the reasons why the guard does not look.
func (g *Guard) offWords(off Off) string {
	if off&(OutOfUse|Suppressed) == Suppressed && g.Suppressed != "" {
		return "the guard is suppressed while " + g.Suppressed
	}
	return off.Words()
}

// Words are the ending as a state: "over", "no longer watched". What is not over is "raised".
func (e Ending) Words() string {
	switch e {
	case EndUnwatched:
		return "no longer watched"
	case EndChanged:
		return "no longer an alarm"
	case EndDisproved:
		return "withdrawn"
	}
	return "over"
}
