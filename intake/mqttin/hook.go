package mqttin

import (
	"crypto/sha256"
	"fmt"
	"maps"
	"strings"
	"sync"

	"jauntylark/pipeline/credential"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/packets"

	"jauntylark/core/site"
	"jauntylark/intake"
	"jauntylark/intake/admission"
)

// hook is what the broker library asks of us.
type hook struct {
	mqtt.HookBase
	broker    *Broker
	mu        sync.Mutex
	sessions  map[*mqtt.Client]*session
	perDevice map[int64]map[*mqtt.Client]bool // those that were let in
	// sessions that are kept without a connection, by whose they are, the oldest first
	stored  map[string][]*mqtt.Client
	feeding sync.Mutex                           // locked after mu
	feeds   map[*mqtt.Client]map[string]*feeding // by the topics on which they are told
	reading chan struct{}                        // as many pages of feeds as are read
}

// ID names the hook.
func (h *hook) ID() string { return "jaunty" }

// Provides lists what the hook wants to be asked.
func (h *hook) Provides(b byte) bool {
	switch b {
	case mqtt.OnConnect, mqtt.OnConnectAuthenticate, mqtt.OnACLCheck, mqtt.OnPublish, mqtt.OnPacketRead,
		mqtt.OnSessionEstablished, mqtt.OnDisconnect, mqtt.OnWillSent,
		mqtt.OnSubscribe, mqtt.OnSubscribed, mqtt.OnUnsubscribed, mqtt.OnQosPublish, mqtt.OnQosComplete,
		mqtt.OnClientExpired:
		return true
	}
	return false
}

// OnConnect gives each device a room of its own for client identifiers, so that none can take over the
// session of another, and refuses wills outside of the device's presence.
func (h *hook) OnConnect(cl *mqtt.Client, pk packets.Packet) error {
	cl.ID = string(cl.Properties.Username) + "/" + cl.ID
	if pk.Connect.WillFlag && pk.Connect.WillTopic != root+string(cl.Properties.Username)+"/"+presence {
		code := packets.ErrTopicNameInvalid
		_ = h.broker.server.SendConnack(cl, code, false, nil)
		return fmt.Errorf("the will's topic is %q; it may be jaunty/DEVICE/presence", pk.Connect.WillTopic)
	}
	if long := willBytes(pk); pk.Connect.WillFlag && long > willAtMost {
		_ = h.broker.server.SendConnack(cl, packets.ErrQuotaExceeded, false, nil)
		return fmt.Errorf("the will has %d bytes; it may have %d", long, willAtMost)
	}
	cl.Properties.Will.Qos = min(cl.Properties.Will.Qos, willQoS)
	return nil
}

// OnConnectAuthenticate lets devices in by user name and key.
func (h *hook) OnConnectAuthenticate(cl *mqtt.Client, pk packets.Packet) bool {
	who, err := h.identify(cl, pk)
	if err != nil {
		return false
	}
	id := idOf(who.Device) // arrivals, 0, share theirs
	h.mu.Lock()
	defer h.mu.Unlock()
	there := h.perDevice[id]
	if len(there) >= connectionsOfDevice { // the library tells of no end before a session is established
		maps.DeleteFunc(there, func(other *mqtt.Client, _ bool) bool { return other.Closed() })
	}
	if len(there) >= connectionsOfDevice {
		return false
	}
	if there == nil {
		there = map[*mqtt.Client]bool{}
		h.perDevice[id] = there
	}
	there[cl] = true
	return true
}

// identify finds out who connects. The user name must be the device's, or the arrival's.
func (h *hook) identify(cl *mqtt.Client, pk packets.Packet) (credential.Identity, error) {
	sender := senderOf(cl, pk.Connect.Password)
	if directory, _ := h.broker.admission.Look(); isReader(directory, sender) {
		return credential.Identity{}, nil
	}
	who, err := h.broker.admission.Who(h.broker.ctx, sender)
	switch {
	case err != nil:
		return who, err
	case who.Device != nil && who.Device.Name != sender.Name:
		h.broker.admission.Complain(who.Device, sender,
			fmt.Sprintf("the user name over MQTT is %q; with this key it must be %q", sender.Name, who.Device.Name))
		return who, credential.ErrKeyUnknown
	case who.Device == nil && who.Arrival != sender.Name:
		return who, credential.ErrKeyUnknown
	}
	return who, nil
}

func idOf(d *site.Device) int64 {
	if d == nil {
		return 0
	}
	return d.ID
}

// OnSessionEstablished begins a session. From here on the library tells of its end; before, it may end
// a connection without a word.
func (h *hook) OnSessionEstablished(cl *mqtt.Client, pk packets.Packet) {
	who, err := h.identify(cl, pk)
	if err != nil {
		cl.Stop(packets.ErrNotAuthorized)
		return
	}
	s := &session{broker: h.broker, cl: cl, sender: senderOf(cl, pk.Connect.Password), device: idOf(who.Device),
		key: who.Key.ID, flights: make(chan *flight, inFlight)}
	h.begin(s)
	for filter, subscription := range cl.State.Subscriptions.GetAll() { // of a session that was kept
		if isFeed(filter) {
			h.feed(cl, filter, subscription)
		}
	}
}

func (h *hook) begin(s *session) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if c, gated := s.cl.Net.Conn.(*inspected); gated {
		c.Sign(h.broker.admission.RoomOf(s.sender))
	}
	h.sessions[s.cl] = s
	h.forgetStored(s.owner(), func(c *mqtt.Client) bool { return c.ID == s.cl.ID }) // which it has taken over
	h.broker.admission.Online(s.device, s.key, s.sender, true)
}

// OnDisconnect forgets a session.
func (h *hook) OnDisconnect(cl *mqtt.Client, _ error, expire bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.sessions[cl]
	if s == nil {
		return
	}
	if !expire && !cl.IsTakenOver() {
		h.keep(s.owner(), cl)
	}
	delete(h.sessions, cl)
	h.feeding.Lock()
	h.unfeed(cl, "")
	h.feeding.Unlock()
	if delete(h.perDevice[s.device], cl); len(h.perDevice[s.device]) == 0 {
		delete(h.perDevice, s.device)
	}
	h.broker.admission.Online(s.device, s.key, s.sender, false)
}

// check closes the connections whose keys are not good any more.
func (h *hook) check(directory *credential.Directory) {
	now := h.broker.admission.Pipeline.Now()
	h.mu.Lock()
	var gone []*mqtt.Client
	for cl, s := range h.sessions {
		if isReader(directory, s.sender) {
			continue
		}
		if who, err := directory.Identify(s.sender, now); err != nil || who.Device != nil &&
			who.Device.ID != s.device && s.device != 0 {
			gone = append(gone, cl)
		}
	}
	h.mu.Unlock()
	for _, cl := range gone {
		_ = h.broker.server.DisconnectClient(cl, packets.ErrNotAuthorized)
		cl.Stop(packets.ErrNotAuthorized)
	}
}

// OnACLCheck lets a device read under its own name, and a gateway under those of the devices behind it. What it
// publishes is judged in OnPublish, where a topic alias has become a topic.
func (h *hook) OnACLCheck(cl *mqtt.Client, topic string, write bool) bool {
	name, _, found := strings.Cut(strings.TrimPrefix(topic, root), "/")
	switch own := string(cl.Properties.Username); {
	case write:
		return true
	case !found || !strings.HasPrefix(topic, root):
		return false
	case name == own && name == readerName:
		directory, _ := h.broker.admission.Look()
		s := h.session(cl)
		return s != nil && mayRead(directory.Reader(s.sender.Key[:]), topic)
	case name == own:
		return true
	default:
		directory, _ := h.broker.admission.Look()
		device := directory.ByName[own]
		return device != nil && directory.MaySpeakFor(device, name)
	}
}

// OnPacketRead prepares what belongs to QoS 2: a message that comes again after a lost PUBREC is
// looked at again, and a released one may use its identifier anew.
func (h *hook) OnPacketRead(cl *mqtt.Client, pk packets.Packet) (packets.Packet, error) {
	switch {
	case pk.FixedHeader.Type == packets.Publish && pk.FixedHeader.Qos == 2 && pk.FixedHeader.Dup:
		cl.State.Inflight.Delete(pk.PacketID)
	case pk.FixedHeader.Type == packets.Pubrel:
		if s := h.session(cl); s != nil {
			s.settle(pk.PacketID) // a copy that still waits for its commit asks for the identifier there
			if err := h.broker.admission.Forget(h.broker.ctx, s.sender, onceKey(cl, pk.PacketID)); err != nil {
				cl.Stop(err)
			}
		}
	}
	return pk, nil
}

// onceKey names a QoS 2 message until it is released.
func onceKey(cl *mqtt.Client, packetID uint16) string {
	id := sha256.Sum256([]byte(cl.ID))
	return fmt.Sprintf("mqtt %x %d", id[:8], packetID)
}

func (h *hook) session(cl *mqtt.Client) *session {
	h.mu.Lock()
	defer h.mu.Unlock()
	return h.sessions[cl]
}

// OnPublish takes a message. It is acknowledged later, so the library is told to write nothing.
func (h *hook) OnPublish(cl *mqtt.Client, pk packets.Packet) (packets.Packet, error) {
	if cl.Net.Inline {
		return pk, nil
	}
	s := h.session(cl)
	if s == nil {
		return pk, packets.ErrRejectPacket
	}
	at, err := parse(pk.TopicName)
	directory, _ := h.broker.admission.Look()
	if err == nil && !s.mayPublishAs(directory, at.device) {
		err = admission.ErrNotAllowed(fmt.Sprintf("%s may publish under its own name alone, not to %q", s.sender.Name,
			pk.TopicName))
	}
	f := &flight{packetID: pk.PacketID, qos: pk.FixedHeader.Qos, topic: pk.TopicName, err: err}
	switch {
	case err != nil:
		if device := directory.ByID[s.device]; device != nil {
			h.broker.admission.Complain(device, s.sender, err.Error())
		}
	case at.topic == presence && len(pk.Payload) > presenceAtMost:
		f.err = admission.ErrTooLong(presenceAtMost)
	case at.topic == presence:
		s.enqueue(f)
		pk.FixedHeader.Qos = 0 // we acknowledge it; the library only passes it on
		return pk, nil
	case at.topic == running:
		f.confirm = func() error { return s.confirm(at.device, pk.Payload) }
	case at.topic == confirms:
		f.confirm = func() error { return s.confirmOutput(at, pk.Payload) }
	default:
		f.start(s, at, pk)
	}
	s.enqueue(f)
	return pk, packets.ErrRejectPacket
}

// start hands the readings of a message to admission.
func (f *flight) start(s *session, at place, pk packets.Packet) {
	sender := s.sender
	sender.Name = at.device
	visit := visitOf(sender, at, pk.Properties.ContentType, pk.Payload)
	if f.qos == 2 {
		visit.IdempotencyKey, visit.Fresh = onceKey(s.cl, pk.PacketID), !pk.FixedHeader.Dup
		visit.Gone = s.cl.Closed
	}
	f.pending = s.broker.admission.Start(s.broker.ctx, visit)
}

// OnWillSent notes that a device has dropped.
func (h *hook) OnWillSent(cl *mqtt.Client, pk packets.Packet) {
	directory, _ := h.broker.admission.Look()
	if device := directory.ByName[string(cl.Properties.Username)]; device != nil {
		h.broker.admission.Dropped(device, string(pk.Payload))
	}
}

func (s *session) mayPublishAs(directory *credential.Directory, device string) bool {
	if device == s.sender.Name {
		return true
	}
	own := directory.ByName[s.sender.Name]
	return own != nil && directory.MaySpeakFor(own, device)
}

func (s *session) confirm(device string, payload []byte) error {
	report, err := intake.DecodeReport(payload)
	if err != nil {
		return err
	}
	sender := s.sender
	sender.Name = device
	return s.broker.admission.Confirm(s.broker.ctx, sender, device, report, true)
}

func (s *session) confirmOutput(at place, payload []byte) error {
	report, err := intake.DecodeOutputReport(payload)
	if err != nil {
		return err
	}
	sender := s.sender
	sender.Name = at.device
	return s.broker.admission.ConfirmOutput(s.broker.ctx, sender, at.device, at.signal, report, true)
}
