package coapin

import (
	"bytes"
	"errors"
	"testing"
	"time"

	"jauntylark/intake"
)

func TestBlocksArePutTogether(t *testing.T) {
	b := newTransfers()
	now := time.Now()
	block := bytes.Repeat([]byte("x"), 16)
	take := func(place string, offset int, more bool) (int, bool, error) {
		body, whole, err := b.assemble(place, offset, more, block, now)
		return len(body), whole, err
	}
	if n, whole, err := take("a", 0, false); n != 16 || !whole || err != nil {
		t.Errorf("a single block: %d %v %v", n, whole, err)
	}
	for _, step := range []struct {
		place  string
		offset int
		more   bool
		whole  int
		err    error
	}{
		{"a", 16, false, 0, errIncomplete}, // its beginning is missing
		{"a", 0, true, 0, nil}, {"b", 0, true, 0, nil}, {"a", 0, true, 0, nil}, {"a", 16, true, 0, nil},
		{"a", 16, true, 0, nil}, // came twice
		{"a", 64, false, 0, errIncomplete}, {"b", 16, false, 32, nil}, {"a", 32, false, 48, nil},
		{"a", 48, false, 0, errIncomplete}, // it is over
	} {
		n, whole, err := take(step.place, step.offset, step.more)
		if n != step.whole || whole != (step.whole > 0) || !errors.Is(err, step.err) {
			t.Errorf("%+v: %d %v %v", step, n, whole, err)
		}
	}
	if b.bytes != 0 || len(b.all) != 0 {
		t.Errorf("%d bytes of %d bodies are left", b.bytes, len(b.all))
	}
}

func TestBlocksAreBounded(t *testing.T) {
	b := newTransfers()
	now := time.Now()
	big := make([]byte, 1<<20)
	for offset := 0; offset < intake.MaxBody; offset += len(big) {
		if _, _, err := b.assemble("a", offset, true, big, now); err != nil {
			t.Fatal(err)
		}
	}
	if _, _, err := b.assemble("a", intake.MaxBody, true, big, now); !errors.Is(err, errTooLong) || b.bytes != 0 {
		t.Errorf("too long: %v, %d bytes are left", err, b.bytes)
	}
	places := 0
	for ; ; places++ {
		if _, _, err := b.assemble(string(rune('a'+places)), 0, true, big, now); err != nil {
			if !errors.Is(err, errNoRoom) {
				t.Error(err)
			}
			break
		}
	}
	if places != transfersBytes/len(big) {
		t.Errorf("%d bodies of a mebibyte", places)
	}
	if _, _, err := b.assemble("later", 0, true, big, now.Add(2*transferTakes)); err != nil {
		t.Errorf("after those before it were given up: %v", err)
	}
}
