// Package client is the API's Go client: for the command line, the demo site and tests.
package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
)

// Client talks to one service. The zero Token signs nobody in.
type Client struct {
	URL   string // like http://127.0.0.1:8080
	Token string // a person's token or a device's key
	HTTP  *http.Client
	// Careful has what was shown saved only where it still is as it was shown (If-Match); else the answer is 412.
	Careful bool

	mu   sync.Mutex
	tags map[string]string // of what was shown, by its path
}

// Problem is a problem document that the service answered with.
type Problem struct {
	api.Problem
	After time.Duration `json:"-"` // from Retry-After; 0: the answer did not say
}

// Error gives the detail, and what is wrong with each field when the detail does not say.
func (p *Problem) Error() string {
	text := p.Detail
	if text == "" {
		text = fmt.Sprintf("%d %s", p.Status, p.Title)
	}
	for _, e := range p.Errors {
		if !strings.Contains(text, e.Message) {
			text += fmt.Sprintf("; %s: %s", strings.TrimPrefix(e.Location, "body."), e.Message)
		}
	}
	return text
}

// Do asks for an operation and gives its answer. One of 400 or more is a *Problem.
func Do[In, Out any](ctx context.Context, c *Client, op api.Op[In, Out], in In) (out Out, err error) {
	err = c.Call(ctx, op.PlaceOf(in), op.BodyOf(in), &out)
	return out, err
}

// Call sends in as JSON to a place, when it is not nil, and reads the answer into out, when it is not nil. An answer of
// 400 or more is a *Problem.
func (c *Client) Call(ctx context.Context, at api.Place, in, out any) error {
	_, err := c.call(ctx, at, in, out)
	return err
}

// Pages asks for a list page by page, from where in says to its end.
func Pages[In, T any](ctx context.Context, c *Client, op api.Op[In, []T], in In) iter.Seq2[[]T, error] {
	return func(each func([]T, error) bool) {
		for at := op.PlaceOf(in); at.Path != ""; {
			var page []T
			header, err := c.call(ctx, at, nil, &page)
			if !each(page, err) || err != nil {
				return
			}
			at.Path = nextOf(header)
		}
	}
}

// All gives a list to its end.
func All[In, T any](ctx context.Context, c *Client, op api.Op[In, []T], in In) ([]T, error) {
	all := []T{}
	for page, err := range Pages(ctx, c, op, in) {
		if err != nil {
			return nil, err
		}
		all = append(all, page...)
	}
	return all, nil
}

// nextOf gives where the next page of a list is; empty: there is none.
func nextOf(header http.Header) string {
	address, how, _ := strings.Cut(header.Get("Link"), ">")
	if !strings.Contains(how, `rel="next"`) {
		return ""
	}
	return strings.TrimPrefix(address, "<")
}

func (c *Client) call(ctx context.Context, at api.Place, in, out any) (http.Header, error) {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return nil, err
		}
		body = bytes.NewReader(data)
	}
	answer, err := c.send(ctx, at, "application/json", body, nil)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if out == nil || answer.StatusCode == http.StatusNoContent {
		_, err = io.Copy(io.Discard, answer.Body)
		return answer.Header, err
	}
	return answer.Header, json.NewDecoder(answer.Body).Decode(out)
}

// SendReadings sends a body of readings and tells what was refused. A pack of which nothing was taken
// is a *Problem.
func (c *Client) SendReadings(ctx context.Context, contentType string, body []byte) ([]measure.Refusal, error) {
	answer, err := c.send(ctx, api.SendReadings.At(), contentType, bytes.NewReader(body), nil)
	if err != nil {
		return nil, err
	}
	defer answer.Body.Close()
	if answer.StatusCode == http.StatusNoContent {
		return nil, nil
	}
	var out api.Accepted
	return out.Refused, json.NewDecoder(answer.Body).Decode(&out)
}

// SendAs sends a body of a device, with a person's token.
func (c *Client) SendAs(ctx context.Context, at api.Place, contentType, device string, body []byte) error {
	answer, err := c.send(ctx, at, contentType, bytes.NewReader(body), map[string]string{api.DeviceHeader: device})
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, err = io.Copy(io.Discard, answer.Body)
	return err
}

// Download writes what a place answers with to a writer.
func (c *Client) Download(ctx context.Context, at api.Place, to io.Writer) error {
	answer, err := c.send(ctx, at, "", nil, nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	_, err = io.Copy(to, answer.Body)
	return err
}

// Fetch asks for what is at a place and gives the answer, whose body the caller closes.
func (c *Client) Fetch(ctx context.Context, at api.Place, headers map[string]string) (*http.Response, error) {
	return c.send(ctx, at, "", nil, headers)
}

// Lines sends in as JSON and hands on each line of the answer as it comes. An answer of 400 or more is a *Problem.
func (c *Client) Lines(ctx context.Context, at api.Place, in any, each func(line []byte) error) error {
	data, err := json.Marshal(in)
	if err != nil {
		return err
	}
	answer, err := c.send(ctx, at, "application/json", bytes.NewReader(data), nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	lines := bufio.NewScanner(answer.Body)
	for lines.Scan() {
		if err := each(lines.Bytes()); err != nil {
			return err
		}
	}
	return lines.Err()
}

// Upload sends a file and reads the answer into out.
func (c *Client) Upload(ctx context.Context, at api.Place, contentType string, body io.Reader, out any) error {
	answer, err := c.send(ctx, at, contentType, body, nil)
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	return json.NewDecoder(answer.Body).Decode(out)
}

// Event is one server-sent event.
type Event struct {
	ID   string
	Name string // change or beat
	Data []byte
}

// Follow calls each with every event of the live stream after the commit numbered lastID ("" for
// from now on) until ctx ends, the stream breaks or each fails.
func (c *Client) Follow(ctx context.Context, lastID string, each func(Event) error) error {
	return c.Events(ctx, api.WatchLive.At(), lastID, each)
}

// Events does so with the server-sent events of any place.
func (c *Client) Events(ctx context.Context, at api.Place, lastID string, each func(Event) error) error {
	answer, err := c.send(ctx, at, "", nil, map[string]string{"Last-Event-ID": lastID})
	if err != nil {
		return err
	}
	defer answer.Body.Close()
	lines := bufio.NewReader(answer.Body)
	e := Event{}
	for {
		line, err := lines.ReadString('\n')
		if err != nil {
			return err
		}
		name, value, _ := strings.Cut(strings.TrimRight(line, "\n"), ": ")
		switch name {
		case "id":
			e.ID = value
		case "event":
			e.Name = value
		case "data":
			e.Data = []byte(value)
		case "":
			if err := each(e); err != nil {
				return err
			}
			e = Event{}
		}
	}
}

// tagFor gives the tag of what is to be saved, as it was last shown; empty: it was not.
func (c *Client) tagFor(at api.Place) string {
	c.mu.Lock()
	defer c.mu.Unlock()
	if at.Method != http.MethodPut && at.Method != http.MethodPatch {
		return ""
	}
	return c.tags[at.Path]
}

// note keeps the tag of what was shown or saved.
func (c *Client) note(at api.Place, tag string) {
	if !c.Careful {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.tags == nil {
		c.tags = map[string]string{}
	}
	c.tags[at.Path] = tag
}

func (c *Client) send(ctx context.Context, at api.Place, contentType string, body io.Reader,
	headers map[string]string) (*http.Response, error) {
	r, err := http.NewRequestWithContext(ctx, at.Method, strings.TrimRight(c.URL, "/")+at.Path, body)
	if err != nil {
		return nil, err
	}
	if contentType != "" {
		r.Header.Set("Content-Type", contentType)
	}
	if c.Token != "" {
		r.Header.Set("Authorization", "Bearer "+c.Token)
	}
	if tag := c.tagFor(at); tag != "" {
		r.Header.Set("If-Match", tag)
	}
	for name, value := range headers {
		if value != "" {
			r.Header.Set(name, value)
		}
	}
	web := c.HTTP
	if web == nil {
		web = http.DefaultClient
	}
	answer, err := web.Do(r)
	if err != nil {
		return nil, fmt.Errorf("the service at %s does not answer: %w", c.URL, errors.Unwrap(err))
	}
	if answer.StatusCode < 400 {
		c.note(at, answer.Header.Get("ETag"))
		return answer, nil
	}
	defer answer.Body.Close()
	data, err := io.ReadAll(io.LimitReader(answer.Body, 1<<20))
	problem := &Problem{Problem: api.Problem{Status: answer.StatusCode, Title: http.StatusText(answer.StatusCode)}}
	if err == nil && json.Unmarshal(data, problem) != nil {
		problem.Detail = fmt.Sprintf("%s answered %s", c.URL, answer.Status)
	}
	if seconds, err := strconv.Atoi(answer.Header.Get("Retry-After")); err == nil {
		problem.After = time.Duration(seconds) * time.Second
	}
	return nil, problem
}
