package admission

import (
	"context"
	"errors"

	"jauntylark/intake"
	"jauntylark/intake/gate"
	"jauntylark/pipeline/credential"
)

// How long bodies are bounded, in bytes.
const (
	LongBody  = 64 << 10                      // from here on a body counts as long
	OfOne     = 4 * (intake.MaxBody + 64<<10) // of one sender on their way at once
	roomInAll = 128 << 20                     // of all, whatever way in they come by
)

// Room is a sender's room for long bodies.
type Room struct {
	rooms *gate.Shares[string]
	owner string
}

// RoomOf gives the room of a sender: of a key, whatever names come with it.
func (d *Control) RoomOf(s credential.Sender) Room {
	owner := s.Person
	if owner == "" {
		owner = string(s.Key[:])
	}
	return Room{d.rooms, owner}
}

// ErrCrowded says that too many long bodies are on their way.
var ErrCrowded = errors.New("too many long bodies are on their way; send this one again in a moment")

// Take takes room for a body of so many bytes, and waits for it until ctx ends; it is ErrCrowded then. What comes back
// gives the room back, and is to be called once.
func (r Room) Take(ctx context.Context, bytes int64) (giveBack func(), err error) {
	if giveBack, err = r.rooms.Take(ctx, r.owner, bytes); err != nil {
		return nil, ErrCrowded
	}
	return giveBack, nil
}
