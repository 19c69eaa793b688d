package door

import (
	"context"
	"errors"
	"sync"

	"golang.org/x/sync/semaphore"

	"jauntylark/intake"
	"jauntylark/pipeline"
)

const (
	roomInAll = 128 << 20                     // bytes of long bodies that are on their way at once
	roomOfOne = 4 * (intake.MaxBody + 64<<10) // the same of one sender

	// LongBody is from how many bytes on a body counts as long.
	LongBody = 64 << 10
)

// rooms bound what long bodies take that are on their way, in all and of each sender, whatever way in they come by.
type rooms struct {
	all  *semaphore.Weighted
	mu   sync.Mutex
	open map[string]*ownRoom
}

func newRooms() *rooms {
	return &rooms{all: semaphore.NewWeighted(roomInAll), open: map[string]*ownRoom{}}
}

type ownRoom struct {
	*semaphore.Weighted
	users int
}

// Room is a sender's room for long bodies.
type Room struct {
	rooms *rooms
	owner string
}

// RoomOf gives the room of a sender: of a key, whatever names come with it.
func (d *Door) RoomOf(s pipeline.Sender) Room {
	owner := s.Person
	if owner == "" {
		owner = string(s.Key[:])
	}
	return Room{d.rooms, owner}
}

// ErrCrowded says that too many long bodies are on their way.
var ErrCrowded = errors.New("too many long bodies are on their way; send this one again in a moment")

// Take takes room for a body of so many bytes, and waits for it until ctx ends. What was taken is to be given back.
func (r Room) Take(ctx context.Context, bytes int64) error {
	own := r.rooms.join(r.owner)
	err := own.Acquire(ctx, bytes)
	if err == nil {
		if err = r.rooms.all.Acquire(ctx, bytes); err != nil {
			own.Release(bytes)
		}
	}
	if err != nil {
		r.rooms.leave(r.owner)
	}
	return err
}

// Give gives room back that was taken.
func (r Room) Give(bytes int64) {
	r.rooms.all.Release(bytes)
	r.rooms.mu.Lock()
	r.rooms.open[r.owner].Release(bytes)
	r.rooms.mu.Unlock()
	r.rooms.leave(r.owner)
}

func (r *rooms) join(owner string) *ownRoom {
	r.mu.Lock()
	defer r.mu.Unlock()
	own := r.open[owner]
	if own == nil {
		own = &ownRoom{Weighted: semaphore.NewWeighted(roomOfOne)}
		r.open[owner] = own
	}
	own.users++
	return own
}

func (r *rooms) leave(owner string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if own := r.open[owner]; own != nil {
		if own.users--; own.users == 0 {
			delete(r.open, owner)
		}
	}
}
