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
	"jauntylark/pipeline"
)

// observers are the devices that observe their settings (RFC 7641).
type observers struct {
	mu  sync.Mutex
	all map[string]*observer // by connection and token
}

type observer struct {
	conn     mux.Conn
	token    message.Token
	sender   pipeline.Sender
	device   int64
	version  int
	sequence uint32
	told     time.Time
}

const (
	firstSequence   = 2
	remindEvery     = 4 * time.Minute // shorter than a connection is kept open
	observersAtMost = 50_000
	observersOfOne  = 8
	sequenceBits    = 1<<24 - 1
)

func newObservers() *observers { return &observers{all: map[string]*observer{}} }

func placeOf(conn mux.Conn, token message.Token) string {
	return conn.RemoteAddr().String() + " " + string(token)
}

func (o *observers) add(conn mux.Conn, token message.Token, sender pipeline.Sender, d *site.Device) {
	o.mu.Lock()
	defer o.mu.Unlock()
	own := 0
	for _, other := range o.all {
		if other.device == d.ID {
			own++
		}
	}
	if len(o.all) >= observersAtMost || own >= observersOfOne {
		return // it is answered once, and not told of newer orders
	}
	place := placeOf(conn, token)
	known := o.all[place] != nil
	o.all[place] = &observer{conn: conn, token: bytes.Clone(token), sender: sender, device: d.ID, version: d.Version, sequence: firstSequence, told: time.Now()}
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

// tell gives each observer whose order is newer the order, and forgets those whose keys are gone.
func (o *observers) tell(directory *pipeline.Directory, now measure.Instant) {
	o.each(directory, func(place string, one *observer, d *site.Device) bool {
		if who, err := directory.Identify(one.sender, now); err != nil || who.Device == nil {
			delete(o.all, place)
			return false
		}
		return d.Version != one.version
	})
}

// remind tells observers again what they know, so that one that has gone is noticed.
func (o *observers) remind(directory *pipeline.Directory) {
	o.each(directory, func(_ string, one *observer, _ *site.Device) bool { return time.Since(one.told) > remindEvery })
}

func (o *observers) each(directory *pipeline.Directory, due func(string, *observer, *site.Device) bool) {
	o.mu.Lock()
	defer o.mu.Unlock()
	for place, one := range o.all {
		d := directory.ByID[one.device]
		if d == nil {
			delete(o.all, place)
			continue
		}
		if !due(place, one, d) {
			continue
		}
		one.version, one.told, one.sequence = d.Version, time.Now(), (one.sequence+1)&sequenceBits
		go func(sequence uint32) {
			if notify(one, orderOf(d), sequence) != nil {
				o.drop(place)
			}
		}(one.sequence)
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
