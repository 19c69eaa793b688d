package mqttin

import (
	"maps"
	"slices"
	"strconv"
	"strings"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/packets"
)

// What one device may have kept for it.
const (
	willAtMost     = 1024 // bytes of a will, its properties included
	willQoS        = 1
	presenceAtMost = 1024 // bytes
	storedOfDevice = 8    // sessions without a connection
	waitingBytes   = 256 << 10
	filtersAtMost  = 64
	filterAtMost   = 256 // bytes
)

// willBytes is how long a will is.
func willBytes(pk packets.Packet) int {
	long := len(pk.Connect.WillPayload)
	for _, p := range pk.Connect.WillProperties.User {
		long += len(p.Key) + len(p.Val)
	}
	w := pk.Connect.WillProperties
	return long + len(w.ContentType) + len(w.ResponseTopic) + len(w.CorrelationData)
}

// owner is whose the session is, as far as what is kept for it goes: each device's own, and one for all arrivals.
func (s *session) owner() string {
	if s.device == 0 {
		return s.sender.Protocol
	}
	return strconv.FormatInt(s.device, 10)
}

// keep notes that a session is kept without a connection; the oldest of its owner's gives way when there are too many.
// The hook must be locked.
func (h *hook) keep(owner string, cl *mqtt.Client) {
	kept := append(h.stored[owner], cl)
	if len(kept) > storedOfDevice {
		h.drop(kept[0])
		kept = slices.Delete(kept, 0, 1)
	}
	h.stored[owner] = kept
}

// drop ends a session that is kept.
func (h *hook) drop(cl *mqtt.Client) {
	if now, there := h.broker.server.Clients.Get(cl.ID); !there || now != cl {
		return // somebody has taken it over
	}
	cl.ClearInflights()
	h.broker.server.UnsubscribeClient(cl)
	h.broker.server.Clients.Delete(cl.ID)
}

// forgetStored forgets that sessions are kept. The hook must be locked.
func (h *hook) forgetStored(owner string, which func(*mqtt.Client) bool) {
	if h.stored[owner] = slices.DeleteFunc(h.stored[owner], which); len(h.stored[owner]) == 0 {
		delete(h.stored, owner)
	}
}

// OnClientExpired forgets a session whose time is over.
func (h *hook) OnClientExpired(cl *mqtt.Client) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for owner := range h.stored {
		h.forgetStored(owner, func(c *mqtt.Client) bool { return c == cl })
	}
}

// OnSubscribe ends the connection of one that subscribes to too much.
func (h *hook) OnSubscribe(cl *mqtt.Client, pk packets.Packet) packets.Packet {
	tooMuch := cl.State.Subscriptions.Len()+len(pk.Filters) > filtersAtMost
	for _, f := range pk.Filters {
		tooMuch = tooMuch || len(f.Filter) > filterAtMost
	}
	if tooMuch && !cl.Net.Inline {
		pk.Filters = nil
		_ = h.broker.server.DisconnectClient(cl, packets.ErrQuotaExceeded)
		cl.Stop(packets.ErrQuotaExceeded)
	}
	return pk
}

// OnSubscribed gives what stands retained on the level above the last of a filter that ends with /#, which it covers too
// (MQTT 5, section 4.7.1.2) and the broker library passes over. It goes at most once. Feeds begin here.
func (h *hook) OnSubscribed(cl *mqtt.Client, pk packets.Packet, codes []byte) {
	for i, filter := range pk.Filters {
		if isFeed(filter.Filter) && codes[i] < packets.ErrUnspecifiedError.Code {
			filter.Qos = codes[i]
			h.feed(cl, filter.Filter, filter)
			continue
		}
		parent, all := strings.CutSuffix(filter.Filter, "/#")
		if !all || codes[i] >= packets.ErrUnspecifiedError.Code || filter.RetainHandling == 2 ||
			!h.OnACLCheck(cl, parent, false) {
			continue
		}
		if standing, is := h.broker.server.Topics.Retained.Get(parent); is {
			out := standing.Copy(false)
			out.FixedHeader.Qos, out.FixedHeader.Retain, out.Properties.TopicAlias = 0, true, 0
			if len(filter.Identifiers) > 0 {
				out.Properties.SubscriptionIdentifier = slices.Sorted(maps.Values(filter.Identifiers))
			}
			_ = cl.WritePacket(out)
		}
	}
}

// OnQosPublish bounds the bytes that wait for a client: the oldest message gives way. Orders stand retained, so what is
// lost by that is told again.
func (h *hook) OnQosPublish(cl *mqtt.Client, _ packets.Packet, _ int64, _ int) {
	waiting := cl.State.Inflight.GetAll(false)
	bytes := 0
	for _, pk := range waiting {
		bytes += len(pk.Payload)
	}
	for len(waiting) > 1 && bytes > waitingBytes {
		bytes -= len(waiting[0].Payload)
		cl.State.Inflight.Delete(waiting[0].PacketID)
		waiting = waiting[1:]
	}
}
