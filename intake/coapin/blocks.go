package coapin

import (
	"errors"
	"sync"
	"time"

	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"
	"github.com/plgd-dev/go-coap/v3/message/pool"
	"github.com/plgd-dev/go-coap/v3/net/blockwise"
	"github.com/plgd-dev/go-coap/v3/udp/client"

	"jauntylark/intake"
)

// The CoAP library puts blocks of a request together by token, but RFC 7959 section 2.5 lets a client
// use another token for each block, and libcoap does. So blocks are hidden from the library, in an
// option of our own, and put together here: by endpoint, path and Request-Tag (RFC 9175 section 3).

// hiddenBlock is the option that Block1 hides in: elective, of the range for experiments.
const hiddenBlock message.OptionID = 65000

const requestTag message.OptionID = 292

// hideBlock hides the Block1 option of a request.
func hideBlock(_ *client.Conn, in *pool.Message) (bool, error) {
	in.Remove(hiddenBlock)
	if block, err := in.GetOptionUint32(message.Block1); err == nil {
		in.Remove(message.Block1)
		in.Remove(message.Size1)
		in.SetOptionUint32(hiddenBlock, block)
	}
	return false, nil
}

// transfers are bodies that are being put together.
type transfers struct {
	mu    sync.Mutex
	all   map[string]*transfer
	bytes int
}

type transfer struct {
	body []byte
	at   time.Time // of the newest block
}

const (
	transferTakes  = time.Minute // between two blocks
	transfersBytes = 64 << 20    // of all bodies together
	transfersMost  = 10_000
)

var (
	errIncomplete = errors.New("a block is missing; begin again with the first")
	errNoRoom     = errors.New("too many bodies are being put together; try again later")
)

func newTransfers() *transfers { return &transfers{all: map[string]*transfer{}} }

// assemble adds a block, and gives the whole body with the last one.
func (t *transfers) assemble(place string, offset int, more bool, block []byte,
	now time.Time) (body []byte, whole bool, err error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	one := t.all[place]
	if offset == 0 {
		t.drop(place)
		if !more {
			return block, true, nil
		}
		if t.forget(now); len(t.all) >= transfersMost {
			return nil, false, errNoRoom
		}
		one = &transfer{}
		t.all[place] = one
	}
	switch {
	case one == nil || offset > len(one.body):
		return nil, false, errIncomplete
	case offset < len(one.body): // it came before
		return nil, false, nil
	case offset+len(block) > intake.MaxBody:
		t.drop(place)
		return nil, false, errTooLong
	case t.bytes+len(block) > transfersBytes:
		return nil, false, errNoRoom
	}
	one.body, one.at = append(one.body, block...), now
	t.bytes += len(block)
	if more {
		return nil, false, nil
	}
	t.drop(place)
	return one.body, true, nil
}

func (t *transfers) drop(place string) {
	if one := t.all[place]; one != nil {
		t.bytes -= len(one.body)
		delete(t.all, place)
	}
}

// forget drops the bodies whose next block did not come.
func (t *transfers) forget(now time.Time) {
	for place, one := range t.all {
		if now.Sub(one.at) > transferTakes && !one.at.IsZero() {
			t.drop(place)
		}
	}
}

// gather puts the blocks of a request together. It gives nothing while more are to come, and has then
// answered the request.
func (r *request) gather(path string, block []byte) (body []byte, whole bool) {
	option, err := r.in.Options().GetUint32(hiddenBlock)
	if err != nil {
		return block, true
	}
	size, number, more, err := blockwise.DecodeBlockOption(option)
	if err != nil || more && int64(len(block)) != size.Size() {
		r.fail(codes.BadRequest, "the Block1 option does not go with the body")
		return nil, false
	}
	tag, _ := r.in.Options().GetBytes(requestTag)
	place := r.out.Conn().RemoteAddr().String() + " " + path + " " + string(tag)
	body, whole, err = r.way.transfers.assemble(place, int(number*size.Size()), more, block, time.Now())
	r.block = &option
	switch {
	case errors.Is(err, errIncomplete):
		r.fail(codes.RequestEntityIncomplete, err.Error())
	case errors.Is(err, errTooLong):
		r.fail(codes.RequestEntityTooLarge, err.Error())
	case err != nil:
		r.fail(codes.ServiceUnavailable, err.Error())
	case !whole:
		r.answer(codes.Continue, message.TextPlain, "")
	}
	return body, whole && err == nil
}
