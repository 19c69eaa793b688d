package mqttin

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net"
	"slices"
	"testing"
	"time"

	"jauntylark/intake/admission"
	"jauntylark/intake/gate"
	"jauntylark/pipeline"
	"jauntylark/pipeline/credential"
)

// pair gives a connection as the broker sees it, and the other end.
func pair(t *testing.T, bounds gate.Bounds) (*inspected, net.Conn) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	e := entry{Listener: gate.Listen(l, bounds)}
	t.Cleanup(func() { e.Close() })
	far, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { far.Close() })
	near, err := e.Accept()
	if err != nil {
		t.Fatal(err)
	}
	return near.(*inspected), far
}

// The length of the first packet is judged however its header is cut into pieces, before anything of its body has come.
func TestTheFirstPacketIsShortHoweverItsHeaderComes(t *testing.T) {
	for name, pieces := range map[string][][]byte{
		"in one piece":       {{0x10, 0xff, 0xff, 0xff, 0x01}},
		"byte by byte":       {{0x10}, {0xff}, {0xff}, {0xff}, {0x01}},
		"first byte, length": {{0x10}, {0xff, 0xff, 0x7f}},
		"no end of it":       {{0x10, 0x80, 0x80}, {0x80, 0x80}},
	} {
		near, far := pair(t, gate.Bounds{})
		var err error
		for _, p := range pieces {
			if _, err = far.Write(p); err != nil {
				t.Fatal(err)
			}
			if _, err = near.Read(make([]byte, 16)); err != nil {
				break
			}
		}
		if !errors.Is(err, errTooLong) {
			t.Errorf("%s: %v", name, err)
		}
	}
	near, far := pair(t, gate.Bounds{})
	_, _ = far.Write(append([]byte{0x10, 0x80, 0x80, 0x04}, make([]byte, 64<<10)...)) // 64 KiB
	if _, err := io.ReadFull(near, make([]byte, 64<<10+4)); err != nil {
		t.Error("one of 64 KiB:", err)
	}
}

// Long packets take room of their sender's, and give it back with the next packet or their connection.
func TestLongPacketsTakeRoom(t *testing.T) {
	const long = 4 << 20
	header := []byte{0x30, 0x80, 0x80, 0x80, 0x02} // 4 MiB
	room := admission.New(nil, pipeline.New(nil, pipeline.Options{}), nil, admission.Rate{},
		slog.New(slog.DiscardHandler)).RoomOf(credential.Sender{Person: "o"})
	full := func() bool {
		short, cancel := context.WithTimeout(context.Background(), 50*time.Millisecond)
		defer cancel()
		give, err := room.Take(short, 13<<20)
		if err == nil {
			give()
		}
		return err != nil
	}
	one, far := pair(t, gate.Bounds{})
	one.Sign(room)
	go func() { _, _ = far.Write(append(header, make([]byte, long)...)) }()
	if _, err := io.ReadFull(one, make([]byte, long+5)); err != nil || !full() {
		t.Fatal("a long packet takes no room", err)
	}
	_, _ = far.Write([]byte{0xc0, 0})
	if _, err := one.Read(make([]byte, 2)); err != nil || full() {
		t.Fatal("the next packet gives back the room:", err)
	}
	_, _ = far.Write(header)
	if _, err := io.ReadFull(one, make([]byte, 5)); err != nil || !full() {
		t.Fatal("a long packet that has not come yet takes no room", err)
	}
	one.Close()
	if full() {
		t.Error("its end gives back the room")
	}
}

// A long packet that comes in one piece with the first is weighed once it is known who sends it.
func TestALongPacketRightBehindTheFirst(t *testing.T) {
	near, far := pair(t, gate.Bounds{})
	_, _ = far.Write([]byte{0x10, 1, 'x', 0x30, 0xa0, 0x8d, 0x06, 'a'})
	if _, err := io.ReadFull(near, make([]byte, 8)); err != nil {
		t.Fatal(err)
	}
	room := admission.New(nil, pipeline.New(nil, pipeline.Options{}), nil, admission.Rate{},
		slog.New(slog.DiscardHandler)).RoomOf(credential.Sender{})
	near.Sign(room)
	_, _ = far.Write([]byte{'b'})
	if _, err := near.Read(make([]byte, 1)); err != nil {
		t.Fatal(err)
	}
	for much, free := range map[int64]bool{admission.OfOne - 100_000: true, admission.OfOne - 99_999: false} {
		short, cancel := context.WithTimeout(context.Background(), 50*time.Millisecond)
		give, err := room.Take(short, much)
		cancel()
		if (err == nil) != free {
			t.Errorf("beside a packet of 100,000 bytes there is room for %d more: %v", much, err)
		}
		if err == nil {
			give()
		}
	}
}

// However a stream is cut into pieces, the same packets begin in it.
func FuzzFramer(f *testing.F) {
	f.Add([]byte{0x10, 2, 'a', 'b', 0xc0, 0, 0x30, 0x80, 0x01}, byte(3))
	f.Add([]byte{0x10, 0xff, 0xff, 0xff, 0xff}, byte(1))
	f.Fuzz(func(t *testing.T, stream []byte, cut byte) {
		lengths := func(size int) (all []int, err error) {
			var one framer
			for rest := stream; len(rest) > 0 && err == nil; {
				piece := rest[:min(size, len(rest))]
				rest = rest[len(piece):]
				err = one.feed(piece, func(length int) error { all = append(all, length); return nil })
			}
			return all, err
		}
		whole, wholeErr := lengths(len(stream) + 1)
		pieces, piecesErr := lengths(int(cut)%7 + 1)
		if !slices.Equal(whole, pieces) || (wholeErr == nil) != (piecesErr == nil) {
			t.Errorf("whole %v %v, in pieces %v %v", whole, wholeErr, pieces, piecesErr)
		}
		for _, length := range whole {
			if length < 0 || length >= 1<<28 {
				t.Errorf("a length of %d", length)
			}
		}
	})
}
