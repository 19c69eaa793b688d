package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"jauntylark/api"
	"jauntylark/core/roster"
	"jauntylark/pipeline/reading"
	"jauntylark/pipeline/respond"
	"jauntylark/service"
	"jauntylark/store/events"
)

const (
	outboxNotices = 5000
	outboxRate    = 100 // notices a second, when the way of one is timed
	outboxTimed   = 1000
	outboxHands   = 16 // of two workers, for one carrier
)

// receiver takes webhooks and notes when each came first.
type receiver struct {
	url  string
	came sync.Map // by the notice's number: time.Time
	n    atomic.Int64
	stop func()
}

func newReceiver() (*receiver, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	r := &receiver{url: "http://" + listener.Addr().String()}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		var said struct{ ID int64 }
		_ = json.NewDecoder(io.LimitReader(q.Body, 1<<20)).Decode(&said)
		if _, again := r.came.LoadOrStore(said.ID, time.Now()); !again {
			r.n.Add(1)
		}
		w.WriteHeader(http.StatusNoContent)
	})}
	go server.Serve(listener)
	r.stop = func() { server.Close() }
	return r, nil
}

// outbox measures how many notices a second two workers bring to a carrier, beside bare requests over as many
// connections, and how long one takes from its commit to the carrier.
func outbox(ctx context.Context, s *process) error {
	second, err := serve(ctx, s.database, func(o *service.Settings) { o.Private, o.MQTT, o.CoAP = true, "off", "off" })
	if err != nil {
		return err
	}
	defer second.stop()
	r, err := newReceiver()
	if err != nil {
		return err
	}
	defer r.stop()
	contact := map[string]any{"addresses": []map[string]string{{"carrier": "webhook", "to": r.url}}}
	if err := s.owner.Call(ctx, api.PutContact.At("hook"), contact, nil); err != nil {
		return err
	}
	bare, err := bareRequests(r.url)
	if err != nil {
		return err
	}
	r.n.Store(0)
	began := time.Now()
	if err := s.pipe.Do(ctx, func(t *reading.Turn) error { return planMany(ctx, t, r.url) }); err != nil {
		return err
	}
	for r.n.Load() < outboxNotices && time.Since(began) < time.Minute {
		time.Sleep(time.Millisecond)
	}
	took := time.Since(began)
	if r.n.Load() < outboxNotices {
		return fmt.Errorf("%d notices of %d came", r.n.Load(), outboxNotices)
	}
	fmt.Printf("notices through the outbox, two workers, planned to received: %.0f/s, bare requests %.0f/s, ratio "+
		"%.2f (aim: 1,000/s)\n",
		rate(outboxNotices, took), rate(outboxNotices, bare), bare.Seconds()/took.Seconds())
	return timeNotices(ctx, s, r)
}

// bareRequests sends as many requests as there are notices, and gives how long that took.
func bareRequests(url string) (time.Duration, error) {
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: outboxHands}}
	began := time.Now()
	err := atOnce(outboxHands, func(w int) error {
		for i := w; i < outboxNotices; i += outboxHands {
			answer, err := client.Post(url, "application/json",
				bytes.NewReader(fmt.Appendf(nil, `{"id": %d, "text": "%0300d"}`, -1-i, i)))
			if err != nil {
				return err
			}
			answer.Body.Close()
		}
		return nil
	})
	return time.Since(began), err
}

func planMany(ctx context.Context, t *reading.Turn, url string) error {
	ids, err := events.NoticeIDs(ctx, t.Tx, outboxNotices)
	if err != nil {
		return err
	}
	notices := make([]roster.Notice, len(ids))
	for i, id := range ids {
		notices[i] = roster.Notice{ID: id, Kind: roster.Test, Carrier: roster.Webhook, Address: url, Subject: "bench",
			Text: fmt.Sprintf("%0300d", i), State: roster.Waiting, CreatedAt: t.Now, DueAt: t.Now}
	}
	return events.AddNotices(ctx, t.Tx, notices)
}

// timeNotices plans notices at a rate and times each from its commit to the carrier.
func timeNotices(ctx context.Context, s *process, r *receiver) error {
	committed := map[int64]time.Time{}
	tick := time.NewTicker(time.Second / outboxRate)
	defer tick.Stop()
	for range outboxTimed {
		<-tick.C
		ids, err := respond.TestContact(ctx, s.pipe, "hook", nil, "bench")
		if err != nil {
			return err
		}
		committed[ids[0]] = time.Now()
	}
	var took []time.Duration
	for end := time.Now().Add(10 * time.Second); len(took) < outboxTimed &&
		time.Now().Before(end); time.Sleep(10 * time.Millisecond) {
		took = took[:0]
		for id, at := range committed {
			if came, here := r.came.Load(id); here {
				took = append(took, max(0, came.(time.Time).Sub(at)))
			}
		}
	}
	if len(took) < outboxTimed {
		return fmt.Errorf("%d of %d notices came", len(took), outboxTimed)
	}
	slices.Sort(took)
	fmt.Printf("from commit to carrier at %d notices/s: p50 %v, p99 %v (aim: p99 under 100 ms)\n", outboxRate,
		took[len(took)/2].Round(100*time.Microsecond), took[len(took)*99/100].Round(100*time.Microsecond))
	return nil
}
