package notify

import (
	"bytes"
	"context"
	"encoding/hex"
	"encoding/json"
	"errors"
	"log/slog"
	"net/http"
	"strconv"
	"sync"
	"time"

	"jauntylark/api"
	"jauntylark/core/feed"
	"jauntylark/core/measure"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// Feed posts the feed of changes to the readers that have an address, each from where it was, page by page: the next
// goes out when the one before is taken. Several processes may do it at once.
type Feed struct {
	Store  *store.Store
	Client *http.Client
	Signer Signer
	Log    *slog.Logger
	Now    func() measure.Instant
	Judge  func(context.Context) error // tells of readers that do not take what is posted, now and then
}

const (
	feedChanges = 500         // in a post
	feedHold    = time.Minute // after a crash, a post that was on its way is made again this much later
	feedRests   = 250 * time.Millisecond
	feedHands   = 8 // readers that are posted to at once
	feedTries   = 5 * time.Second
)

// FeedPost is the body of a post: a page of the feed (docs/webhook.md).
type FeedPost struct {
	Reader string `json:"reader"`
	api.ChangesPage
	// what came before is not known any more, since nothing was taken for a week, or the site was restored
	Gone bool `json:"gone,omitempty"`
}

// ReaderSecret is what posts to a reader are signed with; it changes with the reader's key.
func (s Signer) ReaderSecret(keyHash []byte) string {
	return hex.EncodeToString(s.mac("reader " + hex.EncodeToString(keyHash)))
}

// Run posts until ctx ends.
func (f *Feed) Run(ctx context.Context) {
	var commits store.Bell
	var under sync.WaitGroup
	defer under.Wait()
	under.Go(func() {
		for ctx.Err() == nil {
			_ = store.Listen(ctx, f.Store, func(int64) { commits.Ring() })
			pause(ctx, feedTries)
		}
	})
	judge := time.NewTicker(feedTries)
	defer judge.Stop()
	slots := make(chan struct{}, feedHands)
	for ctx.Err() == nil {
		committed := commits.Next()
		due, err := config.ReadersDue(ctx, f.Store, f.Now())
		if err != nil {
			due = nil
		}
		for _, r := range due {
			mine, err := config.ClaimReader(ctx, f.Store, &r, f.Now().Add(feedHold))
			if err != nil || !mine {
				continue
			}
			slots <- struct{}{}
			under.Go(func() {
				defer func() { <-slots }()
				f.serve(ctx, &r)
			})
		}
		select {
		case <-ctx.Done():
		case <-committed:
			pause(ctx, feedRests)
		case <-judge.C:
			if err := f.Judge(ctx); err != nil && ctx.Err() == nil {
				f.Log.Warn("readers could not be judged, will try again", "error", err)
			}
		}
	}
}

func pause(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

// serve posts what follows to a reader, as long as it takes it and there is more. It is claimed anew for each post.
func (f *Feed) serve(ctx context.Context, r *config.ReaderKey) {
	for ctx.Err() == nil {
		place, _ := feed.ParsePlace(r.Cursor) // after a restore it is nowhere, and is told so
		post, next, err := f.page(ctx, r, place)
		if err != nil {
			f.note(ctx, r, place, f.Now().Add(feedTries), "")
			return
		}
		var result Result
		if result.OK = true; len(post.Changes) > 0 || post.Gone {
			result = f.post(ctx, r, post)
		}
		if ctx.Err() != nil && !result.OK {
			return // we are stopping; the claim runs out and it is posted again
		}
		if !result.OK {
			r.Failures++
			wait := max(waits[min(r.Failures, len(waits))-1], min(result.Again, againMost))
			f.note(ctx, r, place, f.Now().Add(wait), clip(result.Answer))
			return
		}
		r.Failures = 0
		if !post.More {
			f.note(ctx, r, next, 0, "")
			return
		}
		f.note(ctx, r, next, f.Now().Add(feedHold), "")
		r.Cursor = next.String()
	}
}

// note writes down how far a reader is; what is not written is posted again.
func (f *Feed) note(ctx context.Context, r *config.ReaderKey, place feed.Place, due measure.Instant, said string) {
	if err := config.Posted(context.WithoutCancel(ctx), f.Store, r, place, f.Now(), due, said); err != nil {
		f.Log.Warn("how far a reader of the feed is could not be written down", "reader", r.Name, "error", err)
	}
}

// page gives the page after a place, or, where that is not known any more, an empty one that says so and goes on from
// what is.
func (f *Feed) page(ctx context.Context, r *config.ReaderKey, after feed.Place) (post FeedPost, next feed.Place, err error) {
	page, err := events.Feed(ctx, f.Store, events.FeedQuery{After: after, Kinds: r.Kinds, Devices: r.Devices,
		Limit: feedChanges})
	var unknown *events.ErrForgotten
	if errors.As(err, &unknown) {
		next = feed.After(unknown.Begin)
		return FeedPost{Reader: r.Name, Gone: true, ChangesPage: api.ChangesPage{Changes: []feed.Change{},
			Next: next.String(), Newest: unknown.Newest, More: unknown.Newest > unknown.Begin}}, next, nil
	}
	return FeedPost{Reader: r.Name, ChangesPage: api.ChangesPage{Changes: page.Changes, Next: page.Next.String(),
		Newest: page.Newest, More: page.Next != feed.After(page.Newest)}}, page.Next, err
}

// post makes one signed request. Whatever is answered but 2xx, it is made again.
func (f *Feed) post(ctx context.Context, r *config.ReaderKey, post FeedPost) Result {
	body, err := json.Marshal(post)
	if err != nil {
		return Result{Answer: "the body could not be made: " + err.Error()}
	}
	limited, cancel := context.WithTimeout(context.WithoutCancel(ctx), attemptFor)
	defer cancel()
	defer context.AfterFunc(ctx, func() { time.AfterFunc(stopGrace, cancel) })()
	request, err := http.NewRequestWithContext(limited, http.MethodPost, r.URL, bytes.NewReader(body))
	if err != nil {
		return Result{Answer: "the address is wrong"}
	}
	seconds := unix(f.Now())
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Jaunty-Time", strconv.FormatInt(seconds, 10))
	request.Header.Set("Jaunty-Signature", "hmac-sha256="+Signature(f.Signer.ReaderSecret(r.Hash), seconds, body))
	return judged(ask(f.Client, request))
}
