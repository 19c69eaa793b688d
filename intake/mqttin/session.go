package mqttin

import (
	"errors"
	"sync"

	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/packets"

	"jauntylark/intake/admission"
)

// session is one connection of a device.
type session struct {
	broker  *Broker
	cl      *mqtt.Client
	sender  credential.Sender
	device  int64 // 0 for an arrival
	key     int64
	flights chan *flight // in order of arrival
	mu      sync.Mutex
	acking  bool // a goroutine writes acknowledgements
	waiting int
	// messages at QoS 2 that wait for their commit, by identifier; closed when it is known
	twice map[uint16]chan struct{}
}

// flight is one message that waits for its acknowledgement.
type flight struct {
	packetID uint16
	qos      byte
	topic    string
	pending  *admission.Pending
	confirm  func() error
	err      error
	settled  chan struct{} // at QoS 2: closed when it is known what became of it
}

// enqueue puts a message behind those before it. It waits when too many are in flight, which holds
// back this client alone. The goroutine that acknowledges lives only while something is in flight, so
// that an idle connection costs none.
func (s *session) enqueue(f *flight) {
	s.mu.Lock()
	if f.qos == 2 {
		if s.twice == nil {
			s.twice = map[uint16]chan struct{}{}
		}
		f.settled = make(chan struct{})
		s.twice[f.packetID] = f.settled
	}
	s.waiting++
	start := !s.acking
	s.acking = true
	s.mu.Unlock()
	if start {
		s.broker.acking.Go(s.acknowledge)
	}
	s.flights <- f
}

// acknowledge writes acknowledgements in order, those that are ready together in one piece.
func (s *session) acknowledge() {
	var acks []byte
	for {
		f := <-s.flights
		acks = s.finish(f, acks)
		s.mu.Lock()
		if f.settled != nil {
			if close(f.settled); s.twice[f.packetID] == f.settled {
				delete(s.twice, f.packetID)
			}
		}
		s.waiting--
		last := s.waiting == 0
		s.acking = !last
		s.mu.Unlock()
		if last || len(acks) >= 1024 {
			s.write(acks)
			acks = acks[:0]
		}
		if last {
			return
		}
	}
}

// settle waits until it is known what became of the message at QoS 2 with an identifier.
func (s *session) settle(packetID uint16) {
	s.mu.Lock()
	pending := s.twice[packetID]
	s.mu.Unlock()
	if pending != nil {
		<-pending
	}
}

// finish waits for a message's commit and adds its acknowledgement to those that are to be written.
// The ones before it are written first if it is not ready.
func (s *session) finish(f *flight, acks []byte) []byte {
	if len(acks) > 0 && (f.confirm != nil || f.pending != nil && !f.pending.Ready()) {
		s.write(acks)
		acks = acks[:0]
	}
	var result reading.Outcome
	err := f.err
	switch {
	case f.confirm != nil:
		err = f.confirm()
	case f.pending != nil:
		result, err = f.pending.Wait(s.broker.ctx)
	}
	if admission.Away(err) {
		s.cl.Stop(err)
		return acks[:0]
	}
	now := s.broker.admission.Pipeline.Now()
	s.broker.tell(s.sender.Name, refused, refusalOf(now, f.topic, result, err))
	if errors.Is(err, credential.ErrKeyUnknown) {
		s.cl.Stop(packets.ErrNotAuthorized)
		return acks[:0]
	}
	reason := byte(0)
	switch {
	case err != nil:
		reason = admission.CauseOf(err).MQTT
	case result.Accepted == 0 && len(result.Refused) > 0:
		reason = packets.ErrPayloadFormatInvalid.Code
	}
	return s.ack(f, acks, reason)
}

// ack adds the acknowledgement of a message: PUBACK at QoS 1, PUBREC at QoS 2 (MQTT 3.1.1 and 5,
// sections 3.4 and 3.5), whose short form both versions share. MQTT 5 is told why a message was
// refused; 0: it was not.
func (s *session) ack(f *flight, acks []byte, reason byte) []byte {
	if f.qos == 0 {
		return acks
	}
	kind, first := byte(packets.Puback), byte(0x40)
	if f.qos == 2 {
		kind, first = packets.Pubrec, 0x50
	}
	if reason != 0 && s.cl.Properties.ProtocolVersion == 5 {
		s.write(acks)
		pk := packets.Packet{FixedHeader: packets.FixedHeader{Type: kind}, PacketID: f.packetID, ReasonCode: reason}
		_ = s.cl.WritePacket(pk)
		return acks[:0]
	}
	if f.qos == 2 { // so that the library completes the handshake at PUBREL
		s.cl.State.Inflight.Set(packets.Packet{FixedHeader: packets.FixedHeader{Type: packets.Pubrec},
			PacketID: f.packetID})
	}
	return append(acks, first, 2, byte(f.packetID>>8), byte(f.packetID))
}

func (s *session) write(acks []byte) {
	if len(acks) == 0 || s.cl.Closed() {
		return
	}
	s.cl.Lock()
	_, err := s.cl.Net.Conn.Write(acks)
	s.cl.Unlock()
	if err != nil {
		s.cl.Stop(err)
	}
}
