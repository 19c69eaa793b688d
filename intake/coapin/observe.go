package coapin

import (
	"bytes"
	"sync"
	"time"

	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"
	"github.com/plgd-dev/go-coap/v3/mux"

	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/credential"
)

// observers are the devices that observe their settings, or an output (RFC 7641).
type observers struct {
	mu  sync.Mutex
	all map[string]*observer // by connection and token

	telling sync.WaitGroup
}

type observer struct {
	conn     mux.Conn
	token    message.Token
	sender   credential.Sender
	device   int64
	output   string // empty: the settings
	version  uint64 // of what it was told last
	sequence uint32
	told     time.Time
	flying   int // notifications that wait to be confirmed
}

// state is what a resource says now. Its body is written only where somebody is told.
type state struct {
	version uint64
	body    func() []byte
}

const (
	firstSequence   = 2
	remindEvery     = 4 * time.Minute // shorter than a connection is kept open
	observersAtMost = 50_000
	observersOfOne  = 40
	flyingAtMost    = 3
	sequenceBits    = 1<<24 - 1
)

func newObservers() *observers { return &observers{all: map[string]*observer{}} }

func placeOf(conn mux.Conn, token message.Token) string {
	return conn.RemoteAddr().String() + " " + string(token)
}

func (o *observers) add(conn mux.Conn, token message.Token, one observer) {
	o.mu.Lock()
	defer o.mu.Unlock()
	own := 0
	for _, other := range o.all {
		if other.device == one.device {
			own++
		}
	}
	if len(o.all) >= observersAtMost || own >= observersOfOne {
		return // it is answered once, and not told of newer orders
	}
	place := placeOf(conn, token)
	known := o.all[place] != nil
	one.conn, one.token, one.sequence, one.told = conn, bytes.Clone(token), firstSequence, time.Now()
	o.all[place] = &one
	if !known {
		conn.AddOnClose(func() { o.drop(place) })
	}
}

func (o *observers) remove(conn mux.Conn, token message.Token) { o.drop(placeOf(conn, token)) }

func (o *observers) drop(place string) {
	o.mu.Lock()
	defer o.mu.Unlock()
	delete(o.all, place)
}

// tell gives each observer what is newer than what it knows, and forgets those whose keys are gone. states gives what a
// resource says now; false: there is none any more.
func (o *observers) tell(directory *credential.Directory, now measure.Instant,
	states func(*site.Device, string) (state, bool)) {
	o.each(directory, func(place string, one *observer, d *site.Device) (state, bool) {
		if who, err := directory.Identify(one.sender, now); err != nil || who.Device == nil {
			delete(o.all, place)
			return state{}, false
		}
		s, there := states(d, one.output)
		return s, there && s.version != one.version
	})
}

// remind tells observers again what they know, so that one that has gone is noticed.
func (o *observers) remind(directory *credential.Directory, states func(*site.Device, string) (state, bool)) {
	o.each(directory, func(_ string, one *observer, d *site.Device) (state, bool) {
		if time.Since(one.told) <= remindEvery {
			return state{}, false
		}
		return states(d, one.output)
	})
}

func (o *observers) each(directory *credential.Directory, due func(string, *observer, *site.Device) (state, bool)) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for place, one := range o.all {
		d := directory.ByID[one.device]
		if d == nil {
			delete(o.all, place)
			continue
		}
		if one.flying >= flyingAtMost {
			continue // it is told the newest when one of these has come to an end
		}
		s, tell := due(place, one, d)
		if !tell {
			continue
		}
		one.version, one.told, one.sequence = s.version, time.Now(), (one.sequence+1)&sequenceBits
		one.flying++
		body := s.body()
		sequence := one.sequence
		o.telling.Go(func() {
			err := notify(one, body, sequence)
			o.mu.Lock()
			one.flying--
			o.mu.Unlock()
			if err != nil {
				o.drop(place)
			}
		})
	}
}

// notify sends one notification and waits until it is confirmed.
func notify(one *observer, body []byte, sequence uint32) error {
	m := one.conn.AcquireMessage(one.conn.Context())
	defer one.conn.ReleaseMessage(m)
	m.SetCode(codes.Content)
	m.SetToken(one.token)
	m.SetType(message.Confirmable)
	m.SetObserve(sequence)
	m.SetContentFormat(message.AppJSON)
	m.SetBody(bytes.NewReader(body))
	return one.conn.WriteMessage(m)
}

// shortest writes a number as an option's value (RFC 7252 section 3.2).
func shortest(n uint32) []byte {
	return bytes.TrimLeft([]byte{byte(n >> 24), byte(n >> 16), byte(n >> 8), byte(n)}, "\x00")
}
