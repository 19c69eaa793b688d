package mqttin

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	mqtt "github.com/mochi-mqtt/server/v2"
	"github.com/mochi-mqtt/server/v2/packets"

	"jauntylark/api"
	"jauntylark/core/feed"
	"jauntylark/store"
	"jauntylark/store/events"
)

// feedRoot is followed by a cursor: who subscribes there is told on that very topic what has changed after it, page by
// page. The next page goes out when the one before is acknowledged, so nothing queues up here, and nothing is lost.
const feedRoot = root + readerName + "/changes/after/"

const (
	feedsOfClient = 4
	feedsAtMost   = 200
	feedsRead     = 2   // pages that are read at once
	feedChanges   = 100 // in a page
	feedReadings  = 1000
	feedRests     = 100 * time.Millisecond
	feedBeats     = time.Hour // after so long without a change the place that was reached is told
)

// feeding tells one client the feed.
type feeding struct {
	hook  *hook
	cl    *mqtt.Client
	topic string
	qos   byte
	ids   []int // of the subscription
	place feed.Place
	acked chan uint16
	stop  context.CancelFunc
}

// placeOf gives the place at which a feed is to begin, which stands at the end of its topic.
func (h *hook) placeOf(topic string) (place feed.Place, err error) {
	cursor := strings.TrimPrefix(topic, feedRoot)
	if cursor != "now" && cursor != "oldest" {
		return feed.ParsePlace(cursor)
	}
	oldest, newest, err := events.FeedKnown(store.For(h.broker.ctx, store.Pages), h.broker.records)
	if cursor == "oldest" {
		newest = oldest
	}
	return feed.After(newest), err
}

// isFeed tells whether a topic is where a feed is told.
func isFeed(topic string) bool {
	cursor, is := strings.CutPrefix(topic, feedRoot)
	if !is || cursor == "now" || cursor == "oldest" {
		return is
	}
	_, err := feed.ParsePlace(cursor)
	return err == nil
}

// feed begins to tell a client what has changed. One that has too many feeds is cut off.
func (h *hook) feed(cl *mqtt.Client, topic string, asked packets.Subscription) {
	if h.broker.records == nil {
		return
	}
	place, err := h.placeOf(topic)
	if err != nil {
		cl.Stop(err)
		return
	}
	ctx, stop := context.WithCancel(store.For(h.broker.ctx, store.Pages))
	f := &feeding{hook: h, cl: cl, topic: topic, qos: min(asked.Qos, 1), place: place,
		ids: slices.Sorted(maps.Values(asked.Identifiers)), acked: make(chan uint16, 1), stop: stop}
	there := h.session(cl) != nil
	h.feeding.Lock()
	defer h.feeding.Unlock()
	h.unfeed(cl, topic)
	all := 0
	for _, of := range h.feeds {
		all += len(of)
	}
	if len(h.feeds[cl]) >= feedsOfClient || all >= feedsAtMost || !there {
		stop()
		cl.Stop(packets.ErrQuotaExceeded)
		return
	}
	if h.feeds[cl] == nil {
		h.feeds[cl] = map[string]*feeding{}
	}
	h.feeds[cl][topic] = f
	h.broker.acking.Go(func() { f.run(ctx) })
}

// unfeed ends the feeds of a client that are told on a topic; on any, where that is empty. Its feeds must be locked.
func (h *hook) unfeed(cl *mqtt.Client, topic string) {
	for on, f := range h.feeds[cl] {
		if topic == "" || on == topic {
			f.stop()
			delete(h.feeds[cl], on)
		}
	}
	if len(h.feeds[cl]) == 0 {
		delete(h.feeds, cl)
	}
}

// OnUnsubscribed ends feeds that nobody wants any more.
func (h *hook) OnUnsubscribed(cl *mqtt.Client, pk packets.Packet) {
	h.feeding.Lock()
	defer h.feeding.Unlock()
	for _, f := range pk.Filters {
		h.unfeed(cl, f.Filter)
	}
}

// OnQosComplete lets the next page of a feed go out when the one before has been acknowledged.
func (h *hook) OnQosComplete(cl *mqtt.Client, pk packets.Packet) {
	h.feeding.Lock()
	defer h.feeding.Unlock()
	for _, f := range h.feeds[cl] {
		select {
		case f.acked <- pk.PacketID:
		default:
		}
	}
}

// run tells the feed until ctx ends, or it cannot go on.
func (f *feeding) run(ctx context.Context) {
	told := time.Now()
	for ctx.Err() == nil {
		committed := f.hook.broker.commits.Next() // asked for before the page is
		page, err := f.read(ctx)
		var unknown *events.ErrForgotten
		switch {
		case errors.As(err, &unknown):
			_ = f.send(ctx, goneFrom(unknown))
			return
		case errors.Is(err, errNoReader):
			return
		case err != nil:
			pause(ctx, alarmsAgain)
			continue
		}
		atEnd := page.Next == feed.After(page.Newest)
		if len(page.Changes) > 0 || time.Since(told) > feedBeats {
			if f.send(ctx, api.ChangesPage{Changes: page.Changes, Next: page.Next.String(), Newest: page.Newest,
				More: !atEnd}) != nil {
				return
			}
			told = time.Now()
		}
		f.place = page.Next
		if !atEnd {
			continue
		}
		select {
		case <-ctx.Done():
		case <-committed:
			pause(ctx, feedRests)
		case <-time.After(feedBeats):
		}
	}
}

// goneFrom is told where what follows a place is not known any more.
func goneFrom(known *events.ErrForgotten) any {
	return map[string]any{"problem": api.FaultOf(http.StatusGone).Problem(fmt.Sprintf(
		"Changes are known after commits %d to %d. Begin with one of these, or with now and what there is now.",
		known.Begin, known.Newest))}
}

// errNoReader says that the client has gone, or its key has ended.
var errNoReader = errors.New("nobody reads this feed any more")

// read gives the next page of what the client's reader may be told.
func (f *feeding) read(ctx context.Context) (page feed.Page, err error) {
	select {
	case f.hook.reading <- struct{}{}:
		defer func() { <-f.hook.reading }()
	case <-ctx.Done():
		return page, ctx.Err()
	}
	directory, _ := f.hook.broker.admission.Look()
	s := f.hook.session(f.cl)
	if s == nil {
		return page, errNoReader
	}
	r := directory.Reader(s.sender.Key[:])
	if r == nil {
		return page, errNoReader
	}
	return events.Feed(ctx, f.hook.broker.records, events.FeedQuery{After: f.place, Kinds: r.Kinds, Devices: r.Devices,
		Limit: feedChanges, Readings: feedReadings})
}

// send writes a message to the client, and waits until it is acknowledged where it is asked for with that.
func (f *feeding) send(ctx context.Context, v any) error {
	payload, err := json.Marshal(v)
	if err != nil {
		return err
	}
	pk := packets.Packet{FixedHeader: packets.FixedHeader{Type: packets.Publish, Qos: f.qos}, TopicName: f.topic,
		Payload: payload, ProtocolVersion: f.cl.Properties.ProtocolVersion, Created: time.Now().Unix()}
	if len(f.ids) > 0 {
		pk.Properties.SubscriptionIdentifier = f.ids
	}
	if f.qos == 0 {
		return f.cl.WritePacket(pk)
	}
	id, err := f.cl.NextPacketID()
	if err != nil {
		return err
	}
	pk.PacketID = uint16(id)
	select { // of one before, which has ended
	case <-f.acked:
	default:
	}
	if f.cl.State.Inflight.Set(pk) {
		atomic.AddInt64(&f.hook.broker.server.Info.Inflight, 1)
		f.cl.State.Inflight.DecreaseSendQuota()
	}
	if err := f.cl.WritePacket(pk); err != nil {
		return err
	}
	for {
		select {
		case acked := <-f.acked:
			if acked == pk.PacketID {
				return nil
			}
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}
