// Package mqttin takes readings over MQTT 3.1.1 and 5, and gives devices their orders, retained: by a
// broker inside the service, or through an outside one.
//
// A message is acknowledged when it is committed, never before. One client's messages in flight share
// commits: the hook takes a message, returns at once, and the acknowledgements are written, in order,
// as the commits end.
package mqttin

import (
	"context"
	"crypto/sha256"
	"crypto/tls"
	"log/slog"
	"net"
	"sync"
	"time"

	"jauntylark/pipeline/credential"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"

	"jauntylark/intake"
	"jauntylark/intake/admission"
	"jauntylark/intake/gate"
	"jauntylark/store"
)

// Protocol is what this way in is called.
const Protocol = "MQTT"

// Options bound a broker.
type Options struct {
	Connections int // at once; 0: 20,000
	TLS         *tls.Config
	Records     *store.Store // whose alarms stand on topics; nil: none do
}

// Broker is the broker inside the service.
type Broker struct {
	admission *admission.Control
	records   *store.Store
	log       *slog.Logger
	server    *mqtt.Server
	hook      *hook
	teller    *mqtt.Client // publishes orders for outputs, which expire
	listener  net.Listener
	acking    sync.WaitGroup // sessions that acknowledge, and feeds
	commits   store.Bell     // rings at each commit
	ctx       context.Context
	stop      context.CancelFunc
}

const (
	connectionsAtMost   = 20_000
	connectionsOfDevice = 64
	inFlight            = 256 // messages of one client that wait for their commit
	writesPending       = 128 // messages down to one client that wait
	sessionKept         = 24 * 3600
	messageKept         = 10 * 365 * 24 * 3600 // what stands retained stays, unless it says how long
	packetAtMost        = intake.MaxBody + 64<<10
)

// NewBroker makes a broker that listens on the listener, with TLS when the options say so.
func NewBroker(d *admission.Control, listener net.Listener, o Options, log *slog.Logger) (*Broker, error) {
	if o.Connections == 0 {
		o.Connections = gate.Share(3, 4, connectionsAtMost)
	}
	capabilities := mqtt.NewDefaultServerCapabilities()
	capabilities.MaximumClients = int64(o.Connections)
	capabilities.MaximumClientWritesPending = writesPending
	capabilities.MaximumSessionExpiryInterval = sessionKept
	capabilities.MaximumMessageExpiryInterval = messageKept
	capabilities.MaximumPacketSize = packetAtMost
	capabilities.ReceiveMaximum, capabilities.MaximumInflight = inFlight, inFlight
	capabilities.TopicAliasMaximum = 16
	capabilities.SharedSubAvailable = 0
	capabilities.Compatibilities.NoInheritedPropertiesOnAck = true
	server := mqtt.New(&mqtt.Options{Capabilities: capabilities, InlineClient: true,
		Logger: slog.New(quiet{log.Handler()})})
	ctx, stop := context.WithCancel(context.Background())
	b := &Broker{admission: d, records: o.Records, log: log, server: server, listener: listener, ctx: ctx, stop: stop}
	b.teller = server.NewClient(nil, mqtt.LocalListener, "orders", true)
	b.teller.Properties.ProtocolVersion = 5
	b.hook = &hook{broker: b, sessions: map[*mqtt.Client]*session{}, perDevice: map[int64]map[*mqtt.Client]bool{},
		stored: map[string][]*mqtt.Client{}, feeds: map[*mqtt.Client]map[string]*feeding{},
		reading: make(chan struct{}, feedsRead)}
	if err := server.AddHook(b.hook, nil); err != nil {
		return nil, err
	}
	return b, server.AddListener(listeners.NewNet("mqtt", newEntry(listener, o.Connections, o.TLS)))
}

// quiet passes on what matters: the broker library also logs each client that goes.
type quiet struct{ slog.Handler }

// Enabled drops what is below an error.
func (q quiet) Enabled(ctx context.Context, level slog.Level) bool {
	return level >= slog.LevelError && q.Handler.Enabled(ctx, level)
}

// WithAttrs stays quiet.
func (q quiet) WithAttrs(attrs []slog.Attr) slog.Handler { return quiet{q.Handler.WithAttrs(attrs)} }

// WithGroup stays quiet.
func (q quiet) WithGroup(name string) slog.Handler { return quiet{q.Handler.WithGroup(name)} }

// Run serves until ctx ends. What is in flight then is not acknowledged, and will be sent again.
func (b *Broker) Run(ctx context.Context) error {
	if err := b.server.Serve(); err != nil {
		return err
	}
	defer b.acking.Wait()
	var beside sync.WaitGroup
	defer beside.Wait()
	if b.records != nil {
		beside.Go(func() {
			showAlarms(ctx, b.records, &b.commits, func(m retained) error { return b.server.Publish(m.topic, m.payload, true, 1) },
				b.log)
		})
	}
	beside.Go(func() { _ = tellOrders(ctx, b.admission.Orders, b.admission.Pipeline.Now, b.publishOrder) })
	known := map[string]int{}
	for {
		directory, changed := b.admission.Look()
		b.hook.check(directory)
		b.publishOrders(directory, known)
		select {
		case <-changed:
		case <-ctx.Done():
			b.stop()
			return b.server.Close()
		}
	}
}

// publishOrders keeps the retained orders as they should be; known is what stands there.
func (b *Broker) publishOrders(directory *credential.Directory, known map[string]int) {
	for _, m := range ordersToPublish(directory, known) {
		if err := b.server.Publish(m.topic, m.payload, true, 1); err != nil {
			b.log.Warn("an order could not be published", "topic", m.topic, "error", err)
		}
	}
}

// publishOrder publishes an order for an output. At QoS 0 it does not queue for a device that is away: that gets the
// newest when it comes back, and none is lost, since orders are told until they are confirmed.
func (b *Broker) publishOrder(m retained) error {
	pk := packets.Packet{FixedHeader: packets.FixedHeader{Type: packets.Publish, Retain: true}, TopicName: m.topic,
		Payload: m.payload}
	if m.expires > 0 {
		pk.Properties.MessageExpiryInterval = uint32(max(m.expires/time.Second, 1))
	}
	if err := b.server.InjectPacket(b.teller, pk); err != nil {
		b.log.Warn("an order for an output could not be published", "topic", m.topic, "error", err)
	}
	return nil
}

// tell puts a message on one of a device's topics down.
func (b *Broker) tell(device, topic string, payload []byte) {
	if payload == nil {
		return
	}
	if err := b.server.Publish(root+device+"/"+topic, payload, false, 0); err != nil {
		b.log.Debug("a message down could not be published", "device", device, "error", err)
	}
}

func senderOf(cl *mqtt.Client, password []byte) credential.Sender {
	host, _, err := net.SplitHostPort(cl.Net.Remote)
	if err != nil {
		host = cl.Net.Remote
	}
	return credential.Sender{Key: sha256.Sum256(password), Name: string(cl.Properties.Username), Protocol: Protocol,
		Address: host}
}
