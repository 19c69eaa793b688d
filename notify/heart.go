package notify

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"time"

	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// Heart sends the heartbeat: a request to an outside address on an interval, as long as the service can commit. When it
// stays away, that is the outsider's alarm.
type Heart struct {
	Store  *store.Store
	Client *http.Client
	Log    *slog.Logger
	Now    func() measure.Instant
}

const heartLook = 2 * time.Second

// Run sends until ctx ends. Several processes send one heartbeat between them.
func (h *Heart) Run(ctx context.Context) {
	tick := time.NewTicker(heartLook)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		own, err := config.SiteReach(ctx, h.Store)
		if err != nil || own.Heartbeat == nil {
			continue
		}
		now := h.Now()
		due, err := events.TakeHeartbeat(ctx, h.Store, now, now.Add(time.Duration(own.Heartbeat.Every)))
		if err != nil || !due {
			continue
		}
		h.beat(ctx, own.Heartbeat.URL)
	}
}

func (h *Heart) beat(ctx context.Context, address string) {
	limited, cancel := context.WithTimeout(ctx, attemptFor)
	defer cancel()
	bad := "the address is wrong"
	if r, err := http.NewRequestWithContext(limited, http.MethodPost, address, http.NoBody); err == nil {
		bad = ""
		if result := judged(ask(h.Client, r)); !result.OK {
			bad = result.Answer
		}
	}
	if ctx.Err() != nil {
		return
	}
	if bad != "" {
		h.Log.Warn("the heartbeat was not taken", "answer", bad)
	}
	if err := events.NoteHeartbeat(ctx, h.Store, h.Now(), clip(bad)); err != nil {
		h.Log.Debug(fmt.Sprintf("the heartbeat could not be noted: %v", err))
	}
}
