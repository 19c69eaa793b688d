package standin

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
	"jauntylark/core/roster"
)

// Gateway is an HTTP server that stands in for what reaches people from outside: a gateway for text messages, voice
// calls and chats, a receiver of webhooks, a push service, and somebody who waits for a heartbeat.
type Gateway struct {
	in     *Inbox
	server *http.Server
	URL    string // where it listens

	mu       sync.Mutex
	browsers map[string]*Browser
	seen     map[string]int // messages that were taken, by the sender's Idempotency-Key
	beats    atomic.Int64
}

// Secret is what the gateway wants to see in Authorization.
const Secret = "Bearer stand-in"

const slowness = 3 * time.Second

// StartGateway listens on a free port of loopback and puts messages into the inbox.
func StartGateway(in *Inbox) (*Gateway, error) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	g := &Gateway{in: in, URL: "http://" + listener.Addr().String(), browsers: map[string]*Browser{},
		seen: map[string]int{}}
	mux := http.NewServeMux()
	for _, carrier := range roster.Gateways {
		mux.HandleFunc("POST /"+carrier, func(w http.ResponseWriter, r *http.Request) { g.receive(w, r, carrier) })
	}
	mux.HandleFunc("POST /hook", g.hook)
	mux.HandleFunc("POST /push/{browser}", g.push)
	mux.HandleFunc("POST /heartbeat", func(w http.ResponseWriter, _ *http.Request) {
		g.beats.Add(1)
		w.WriteHeader(http.StatusNoContent)
	})
	g.server = &http.Server{Handler: mux, ReadHeaderTimeout: 10 * time.Second}
	go g.server.Serve(listener)
	return g, nil
}

// Close stops listening.
func (g *Gateway) Close() error { return g.server.Close() }

// Beats counts the heartbeats that came.
func (g *Gateway) Beats() int64 { return g.beats.Load() }

// Settings describe the gateway as a file for --carriers does.
func (g *Gateway) Settings() string {
	var b strings.Builder
	for _, carrier := range roster.Gateways {
		fmt.Fprintf(&b, `%s:
  address: %s/%s
  headers: {Authorization: %s}
  body: '{"to": "{{to}}", "text": "{{text}}", "ref": "{{id}}", "callback": "{{callback}}"}'
  success: {status: [202]}
  id: message.id
  receipt: {id: message, state: state, delivered: [delivered, answered], failed: [undelivered], reason: reason}
  reply: {text: answer, from: from, id: message}
`, carrier, g.URL, carrier, Secret)
	}
	return b.String()
}

// dawdle lets an answer be slow, or never come.
func (in *Inbox) dawdle(ctx context.Context, carrier string) {
	wait := time.Duration(0)
	switch in.fault(carrier) {
	case FaultSlow:
		wait = slowness
	case FaultTimeOut:
		wait = time.Minute
	}
	select {
	case <-ctx.Done():
	case <-time.After(wait):
	}
}

// refused answers as the carrier's fault says, and tells whether it did.
func (g *Gateway) refused(w http.ResponseWriter, r *http.Request, carrier string) bool {
	g.in.dawdle(r.Context(), carrier)
	switch g.in.fault(carrier) {
	case FaultRefuse:
		w.Header().Set("Retry-After", "1")
		http.Error(w, "the stand-in was told to refuse", http.StatusServiceUnavailable)
	case FaultReject:
		http.Error(w, "the stand-in was told to reject", http.StatusUnprocessableEntity)
	case FaultTimeOut:
		return true
	default:
		return false
	}
	return true
}

// receive takes a message, and calls back with what became of it. The same one brought again is answered again and kept
// once.
func (g *Gateway) receive(w http.ResponseWriter, r *http.Request, carrier string) {
	if g.refused(w, r, carrier) {
		return
	}
	if r.Header.Get("Authorization") != Secret {
		http.Error(w, "who are you?", http.StatusUnauthorized)
		return
	}
	var body struct{ To, Text, Ref, Callback string }
	if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&body); err != nil {
		http.Error(w, "the body is not JSON: "+err.Error(), http.StatusBadRequest)
		return
	}
	key := carrier + " " + r.Header.Get("Idempotency-Key")
	g.mu.Lock()
	id, known := g.seen[key]
	if !known {
		var err error
		if id, err = g.in.add(api.Message{Carrier: carrier, To: body.To, Text: body.Text, Ref: body.Ref,
			Callback: body.Callback, ReceivedAt: measure.InstantOf(time.Now())}); err != nil {
			g.mu.Unlock()
			http.Error(w, "the inbox is full", http.StatusServiceUnavailable)
			return
		}
		g.seen[key] = id
	}
	g.mu.Unlock()
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(http.StatusAccepted)
	fmt.Fprintf(w, `{"message": {"id": "m%d"}}`, id)
	if fault := g.in.fault(carrier); !known && body.Callback != "" && fault != FaultNoReceipts {
		receipt := map[string]string{"message": fmt.Sprintf("m%d", id), "state": "delivered"}
		if fault == FaultFail {
			receipt["state"], receipt["reason"] = "undelivered", "the handset is switched off"
		}
		go func() {
			time.Sleep(100 * time.Millisecond)
			_ = callBack(context.Background(), body.Callback, receipt)
		}()
	}
}

// Reply lets somebody answer a message: a text, or a key that is pressed in a call.
func (in *Inbox) Reply(ctx context.Context, id int, answer string) error {
	m, found := in.Message(id)
	switch {
	case !found:
		return &measure.Fault{Field: "message", Reason: fmt.Sprintf("there is no message %d", id)}
	case m.Callback == "":
		return &measure.Fault{Field: "message",
			Reason: fmt.Sprintf("message %d came by %s before the last start, or by a way that has no answers", id,
				m.Carrier)}
	}
	return callBack(ctx, m.Callback, map[string]string{"message": "m" + strconv.Itoa(id), "from": m.To,
		"answer": answer})
}

func callBack(ctx context.Context, address string, said map[string]string) error {
	body, err := json.Marshal(said)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/json")
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	if answer.StatusCode >= 300 {
		text, _ := io.ReadAll(io.LimitReader(answer.Body, 1000))
		return errors.New(answer.Status + ": " + string(text))
	}
	return nil
}

// hook takes what a webhook brings.
func (g *Gateway) hook(w http.ResponseWriter, r *http.Request) {
	if g.refused(w, r, "webhook") {
		return
	}
	body, err := io.ReadAll(io.LimitReader(r.Body, 1<<20))
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	m := api.Message{Carrier: "webhook", To: g.URL + "/hook", Subject: r.Header.Get("Content-Type"), Text: string(body),
		Ref: r.Header.Get("Idempotency-Key"), ReceivedAt: measure.InstantOf(time.Now())}
	if _, err := g.in.add(m); err != nil {
		http.Error(w, "the inbox is full", http.StatusServiceUnavailable)
		return
	}
	w.WriteHeader(http.StatusNoContent)
}
