package alarm

import (
	"fmt"
	"math/rand/v2"
	"time"

	"jauntylark/core/measure"
	"jauntylark/core/wall"
)

// tick is the grid on which the model lives. All that happens in these tests happens on it.
const tick = 1000

// model is the second implementation of a guard: slow and obviously right. It lives through every tick from the first
// to the last and asks, at each, what the rules say there.
type model struct {
	g      *Guard
	now    measure.Instant
	seen   bool
	held   float64
	silent bool
	off    Off
	rungs  [MaxRungs]struct {
		standing             bool
		metSince, clearSince measure.Instant
	}
	sides [2]struct {
		level          int
		latched, acked bool
		going          bool
		extreme        float64
	}
	out   []Transition
	asked struct { // the armed hours of a minute
		of     *Guard
		minute measure.Instant
		off    Off
	}
}

const never = measure.Instant(-1 << 40)

func newModel(g *Guard) *model {
	m := &model{g: g}
	m.forgetDelays()
	return m
}

func (m *model) forgetDelays() {
	for i := range m.rungs {
		m.rungs[i].metSince, m.rungs[i].clearSince = never, never
	}
	for i := range m.sides {
		if side := &m.sides[i]; side.level == 0 && !side.latched {
			side.going, side.extreme = false, 0
		}
	}
}

// happen is one thing that happens at a tick.
type happen struct {
	at measure.Instant
	e  Event
	g  *Guard // of Begin
}

// live goes through all ticks until until.
func (m *model) live(readings []measure.Reading, silences []measure.Instant, acts []happen,
	until measure.Instant) []Transition {
	for m.now = tick; m.now <= until; m.now += tick {
		for len(readings) > 0 && readings[0].At == m.now {
			if m.held, m.silent = readings[0].Value, false; !m.seen {
				m.seen, m.off = true, m.off|m.hours(m.now)
			}
			readings = readings[1:]
		}
		for len(silences) > 0 && silences[0] == m.now {
			m.silent, silences = true, silences[1:]
		}
		if h := m.hours(m.now); m.seen && h != m.off&OutOfHours {
			m.arm(m.off&^OutOfHours | h)
		}
		m.look()
		for len(acts) > 0 && acts[0].at == m.now {
			m.act(acts[0])
			m.look()
			acts = acts[1:]
		}
		m.standStill()
	}
	return m.out
}

func (m *model) hours(at measure.Instant) Off {
	if m.g.calendar == nil {
		return 0
	}
	if minute := at / 60_000; m.asked.of != m.g || m.asked.minute != minute {
		m.asked.of, m.asked.minute, m.asked.off = m.g, minute, OutOfHours
		if m.g.calendar.At(at) {
			m.asked.off = 0
		}
	}
	return m.asked.off
}

func (m *model) arm(off Off) {
	if (m.off == 0) != (off == 0) {
		m.forgetDelays()
		for i := range m.rungs {
			m.rungs[i].standing = false
		}
	}
	m.off = off
	m.compare()
}

func (m *model) act(h happen) {
	side := &m.sides[h.e.Side]
	switch h.e.Kind {
	case Acknowledge:
		if (side.level > 0 || side.latched) && !side.acked {
			side.acked = true
			m.say(Acknowledged, h.e.Side, side.level)
		}
	case Reset:
		if side.latched {
			side.latched, side.acked, side.going = false, false, false
			m.say(Cleared, h.e.Side, 0)
		}
	case Arming:
		m.arm(m.off&OutOfHours | h.e.Off)
	case Begin:
		m.g = h.g
		m.off = h.e.Off | m.hours(m.now)
		m.forgetDelays()
		for slot := range m.rungs {
			m.rungs[slot].standing = m.off == 0 && m.sides[slot/2].level > slot%2 && m.g.inSlot(slot) != nil
		}
		for i := range m.sides {
			if side := &m.sides[i]; side.latched && !m.g.Latch {
				side.latched, side.acked, side.going = false, false, false
				m.say(Cleared, Side(i), 0)
			}
		}
		m.compare()
	}
}

// look asks of each rung what the held value says of it, and whether that has been so for long enough.
func (m *model) look() {
	if m.observe(); !m.seen || m.off != 0 {
		return
	}
	m.settle()
}

func (m *model) observe() {
	if !m.seen || m.off != 0 {
		return
	}
	for slot := range m.rungs {
		r, rung := &m.rungs[slot], m.g.inSlot(slot)
		if rung == nil {
			continue
		}
		since := func(mark *measure.Instant, is bool) {
			if !is {
				*mark = never
			} else if *mark == never {
				*mark = m.now
			}
		}
		since(&r.metSince, rung.When.Met(m.held))
		since(&r.clearSince, rung.Clear(m.held))
		// what stands further out stands here too
		r.standing = r.standing || r.metSince != never && m.rungs[slot|1].standing
		side := &m.sides[slot/2]
		if r.standing || r.metSince != never {
			if !side.going || rung.When.Further(m.held, side.extreme) {
				side.extreme = m.held
			}
			side.going = true
		}
	}
	for i := range m.sides {
		if side := &m.sides[i]; side.level == 0 && !side.latched && m.rungs[i*2].metSince == never &&
			m.rungs[i*2+1].metSince == never {
			side.going, side.extreme = false, 0
		}
	}
}

func (m *model) settle() {
	for slot := range m.rungs {
		r, rung := &m.rungs[slot], m.g.inSlot(slot)
		switch { // an inner rung is looked at first, so it cannot be over at the tick at which the outer one begins
		case rung == nil:
		case !r.standing && r.metSince != never && m.now.Sub(r.metSince) >= time.Duration(rung.OnDelay) &&
			!(m.silent && rung.OnDelay > 0):
			r.standing = true
			m.rungs[slot&^1].standing = true // what stands further out stands here too
		case r.standing && r.clearSince != never && m.now.Sub(r.clearSince) >= time.Duration(rung.OffDelay) &&
			!(m.silent && rung.OffDelay > 0):
			r.standing = false
			r.metSince = never
		}
	}
	m.compare()
}

// standStill lets delays stand still for a tick of silence.
func (m *model) standStill() {
	for slot := range m.rungs {
		if r := &m.rungs[slot]; m.silent {
			if r.metSince != never {
				r.metSince += tick
			}
			if r.clearSince != never {
				r.clearSince += tick
			}
		}
	}
}

// compare says what became of the alarm of each side.
func (m *model) compare() {
	for i := range m.sides {
		side, level := &m.sides[i], 0
		if m.rungs[i*2].standing {
			level = 1
		}
		if m.rungs[i*2+1].standing {
			level = 2
		}
		before := side.level
		if side.level = level; level == before {
			continue
		}
		switch {
		case before == 0 && side.latched:
			side.latched, side.acked = false, false
			m.say(Recurred, Side(i), level)
		case before == 0:
			side.acked = false
			m.say(Raised, Side(i), level)
		case level == 0 && m.g.Latch:
			side.latched = true
			m.say(Latched, Side(i), before)
		case level == 0:
			m.say(Cleared, Side(i), before)
			side.acked, side.going, side.extreme = false, false, 0
		case level > before:
			if m.g.inSlot(i*2 + 1).Severity.Above(m.g.inSlot(i * 2).Severity) {
				side.acked = false
			}
			m.say(Worsened, Side(i), level)
		default:
			m.say(Eased, Side(i), level)
		}
	}
}

func (m *model) say(kind TransitionKind, side Side, level int) {
	m.out = append(m.out, Transition{Kind: kind, Side: side, Level: uint8(level), At: m.now, Value: m.held,
		Extreme: m.sides[side].extreme})
}

func randomRung(r *rand.Rand, kind Kind) Rung {
	delay := func() measure.Duration { return measure.Duration(r.IntN(4)*r.IntN(12)) * measure.Duration(tick*1e6) }
	rung := Rung{Severity: Warning, OnDelay: delay(), OffDelay: delay(), When: Test{Kind: kind, A: float64(r.IntN(7))}}
	switch {
	case kind == Outside || kind == Inside:
		rung.When.B = rung.When.A + float64(4+r.IntN(4))
	case kind > Inside:
		rung.When.A = 0
	}
	if rung.When.Measured() {
		rung.Deadband = float64(r.IntN(5)) / 2
	}
	return rung
}

func randomGuard(r *rand.Rand) *Guard {
	g := &Guard{Rung: randomRung(r, Kind(1+r.IntN(int(IsOff)))), Latch: r.IntN(4) == 0}
	if r.IntN(2) == 0 { // a ladder
		severities := []Severity{Advisory, Warning, Critical}
		limit, side := float64(1+r.IntN(3)), r.IntN(3)
		add := func(kind Kind, a float64, rank int) {
			rung := randomRung(r, kind)
			rung.When.A, rung.Severity = a, severities[rank]
			g.Rungs = append(g.Rungs, rung)
		}
		if side != 0 {
			add(Kind(3+r.IntN(2)), limit, r.IntN(2))
			if r.IntN(2) == 0 {
				add(Kind(3+r.IntN(2)), limit-float64(1+r.IntN(2)), 1+r.IntN(2))
			}
		}
		if side != 1 || len(g.Rungs) == 0 {
			high := limit + 1 + float64(r.IntN(3))
			add(Kind(1+r.IntN(2)), high, r.IntN(2))
			if r.IntN(2) == 0 {
				add(Kind(1+r.IntN(2)), high+float64(1+r.IntN(3)), 1+r.IntN(2))
			}
		}
		g.Rung, g.Rungs = g.Rungs[0], g.Rungs[1:]
		g.order()
	}
	if r.IntN(4) == 0 {
		from := r.IntN(12)
		until := from + 1 + r.IntN(6)
		calendar, err := wall.NewCalendar(fmt.Sprintf("daily 00:%02d-00:%02d", from, until), time.UTC, nil)
		if err != nil {
			panic(err)
		}
		g.In(calendar)
	}
	return g
}

func randomReadings(r *rand.Rand, until measure.Instant) []measure.Reading {
	readings := make([]measure.Reading, r.IntN(60))
	at, value := measure.Instant(0), float64(r.IntN(12))
	for i := range readings {
		at += tick * measure.Instant(1+r.IntN(1+r.IntN(15)))
		if r.IntN(3) > 0 {
			value = float64(r.IntN(12))
		}
		readings[i] = measure.Reading{At: at, Value: value}
	}
	for len(readings) > 0 && readings[len(readings)-1].At > until {
		readings = readings[:len(readings)-1]
	}
	return readings
}

// randomSilences are instants between readings.
func randomSilences(r *rand.Rand, readings []measure.Reading) (silences []measure.Instant) {
	for i := 1; i < len(readings); i++ {
		if gap := int(readings[i].At-readings[i-1].At) / tick; gap > 1 && r.IntN(5) == 0 {
			silences = append(silences, readings[i-1].At+tick*measure.Instant(1+r.IntN(gap-1)))
		}
	}
	return silences
}

func randomActs(r *rand.Rand, silences []measure.Instant, until measure.Instant) (acts []happen) {
	taken := map[measure.Instant]bool{}
	for _, at := range silences {
		taken[at] = true
	}
	at := measure.Instant(0)
	for range r.IntN(8) {
		if at += tick * measure.Instant(1+r.IntN(100)); at > until || taken[at] {
			continue
		}
		h := happen{at: at, e: Event{At: at, Side: Side(r.IntN(2))}}
		switch r.IntN(5) {
		case 0:
			h.e.Kind, h.g = Begin, randomGuard(r)
			if r.IntN(4) == 0 {
				h.e.Off = OutOfUse
			}
		case 1:
			h.e.Kind, h.e.Off = Arming, Off(r.IntN(3))<<1
		case 2:
			h.e.Kind = Acknowledge
		default:
			h.e.Kind = Reset
		}
		acts = append(acts, h)
	}
	return acts
}
