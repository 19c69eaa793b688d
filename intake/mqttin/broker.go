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
	"errors"
	"fmt"
	"log/slog"
	"net"
	"sync"
	"sync/atomic"
	"time"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/listeners"
	"github.com/mochi-mqtt/server/v2/packets"

	"jauntylark/intake"
	"jauntylark/intake/door"
	"jauntylark/pipeline"
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
	door     *door.Door
	records  *store.Store
	log      *slog.Logger
	server   *mqtt.Server
	hook     *hook
	teller   *mqtt.Client // publishes orders for outputs, which expire
	listener net.Listener
	ctx      context.Context
	stop     context.CancelFunc
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
func NewBroker(d *door.Door, listener net.Listener, o Options, log *slog.Logger) (*Broker, error) {
	if o.Connections == 0 {
		o.Connections = connectionsAtMost
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
	server := mqtt.New(&mqtt.Options{Capabilities: capabilities, InlineClient: true, Logger: slog.New(quiet{log.Handler()})})
	ctx, stop := context.WithCancel(context.Background())
	b := &Broker{door: d, records: o.Records, log: log, server: server, listener: listener, ctx: ctx, stop: stop}
	b.teller = server.NewClient(nil, mqtt.LocalListener, "orders", true)
	b.teller.Properties.ProtocolVersion = 5
	b.hook = &hook{broker: b, sessions: map[*mqtt.Client]*session{}, perDevice: map[int64]map[*mqtt.Client]bool{}}
	if err := server.AddHook(b.hook, nil); err != nil {
		return nil, err
	}
	guarded := net.Listener(&guard{Listener: listener, most: int64(o.Connections)})
	if o.TLS != nil {
		guarded = tls.NewListener(guarded, o.TLS)
	}
	return b, server.AddListener(listeners.NewNet("mqtt", inspector{guarded}))
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
	if b.records != nil {
		go showAlarms(ctx, b.records, func(m retained) error { return b.server.Publish(m.topic, m.payload, true, 1) }, b.log)
	}
	go func() { _ = tellOrders(ctx, b.door.Orders, b.door.Pipeline.Now, b.publishOrder) }()
	known := map[string]int{}
	for {
		directory, changed := b.door.Look()
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
func (b *Broker) publishOrders(directory *pipeline.Directory, known map[string]int) {
	for _, m := range ordersToPublish(directory, known) {
		if err := b.server.Publish(m.topic, m.payload, true, 1); err != nil {
			b.log.Warn("an order could not be published", "topic", m.topic, "error", err)
		}
	}
}

// publishOrder publishes an order for an output. At QoS 0 it does not queue for a device that is away: that gets the newest when it
// comes back, and none is lost, since orders are told until they are confirmed.
func (b *Broker) publishOrder(m retained) error {
	pk := packets.Packet{FixedHeader: packets.FixedHeader{Type: packets.Publish, Retain: true}, TopicName: m.topic, Payload: m.payload}
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

func senderOf(cl *mqtt.Client, password []byte) pipeline.Sender {
	host, _, err := net.SplitHostPort(cl.Net.Remote)
	if err != nil {
		host = cl.Net.Remote
	}
	return pipeline.Sender{Key: sha256.Sum256(password), Name: string(cl.Properties.Username), Protocol: Protocol, Address: host}
}

// guard bounds connections and what one may send before it has proved who it is.
type guard struct {
	net.Listener
	most, open int64
}

// connectAtMost is how long the first packet of a connection may be.
const connectAtMost = 64 << 10

// Accept gives the next connection; those that are too many are closed at once.
func (g *guard) Accept() (net.Conn, error) {
	for {
		conn, err := g.Listener.Accept()
		if err != nil {
			return nil, err
		}
		if atomic.AddInt64(&g.open, 1) <= g.most {
			return &guarded{Conn: conn, guard: g}, nil
		}
		atomic.AddInt64(&g.open, -1)
		conn.Close()
	}
}

type guarded struct {
	net.Conn
	guard *guard
	once  sync.Once
}

// Close lets another connection in.
func (c *guarded) Close() error {
	c.once.Do(func() { atomic.AddInt64(&c.guard.open, -1) })
	return c.Conn.Close()
}

// inspector looks at the first packet of each connection.
type inspector struct{ net.Listener }

// Accept gives the next connection.
func (i inspector) Accept() (net.Conn, error) {
	conn, err := i.Listener.Accept()
	return &inspected{Conn: conn}, err
}

type inspected struct {
	net.Conn
	begun bool // read by one goroutine alone
}

// Read refuses a first packet that is too long, before room is made for it.
func (c *inspected) Read(into []byte) (int, error) {
	n, err := c.Conn.Read(into)
	if !c.begun && n > 0 {
		c.begun = true
		if long := firstPacketFits(into[:n]); long != nil {
			return 0, long
		}
	}
	return n, err
}

var errTooLong = errors.New("the first packet is too long")

// firstPacketFits looks at the fixed header of a connection's first packet (MQTT 5 section 2.1).
func firstPacketFits(head []byte) error {
	length, shift := 0, 0
	for i := 1; i < len(head) && i < 5; i++ {
		length |= int(head[i]&0x7f) << shift
		shift += 7
		if head[i]&0x80 == 0 {
			break
		}
	}
	if length > connectAtMost {
		return fmt.Errorf("%w: %d bytes", errTooLong, length)
	}
	return nil
}
