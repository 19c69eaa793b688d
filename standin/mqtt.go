package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"sync"
	"time"

	"github.com/eclipse/paho.golang/autopaho"
	"github.com/eclipse/paho.golang/paho"

	"jauntylark/core/site"
)

// MQTT is a link over MQTT 5.
type MQTT struct {
	name string
	conn *autopaho.ConnectionManager
	stop context.CancelFunc
	mu   sync.Mutex
	obey func(site.Order)
	last []byte // the newest order, before anybody obeys
}

// DialMQTT connects as a device, and again whenever the connection breaks.
func DialMQTT(ctx context.Context, address, name, key string) (*MQTT, error) {
	ctx, stop := context.WithCancel(ctx)
	m := &MQTT{name: name, stop: stop}
	root := "jaunty/" + name + "/"
	var err error
	m.conn, err = autopaho.NewConnection(ctx, autopaho.ClientConfig{
		ServerUrls: []*url.URL{{Scheme: "mqtt", Host: address}}, KeepAlive: 30, ConnectUsername: name, ConnectPassword: []byte(key),
		ReconnectBackoff: autopaho.NewConstantBackoff(time.Second), ConnectTimeout: 5 * time.Second,
		WillMessage: &paho.WillMessage{Topic: root + "presence", Payload: []byte("gone"), QoS: 1},
		OnConnectionUp: func(c *autopaho.ConnectionManager, _ *paho.Connack) {
			_, _ = c.Subscribe(ctx, &paho.Subscribe{Subscriptions: []paho.SubscribeOptions{{Topic: root + "settings", QoS: 1}}})
		},
		ClientConfig: paho.ClientConfig{ClientID: name, OnPublishReceived: []func(paho.PublishReceived) (bool, error){
			func(in paho.PublishReceived) (bool, error) { m.hear(in.Packet.Payload); return true, nil },
		}},
	})
	if err != nil {
		stop()
	}
	return m, err
}

func (m *MQTT) hear(payload []byte) {
	m.mu.Lock()
	obey := m.obey
	m.last = payload
	m.mu.Unlock()
	var order site.Order
	if obey != nil && json.Unmarshal(payload, &order) == nil {
		go obey(order)
	}
}

// Send publishes a pack at QoS 1 and waits for the acknowledgement.
func (m *MQTT) Send(ctx context.Context, pack []byte) error { return m.publish(ctx, "readings", pack) }

func (m *MQTT) publish(ctx context.Context, topic string, payload []byte) error {
	answer, err := m.conn.Publish(ctx, &paho.Publish{Topic: "jaunty/" + m.name + "/" + topic, QoS: 1, Payload: payload})
	if answer != nil && answer.ReasonCode >= 0x80 {
		return &Refused{fmt.Sprintf("reason 0x%02x", answer.ReasonCode)}
	}
	return err
}

// Orders obeys what stands on the settings topic.
func (m *MQTT) Orders(ctx context.Context, obey func(site.Order)) {
	m.mu.Lock()
	m.obey = obey
	last := m.last
	m.mu.Unlock()
	if last != nil {
		m.hear(last)
	}
	<-ctx.Done()
}

// Report tells what the device runs.
func (m *MQTT) Report(ctx context.Context, r site.Report) error {
	payload, err := json.Marshal(r)
	if err != nil {
		return err
	}
	return m.publish(ctx, "settings/running", payload)
}

// Close says goodbye.
func (m *MQTT) Close() {
	ending, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	_ = m.conn.Disconnect(ending)
	m.stop()
}
