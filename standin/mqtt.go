package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/eclipse/paho.golang/autopaho"
	"github.com/eclipse/paho.golang/paho"

	"jauntylark/core/drive"
	"jauntylark/core/site"
)

// MQTT is a link over MQTT 5.
type MQTT struct {
	name string
	conn *autopaho.ConnectionManager
	stop context.CancelFunc
	mu   sync.Mutex
	ear  *Ear
	last map[string][]byte // the newest message on each topic, before anybody listens
}

// DialMQTT connects as a device, and again whenever the connection breaks.
func DialMQTT(ctx context.Context, address, name, key string) (*MQTT, error) {
	ctx, stop := context.WithCancel(ctx)
	m := &MQTT{name: name, stop: stop, last: map[string][]byte{}}
	root := "jaunty/" + name + "/"
	var err error
	m.conn, err = autopaho.NewConnection(ctx, autopaho.ClientConfig{
		ServerUrls: []*url.URL{{Scheme: "mqtt", Host: address}}, KeepAlive: 30, ConnectUsername: name,
		ConnectPassword:  []byte(key),
		ReconnectBackoff: autopaho.NewConstantBackoff(time.Second), ConnectTimeout: 5 * time.Second,
		WillMessage: &paho.WillMessage{Topic: root + "presence", Payload: []byte("gone"), QoS: 1},
		OnConnectionUp: func(c *autopaho.ConnectionManager, _ *paho.Connack) {
			_, _ = c.Subscribe(ctx, &paho.Subscribe{Subscriptions: []paho.SubscribeOptions{{Topic: root + "settings",
				QoS: 1}, {Topic: root + "outputs/+", QoS: 1}}})
		},
		ClientConfig: paho.ClientConfig{ClientID: name, OnPublishReceived: []func(paho.PublishReceived) (bool, error){
			func(in paho.PublishReceived) (bool, error) {
				m.hear(strings.TrimPrefix(in.Packet.Topic, root), in.Packet.Payload)
				return true, nil
			},
		}},
	})
	if err != nil {
		stop()
	}
	return m, err
}

func (m *MQTT) hear(topic string, payload []byte) {
	m.mu.Lock()
	ear := m.ear
	m.last[topic] = payload
	m.mu.Unlock()
	if ear == nil {
		return
	}
	if output, is := strings.CutPrefix(topic, "outputs/"); is {
		var order drive.OutputOrder
		if json.Unmarshal(payload, &order) == nil {
			ear.Output(output, order)
		}
		return
	}
	var order site.Order
	if json.Unmarshal(payload, &order) == nil {
		go ear.Settings(order)
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

// Orders hears what stands on the topics of the settings and the outputs.
func (m *MQTT) Orders(ctx context.Context, _ []string, ear Ear) {
	m.mu.Lock()
	m.ear = &ear
	last := maps.Clone(m.last)
	m.mu.Unlock()
	for topic, payload := range last {
		m.hear(topic, payload)
	}
	<-ctx.Done()
}

// Confirm tells what an output does.
func (m *MQTT) Confirm(ctx context.Context, output string, r drive.OutputReport) error {
	payload, err := json.Marshal(r)
	if err != nil {
		return err
	}
	return m.publish(ctx, "outputs/"+output+"/confirmed", payload)
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
