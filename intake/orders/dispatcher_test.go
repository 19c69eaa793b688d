package orders

import (
	"log/slog"
	"testing"
	"testing/synctest"
	"time"

	"jauntylark/core/drive"
	"jauntylark/core/measure"
)

const minute = measure.Duration(time.Minute)

func now() measure.Instant { return measure.InstantOf(time.Now()) }

func dispatcher() *Dispatcher { return New(nil, now, slog.New(slog.DiscardHandler)) }

func fan(no int64, ordered drive.Value) drive.Output {
	return drive.Output{ID: 1, Device: "shed", Name: "fan", Spec: drive.Spec{Kind: "switch", Expires: minute},
		State: drive.State{Ordered: ordered, No: no}}
}

// rounds lets so long pass while the database answers, looking as often as Run does, and tells when each round began.
func rounds(d *Dispatcher, long time.Duration) (at []time.Duration) {
	begun, last := time.Now(), d.all[1].Round
	for time.Since(begun) < long {
		time.Sleep(tick)
		d.looked = time.Now()
		d.renew()
		if r := d.all[1].Round; r != last {
			at, last = append(at, time.Since(begun)), r
		}
	}
	return at
}

// An order is told again, ever more seldom, until the device confirms it; then it is renewed well before it expires.
func TestAnOrderIsRepeatedUntilItIsConfirmed(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := dispatcher()
		d.Tell([]drive.Output{fan(1, "on")})
		if b, _, _ := d.Look(); b["shed"]["fan"].Round != 1 || b["shed"]["fan"].Ordered != "on" {
			t.Fatalf("told at once: %+v", b)
		}
		same(t, rounds(d, 60*time.Second), 2*time.Second, 6*time.Second, 14*time.Second, 30*time.Second, 50*time.Second)
		confirmed, at := drive.Value("on"), now()
		o := fan(1, "on")
		o.Confirmed, o.ConfirmedAt = &confirmed, &at
		d.Tell([]drive.Output{o})
		// a third of what it holds for
		same(t, rounds(d, 65*time.Second), 10*time.Second, 30*time.Second, 50*time.Second)
	})
}

func same(t *testing.T, got []time.Duration, want ...time.Duration) {
	t.Helper()
	for i := range max(len(got), len(want)) {
		if i >= len(got) || i >= len(want) || got[i] != want[i] {
			t.Fatalf("rounds began at %v, want %v", got, want)
		}
	}
}

// What an older commit ordered, and is read late, changes nothing; the same order told twice is one round.
func TestOlderOrdersChangeNothing(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := dispatcher()
		d.Tell([]drive.Output{fan(2, "on")})
		d.Tell([]drive.Output{fan(1, "off")})
		d.Tell([]drive.Output{fan(2, "on")})
		if b, _, _ := d.Look(); b["shed"]["fan"].Ordered != "on" || b["shed"]["fan"].Round != 1 {
			t.Errorf("%+v", b["shed"]["fan"])
		}
		d.Tell([]drive.Output{fan(3, "off")})
		if b, _, _ := d.Look(); b["shed"]["fan"].Ordered != "off" || b["shed"]["fan"].Round != 2 {
			t.Errorf("%+v", b["shed"]["fan"])
		}
	})
}

// While nobody could decide anything, nothing is told again, so that devices go to their safe states by themselves.
func TestNothingIsRenewedBlindly(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := dispatcher()
		d.Tell([]drive.Output{fan(1, "on")})
		_ = rounds(d, time.Second)
		for range 600 {
			time.Sleep(tick)
			d.renew()
		}
		b, fresh, _ := d.Look()
		if b["shed"]["fan"].Round > 2 || fresh {
			t.Errorf("two minutes without the database: round %d, fresh %v", b["shed"]["fan"].Round, fresh)
		}
		before := b["shed"]["fan"].Round
		if got := rounds(d, time.Second); len(got) != 1 || got[0] != tick {
			t.Errorf("after round %d it is told again at %v; the database is back", before, got)
		}
		if _, fresh, _ := d.Look(); !fresh {
			t.Error("it does not say that it is sure again")
		}
	})
}

// Who waits for orders is woken by each that is new, and by nothing else.
func TestWaitersAreWoken(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		d := dispatcher()
		_, _, changed := d.Look()
		d.renew()
		select {
		case <-changed:
			t.Error("woken although nothing was ordered")
		default:
		}
		d.Tell([]drive.Output{fan(1, "on")})
		select {
		case <-changed:
		default:
			t.Error("not woken by an order")
		}
	})
}
