package admission

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"golang.org/x/time/rate"
)

func limitOf(r Rate, slots int) *limit {
	return &limit{messages: rate.NewLimiter(rate.Limit(r.Messages), r.Messages*Burst),
		readings: rate.NewLimiter(rate.Limit(r.Readings), r.Readings*Burst), slots: make(chan struct{}, slots),
		what: "so many"}
}

// A device may send a burst after a pause; then it is told when to come again, and what was refused uses nothing up.
func TestADeviceKeepsToItsRate(t *testing.T) {
	ctx, now := t.Context(), time.Now()
	l := limitOf(Rate{Messages: 2, Readings: 10}, 1000)
	for i := range 2 * Burst {
		if err := l.admit(ctx, 1, false, now); err != nil {
			t.Fatalf("message %d of the burst: %v", i, err)
		}
	}
	var tooFast *ErrTooFast
	for range 3 {
		if err := l.admit(ctx, 1, false, now); !errors.As(err, &tooFast) || tooFast.For != 500*time.Millisecond {
			t.Fatalf("after the burst: %v; the next message is let in after half a second", err)
		}
	}
	if text := tooFast.Error(); !strings.Contains(text, "so many") || !strings.Contains(text, "in 1 s") {
		t.Error("it is told:", text)
	}
	if err := l.admit(ctx, 1, false, now.Add(500*time.Millisecond)); err != nil {
		t.Error("half a second later:", err)
	}
	many := limitOf(Rate{Messages: 100, Readings: 10}, 1000)
	if err := many.admit(ctx, 1_000_000, false, now); err != nil {
		t.Error("a pack larger than any burst is never taken:", err)
	}
	if err := many.admit(ctx, 1, false, now); !errors.As(err, &tooFast) {
		t.Error("it uses all of the burst up:", err)
	}
}

// So many visits of a device wait for their commit, and no more; one that is done makes room.
func TestVisitsAtOnceAreBounded(t *testing.T) {
	now, l := time.Now(), limitOf(DefaultRate, 2)
	for range 2 {
		if err := l.admit(t.Context(), 1, false, now); err != nil {
			t.Fatal(err)
		}
	}
	var tooFast *ErrTooFast
	if err := l.admit(t.Context(), 1, false, now); !errors.As(err, &tooFast) {
		t.Error("a third:", err)
	}
	l.done()
	if err := l.admit(t.Context(), 1, false, now); err != nil {
		t.Error("after one is done:", err)
	}
}

func TestARateThatIsNotSaid(t *testing.T) {
	for said, want := range map[Rate]Rate{{}: DefaultRate, {Messages: -1, Readings: 5}: {DefaultRate.Messages, 5},
		{Messages: 7}: {7, DefaultRate.Readings}} {
		if got := said.orDefault(); got != want {
			t.Errorf("%+v stands for %+v, want %+v", said, got, want)
		}
	}
}

// Whoever tries keys is slowed down, then shut out for a while; others are not, and all is forgotten.
func TestGuessingKeysIsSlow(t *testing.T) {
	f, now := newFailures(), time.Now()
	for i := 1; i <= triesShutOut; i++ {
		if i <= triesShutOut && f.shutOut("a", now) != 0 {
			t.Fatalf("shut out before try %d", i)
		}
		if got, want := f.failed("a", now), time.Duration(max(0, i-triesFree))*triesSlowStep; got != want {
			t.Errorf("try %d waits %v, want %v", i, got, want)
		}
	}
	if got := f.shutOut("a", now.Add(time.Minute)); got != triesForget-time.Minute {
		t.Errorf("a minute later it is shut out for another %v", got)
	}
	if f.shutOut("b", now) != 0 || f.failed("b", now) != 0 {
		t.Error("another address pays for it")
	}
	later := now.Add(triesForget + time.Second)
	if f.shutOut("a", later) != 0 || f.failed("a", later) != 0 {
		t.Error("it is not forgotten")
	}
}

// However many addresses try, so many are remembered at most, and those that are shut out stay so while others are old.
func TestFailuresAreBounded(t *testing.T) {
	f, now := newFailures(), time.Now()
	for i := range triesAtMost - 1 {
		f.failed(fmt.Sprint("old ", i), now.Add(-2*triesForget))
	}
	for range triesShutOut {
		f.failed("bad", now)
	}
	for i := range triesAtMost / 2 {
		f.failed(fmt.Sprint("new ", i), now)
	}
	if len(f.addresses) > triesAtMost {
		t.Errorf("%d addresses are remembered", len(f.addresses))
	}
	if f.shutOut("bad", now) == 0 {
		t.Error("the one that is shut out was forgotten for those that come now")
	}
	for i := range 2 * triesAtMost {
		f.failed(fmt.Sprint("flood ", i), now)
	}
	if len(f.addresses) > triesAtMost {
		t.Errorf("%d addresses are remembered after a flood", len(f.addresses))
	}
}

// A sealed key comes back under its own key file alone, and a file that is none is refused.
func TestSealedKeys(t *testing.T) {
	path := filepath.Join(t.TempDir(), "new", "seal")
	seal, err := OpenSeal(path)
	if err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(path); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the key file: %v %v", info.Mode(), err)
	}
	sealed := seal.Close("k-1")
	if strings.Contains(string(sealed), "k-1") || string(seal.Close("k-1")) == string(sealed) {
		t.Error("the key is seen, or sealed twice in the same way")
	}
	again, err := OpenSeal(path)
	if err != nil {
		t.Fatal(err)
	}
	if key, err := again.Open(sealed); err != nil || key != "k-1" {
		t.Errorf("opened as %q, %v", key, err)
	}
	sealed[len(sealed)-1]++
	if key, err := again.Open(sealed); err == nil {
		t.Errorf("what was changed opens as %q", key)
	}
	other, err := OpenSeal(filepath.Join(t.TempDir(), "seal"))
	if err != nil {
		t.Fatal(err)
	}
	if key, err := other.Open(again.Close("k-2")); err == nil {
		t.Errorf("another key file opens it as %q", key)
	}
	var none *Seal
	if none.Close("k-3") != nil {
		t.Error("without a key file something is sealed")
	}
	if _, err := none.Open([]byte("x")); err == nil || !strings.Contains(err.Error(), "rotate") {
		t.Error("without a key file:", err)
	}
	bad := filepath.Join(t.TempDir(), "bad")
	if err := os.WriteFile(bad, []byte("short"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := OpenSeal(bad); err == nil || !strings.Contains(err.Error(), "5 bytes instead of 32") {
		t.Error("a file that is none:", err)
	}
}

func TestForeignTextIsClipped(t *testing.T) {
	for text, want := range map[string]string{"plain": "plain", "too long for it": "too long", "a\x00b": "a\ufffdb",
		"\xff\xfe": "\ufffd", "": ""} {
		if got := clip(text, 8); got != want {
			t.Errorf("%q becomes %q, want %q", text, got, want)
		}
	}
}

// What is left of a device's rate is what it may still send, and comes back with time.
func TestWhatIsLeftOfARate(t *testing.T) {
	d := &Control{rate: Rate{Messages: 1, Readings: 10}, limits: map[int64]*limit{}}
	now := time.Now()
	for range 5 {
		if err := d.limitOf(7).admit(context.Background(), 20, false, now); err != nil {
			t.Fatal(err)
		}
		d.limitOf(7).done()
	}
	at := func(after time.Duration) []Quota { return d.Quotas(7, now.Add(after)) }
	if got := at(0); got[0] != (Quota{"messages", 20, 15, 5 * time.Second}) ||
		got[1] != (Quota{"readings", 200, 100, 10 * time.Second}) {
		t.Errorf("after five messages: %+v", got)
	}
	if got := at(5 * time.Second); got[0].Left != 20 || got[0].Refill != 0 || got[1].Left != 150 {
		t.Errorf("five seconds later: %+v", got)
	}
}
