package web

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/labstack/echo/v5"

	"jauntylark/api"
	"jauntylark/core/feed"
	"jauntylark/core/prose"
	"jauntylark/core/site"
	"jauntylark/store"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// feedOperations has the operations of this file answered.
func feedOperations(v *Server) {
	Answer(v, api.GetChanges, getChanges)
	AnswerFile(v, api.WatchChanges.Operation, (*Server).watchChanges)
}

// mayAsk gives the person whom a session or token lets do an operation; where a reader's key is enough, that stands for a
// viewer of its own, and the context says whose it is.
func (v *Server) mayAsk(ctx context.Context, op *api.Operation, token string) (context.Context, site.Person, error) {
	person, err := v.whoMay(ctx, token, op.Role)
	var status huma.StatusError
	if !op.Reader || !errors.As(err, &status) || status.GetStatus() != http.StatusUnauthorized {
		return ctx, person, err
	}
	switch r, readerErr := v.readerOf(ctx, token); {
	case errors.Is(readerErr, store.ErrNotFound):
		return ctx, person, err
	case readerErr != nil:
		return ctx, person, v.problem(readerErr)
	default:
		return context.WithValue(ctx, readerKey, r), site.Person{ID: -r.ID, Name: r.Name, Role: site.Viewer}, nil
	}
}

// readerOf gives the reader whose key it is; store.ErrNotFound: it is no reader's.
func (v *Server) readerOf(ctx context.Context, key string) (*feed.Reader, error) {
	if key == "" {
		return nil, store.ErrNotFound
	}
	hash := sha256.Sum256([]byte(key))
	ctx, cancel := context.WithTimeout(store.For(ctx, store.Pages), askedWithin)
	defer cancel()
	return config.ReaderByKey(ctx, v.Store, hash[:])
}

// scopeOf narrows the feed to what is asked for, and what a reader may be told. It is false where nothing is left.
func scopeOf(ctx context.Context, in *api.FeedScope) (q events.FeedQuery, some bool) {
	q.Kinds, q.Devices = in.Kinds, in.Devices
	r, _ := ctx.Value(readerKey).(*feed.Reader)
	if r == nil {
		return q, true
	}
	var left [2]bool
	q.Kinds, left[0] = both(in.Kinds, r.Kinds)
	q.Devices, left[1] = both(in.Devices, r.Devices)
	return q, left[0] && left[1]
}

// both gives what is in two lists, of which one without anything means all.
func both(a, b []string) (in []string, some bool) {
	switch {
	case len(a) == 0:
		return b, true
	case len(b) == 0:
		return a, true
	}
	for _, one := range a {
		for _, other := range b {
			if one == other {
				in = append(in, one)
			}
		}
	}
	return in, len(in) > 0
}

// placeIn gives the place that a cursor names; usual where it names none.
func placeIn(ctx context.Context, v *Server, cursor, usual string) (feed.Place, error) {
	if cursor == "" {
		cursor = usual
	}
	switch cursor {
	case newestPlace, oldestPlace:
		oldest, newest, err := events.FeedKnown(ctx, v.Store)
		if cursor == oldestPlace {
			newest = oldest
		}
		return feed.After(newest), err
	}
	place, err := feed.ParsePlace(cursor)
	if err != nil {
		return place, Wrong("cursor", err.Error()+"; it is next of a page, the number of a commit, now or oldest")
	}
	return place, nil
}

// The places that are named.
const (
	newestPlace = "now"
	oldestPlace = "oldest"
)

// pageOf gives a page of the feed.
func pageOf(ctx context.Context, v *Server, q events.FeedQuery, some bool) (feed.Page, error) {
	if !some {
		_, newest, err := events.FeedKnown(ctx, v.Store)
		return feed.Page{Changes: []feed.Change{}, Next: feed.After(newest), Newest: newest}, err
	}
	page, err := events.Feed(ctx, v.Store, q)
	var unknown *events.ErrForgotten
	if errors.As(err, &unknown) {
		detail := fmt.Sprintf("Changes are known after commits %d to %d. Begin with cursor=%d, or with cursor=now and what "+
			"there is now.", unknown.Begin, unknown.Newest, unknown.Begin)
		return page, api.FaultOf(http.StatusGone).Problem(detail,
			api.WrongPart{Location: "query.cursor", Message: fmt.Sprintf("%s is not among them", q.After)})
	}
	return page, err
}

func getChanges(ctx context.Context, v *Server, in *api.GetChangesIn) (out api.ChangesPage, err error) {
	q, some := scopeOf(ctx, &in.FeedScope)
	if q.After, err = placeIn(ctx, v, in.Cursor, oldestPlace); err != nil {
		return out, err
	}
	q.Limit = in.Limit
	page, err := pageOf(ctx, v, q, some)
	return api.ChangesPage{Changes: page.Changes, Next: page.Next.String(), Newest: page.Newest,
		More: page.Next != feed.After(page.Newest)}, err
}

const (
	feedAtOnce = 200 // changes of a step of a stream
	feedRests  = 100 * time.Millisecond
)

// watchChanges streams the feed: "change" with a feed.Change, whose id is the place after its commit, and "beat" with the
// time at least every five seconds, whose id is the place that was reached.
func (v *Server) watchChanges(c *echo.Context) error {
	r := c.Request()
	ctx := r.Context()
	person := PersonOf(ctx)
	done, err := v.streams.enter(person.ID)
	if err != nil {
		return err
	}
	defer done()
	query := c.QueryParams()
	q, some := scopeOf(ctx, &api.FeedScope{Kinds: query["kind"], Devices: query["device"]})
	for _, kind := range query["kind"] {
		if _, known := both([]string{kind}, feed.Kinds); !known {
			return Wrong("kind", site.Unknown("kind", kind, feed.Kinds)+"; there are "+prose.List(feed.Kinds))
		}
	}
	cursor := r.Header.Get("Last-Event-ID")
	if cursor == "" {
		cursor = query.Get("cursor")
	}
	if q.After, err = placeIn(ctx, v, cursor, newestPlace); err != nil {
		return err
	}
	q.Limit = feedAtOnce
	page, err := turnPage(ctx, v, person, q, some)
	if err != nil {
		return err
	}
	s := &feedStream{v: v, c: c, query: q, some: some}
	return s.run(page)
}

// turnPage gives a page of the feed in the person's turn.
func turnPage(ctx context.Context, v *Server, person site.Person, q events.FeedQuery, some bool) (feed.Page, error) {
	ctx, end := context.WithTimeout(store.For(ctx, store.Long), opLasts)
	defer end()
	done, err := v.looks.acquire(ctx, person.ID)
	if err != nil {
		return feed.Page{}, err
	}
	defer done()
	return pageOf(ctx, v, q, some)
}

// feedStream is one stream of the feed.
type feedStream struct {
	v     *Server
	c     *echo.Context
	query events.FeedQuery
	some  bool
	out   *http.ResponseController
}

// run tells a page, and then what follows, until the client goes, its session ends or the service stops.
func (s *feedStream) run(page feed.Page) error {
	ctx := s.c.Request().Context()
	s.out = http.NewResponseController(s.c.Response())
	_ = s.out.SetReadDeadline(time.Time{}) // it stays open
	h := s.c.Response().Header()
	h.Set("Content-Type", "text/event-stream")
	h.Set("Cache-Control", "no-store")
	h.Set("X-Accel-Buffering", "no")
	s.c.Response().WriteHeader(http.StatusOK)
	beat := time.NewTicker(heartbeat)
	defer beat.Stop()
	away := false
	for {
		moved := s.v.hub.commits.Next() // asked for before the page is: no commit falls between
		if err := s.tell(&page); err != nil {
			return nil // the client has gone
		}
		for rest := page.Next == feed.After(page.Newest) || away; rest; {
			select {
			case <-ctx.Done():
				return nil
			case <-s.v.hub.closed:
				return nil
			case <-moved:
				pause(ctx, feedRests)
				rest = false
			case <-beat.C:
				if rest = !away; s.beat(away) != nil {
					return nil
				}
			}
		}
		next, err := turnPage(ctx, s.v, PersonOf(ctx), s.query, s.some)
		var problem *api.Problem
		switch away = store.Away(err); {
		case err == nil:
			page = next
		case errors.As(err, &problem) && problem.Status == http.StatusGone:
			return nil // that is told when the client comes again
		default:
			page.Changes = nil
			pause(ctx, time.Second)
		}
	}
}

// tell writes the changes of a page; the last of each commit has the place after it as its id.
func (s *feedStream) tell(page *feed.Page) error {
	var text []byte
	for i := range page.Changes {
		change, err := event("change", 0, &page.Changes[i])
		if err != nil {
			return err
		}
		switch last := i == len(page.Changes)-1; {
		case last:
			text = fmt.Appendf(text, "id: %s\n", page.Next)
		case page.Changes[i+1].No != page.Changes[i].No:
			text = fmt.Appendf(text, "id: %d\n", page.Changes[i].No)
		}
		text = append(text, change.text...)
	}
	s.query.After = page.Next
	if len(text) == 0 {
		return nil
	}
	_, err := s.c.Response().Write(text)
	return errors.Join(err, s.out.Flush())
}

func (s *feedStream) beat(away bool) error {
	if s.ended() {
		_, _ = s.c.Response().Write(ended.text)
		return errors.Join(errSessionEnded, s.out.Flush())
	}
	beat, err := event("beat", 0, api.Beat{Now: s.v.Pipeline.Now(), Away: away || s.v.hub.away.Load()})
	if err == nil {
		_, err = s.c.Response().Write(append(fmt.Appendf(nil, "id: %s\n", s.query.After), beat.text...))
	}
	return errors.Join(err, s.out.Flush())
}

var errSessionEnded = errors.New("the session has ended")

// ended tells whether who asks may ask no more. While the database is away nobody knows.
func (s *feedStream) ended() bool {
	r := s.c.Request()
	if reader, is := r.Context().Value(readerKey).(*feed.Reader); is {
		now, err := s.v.readerOf(r.Context(), tokenOf(r))
		return errors.Is(err, store.ErrNotFound) || err == nil && now.ID != reader.ID
	}
	return s.v.sessionEnded(r)
}
