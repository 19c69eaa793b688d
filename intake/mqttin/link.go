package mqttin

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/eclipse/paho.golang/paho"

	"jauntylark/intake"
	"jauntylark/intake/admission"
	"jauntylark/pipeline/credential"
	"jauntylark/pipeline/reading"
)

// link is one connection that reads a share.
type link struct {
	outside    *Outside
	client     *paho.Client
	ctx        context.Context
	fail       context.CancelCauseFunc
	flights    chan *arrived
	subscribed []string
	known      map[string]int
}

// arrived is one message that waits for its commit.
type arrived struct {
	message *paho.Publish
	at      place
	pending *admission.Pending
	err     error
}

// keepUp keeps subscriptions and retained orders as they should be until the connection ends.
func (l *link) keepUp(share int) error {
	for {
		directory, changed := l.outside.admission.Look()
		if err := l.subscribe(directory, share); err != nil {
			return err
		}
		for _, m := range ordersToPublish(directory, l.known) {
			if shareOf(deviceOf(m.topic)) != share {
				continue
			}
			if err := l.publishRetained(m); err != nil {
				return err
			}
		}
		select {
		case <-changed:
		case <-l.client.Done():
			return context.Cause(l.ctx)
		case <-l.ctx.Done():
			return context.Cause(l.ctx)
		}
	}
}

func (l *link) publishRetained(m retained) error {
	_, err := l.client.Publish(l.ctx, &paho.Publish{Topic: m.topic, Payload: m.payload, QoS: 1, Retain: true})
	return err
}

// tellOrders publishes the orders for the outputs of the share's devices.
func (l *link) tellOrders(share int) {
	err := tellOrders(l.ctx, l.outside.admission.Orders, l.outside.admission.Pipeline.Now, func(m retained) error {
		if shareOf(deviceOf(m.topic)) != share {
			return nil
		}
		publish := &paho.Publish{Topic: m.topic, Payload: m.payload, Retain: true,
			Properties: &paho.PublishProperties{}}
		if m.expires > 0 {
			seconds := uint32(max(m.expires/time.Second, 1))
			publish.Properties.MessageExpiry = &seconds
		}
		_, err := l.client.Publish(l.ctx, publish)
		return err
	})
	if err != nil {
		l.fail(err)
	}
}

// deviceOf names the device that a topic down is of.
func deviceOf(topic string) string {
	device, _, _ := strings.Cut(strings.TrimPrefix(topic, root), "/")
	return device
}

// subscribe asks for the topics of the share's devices, and not any more for those that are gone.
func (l *link) subscribe(directory *credential.Directory, share int) error {
	var wanted []string
	for name := range directory.ByName {
		if shareOf(name) == share {
			for _, topic := range []string{readings, readings + "/+", frames, presence, running, outputs + "/+/" +
				confirms} {
				wanted = append(wanted, root+name+"/"+topic)
			}
		}
	}
	slices.Sort(wanted)
	var fresh []paho.SubscribeOptions
	for _, topic := range wanted {
		if _, there := slices.BinarySearch(l.subscribed, topic); !there {
			fresh = append(fresh, paho.SubscribeOptions{Topic: topic, QoS: 1, RetainHandling: 2})
		}
	}
	var gone []string
	for _, topic := range l.subscribed {
		if _, there := slices.BinarySearch(wanted, topic); !there {
			gone = append(gone, topic)
		}
	}
	l.subscribed = wanted
	if len(gone) > 0 {
		if _, err := l.client.Unsubscribe(l.ctx, &paho.Unsubscribe{Topics: gone}); err != nil {
			return err
		}
	}
	for batch := range slices.Chunk(fresh, 100) {
		if _, err := l.client.Subscribe(l.ctx, &paho.Subscribe{Subscriptions: batch}); err != nil {
			return fmt.Errorf("the broker does not let us subscribe: %w", err)
		}
	}
	return nil
}

// receive takes one message, in order, and lets acknowledge wait for it.
func (l *link) receive(in paho.PublishReceived) (bool, error) {
	m := in.Packet
	a := &arrived{message: m}
	if a.at, a.err = parse(m.Topic); a.err == nil && (a.at.topic == readings || a.at.topic == frames) {
		contentType := ""
		if m.Properties != nil {
			contentType = m.Properties.ContentType
		}
		visit := visitOf(l.sender(a.at.device), a.at, contentType, m.Payload)
		a.pending = l.outside.admission.Start(l.ctx, visit)
	}
	select {
	case l.flights <- a:
	case <-l.ctx.Done():
	}
	return true, nil
}

func (l *link) sender(device string) credential.Sender {
	return credential.Sender{Vouched: true, Name: device, Protocol: Protocol, Address: l.outside.url.Hostname()}
}

// acknowledge acknowledges messages as they are committed, in order. One that cannot be committed
// now ends the connection; the broker sends it again.
func (l *link) acknowledge() {
	for {
		var a *arrived
		select {
		case a = <-l.flights:
		case <-l.ctx.Done():
			return
		}
		var result reading.Outcome
		err := a.err
		switch {
		case a.pending != nil:
			result, err = a.pending.Wait(l.ctx)
		case a.err == nil:
			err = l.hear(a)
		}
		if admission.Away(err) {
			l.fail(err)
			return
		}
		if wrong := refusalOf(l.outside.admission.Pipeline.Now(), a.message.Topic, result, err); wrong != nil &&
			a.at.device != "" {
			_, _ = l.client.Publish(l.ctx, &paho.Publish{Topic: root + a.at.device + "/" + refused, Payload: wrong})
		}
		if err := l.client.Ack(a.message); err != nil {
			l.fail(err)
			return
		}
	}
}

// hear takes what is not readings: what a device says that it runs, and what its will says.
func (l *link) hear(a *arrived) error {
	directory, _ := l.outside.admission.Look()
	device := directory.ByName[a.at.device]
	switch {
	case device == nil:
		return credential.ErrKeyUnknown
	case a.at.topic == presence:
		if isGone(a.message.Payload) {
			l.outside.admission.Dropped(device, "")
		}
		return nil
	}
	if a.at.topic == confirms {
		report, err := intake.DecodeOutputReport(a.message.Payload)
		if err != nil {
			return err
		}
		return l.outside.admission.ConfirmOutput(l.ctx, l.sender(device.Name), device.Name, a.at.signal, report, true)
	}
	report, err := intake.DecodeReport(a.message.Payload)
	if err != nil {
		return err
	}
	return l.outside.admission.Confirm(l.ctx, l.sender(device.Name), device.Name, report, true)
}

// isGone tells whether a message on presence says that the device has gone: an outside broker does
// not tell a will from a message.
func isGone(payload []byte) bool {
	return slices.Contains([]string{"gone", "offline", "0", "false"}, string(payload))
}
