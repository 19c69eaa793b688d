package main

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/png"
	"io"
	"net"
	"slices"
	"strings"
	"sync"
	"time"

	"jauntylark/api"
	"jauntylark/client"
	"jauntylark/core/measure"
	"jauntylark/core/site"
	"jauntylark/pipeline/record"
)

// siegePosts is how many single readings are sent one after the other, in calm and under each siege.
const siegePosts = 1500

// besieging measures how long others wait for the commit of a single reading while somebody besieges the service,
// beside calm.
func besieging(ctx context.Context, s *process) error {
	key, err := s.device(ctx, "besieged")
	if err != nil {
		return err
	}
	viewers, err := s.besieged(ctx)
	if err != nil {
		return err
	}
	other := &client.Client{URL: s.url, Token: key}
	calm, err := waits(ctx, other)
	if err != nil {
		return err
	}
	fmt.Printf("a single reading committed, in calm: p50 %s, p99 %s\n", calm.p50, calm.p99)
	for _, siege := range []struct {
		name string
		lay  func(context.Context)
	}{
		{"30 exports that nobody reads", func(ctx context.Context) { unreadExports(ctx, s, viewers) }},
		{"strangers at MQTT that say nothing", func(ctx context.Context) { silentStrangers(ctx, s.ways.MQTT) }},
		{"strangers at MQTT that claim long packets", func(ctx context.Context) { claimants(ctx, s.ways.MQTT) }},
		{"pictures of 16 million pixels", func(ctx context.Context) { largePictures(ctx, s) }},
		{"unknown keys", func(ctx context.Context) { unknownKeys(ctx, s.url) }},
		{"half-sent bodies", func(ctx context.Context) { halfBodies(ctx, s.url, key) }},
	} {
		laying, lift := context.WithCancel(ctx)
		var besiegers sync.WaitGroup
		besiegers.Go(func() { siege.lay(laying) })
		time.Sleep(500 * time.Millisecond)
		under, err := waits(ctx, other)
		lift()
		besiegers.Wait()
		if err != nil {
			return fmt.Errorf("%s: %w", siege.name, err)
		}
		fmt.Printf("  under %s: p50 %s (%.1f times), p99 %s (%.1f times)\n", siege.name, under.p50,
			ratioOf(under.p50, calm.p50), under.p99, ratioOf(under.p99, calm.p99))
	}
	return nil
}

func ratioOf(a, b time.Duration) float64 { return float64(a) / float64(b) }

// besieged makes what is besieged: a signal with much to export, and viewers.
func (s *process) besieged(ctx context.Context) (viewers []*client.Client, err error) {
	until := measure.InstantOf(time.Now())
	past := &record.Past{Signal: "besieged/past", Kind: site.KindNumber}
	for i := range 500_000 {
		past.Readings = append(past.Readings, measure.Reading{At: until - measure.Instant(500_000-i)*1000,
			Value: float64(i % 977)})
	}
	if _, err := record.Import(ctx, s.pipe, past); err != nil {
		return nil, err
	}
	for i := range 15 {
		email := fmt.Sprintf("siege%d@hollowbrook.example", i)
		if err := s.owner.Call(ctx, api.AddPerson.At(), map[string]any{"email": email, "name": "V", "role": "viewer",
			"password": password}, nil); err != nil {
			return nil, err
		}
		v := &client.Client{URL: s.url}
		var token struct {
			Token string `json:"token"`
		}
		if err := v.Call(ctx, api.CreateToken.At(), map[string]string{"email": email, "password": password},
			&token); err != nil {
			return nil, err
		}
		v.Token = token.Token
		viewers = append(viewers, v)
	}
	return viewers, nil
}

type waited struct{ p50, p99 time.Duration }

// waits sends single readings and tells how long their commits took.
func waits(ctx context.Context, c *client.Client) (waited, error) {
	took := make([]time.Duration, siegePosts)
	for i := range took {
		begun := time.Now()
		if _, err := c.SendReadings(ctx, "application/json", fmt.Appendf(nil, `{"level": %d}`, i%90)); err != nil {
			return waited{}, err
		}
		took[i] = time.Since(begun)
	}
	slices.Sort(took)
	return waited{took[len(took)/2].Round(10 * time.Microsecond), took[len(took)*99/100].Round(10 * time.Microsecond)},
		nil
}

// each lets so many besiegers go on until ctx ends.
func each(ctx context.Context, n int, besiege func(int)) {
	var all sync.WaitGroup
	defer all.Wait()
	for i := range n {
		all.Go(func() {
			for ctx.Err() == nil {
				besiege(i)
			}
		})
	}
}

// hang sends something and then neither sends nor reads until ctx ends or the other side has enough.
func hang(ctx context.Context, address, text string) {
	c, err := net.DialTimeout("tcp", address, time.Second)
	if err != nil {
		time.Sleep(10 * time.Millisecond)
		return
	}
	defer context.AfterFunc(ctx, func() { _ = c.Close() })()
	defer c.Close()
	_ = c.(*net.TCPConn).SetReadBuffer(4096)
	_, _ = io.WriteString(c, text)
	select {
	case <-ctx.Done():
	case <-time.After(5 * time.Second):
	}
}

func unreadExports(ctx context.Context, s *process, viewers []*client.Client) {
	each(ctx, 30, func(i int) {
		hang(ctx, strings.TrimPrefix(s.url, "http://"),
			api.ExportReadings.At().Asking("what", "besieged/past").String()+
				" HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer "+viewers[i%len(viewers)].Token+"\r\n\r\n")
	})
}

func silentStrangers(ctx context.Context, address string) {
	each(ctx, 1000, func(int) { hang(ctx, address, "\x10") })
}

func claimants(ctx context.Context, address string) {
	each(ctx, 60, func(int) {
		c, err := net.DialTimeout("tcp", address, time.Second)
		if err != nil {
			return
		}
		defer c.Close()
		_, _ = c.Write([]byte{0x10})
		_, _ = c.Write([]byte{0xff, 0xff, 0xff, 0x01})
		_ = c.SetReadDeadline(time.Now().Add(time.Second))
		_, _ = c.Read(make([]byte, 1))
	})
}

func largePictures(ctx context.Context, s *process) {
	var body bytes.Buffer
	_ = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&body, image.NewGray(image.Rect(0, 0, 4000, 4000)))
	each(ctx, 3, func(int) {
		_ = s.owner.Upload(ctx, api.AddPicture.At().Asking("name", "large"), "image/png", bytes.NewReader(body.Bytes()),
			nil)
	})
}

func unknownKeys(ctx context.Context, url string) {
	each(ctx, 20, func(i int) {
		c := &client.Client{URL: url, Token: fmt.Sprint("nobody-has-this-", i)}
		_, _ = c.SendReadings(ctx, "application/json", []byte(`{"a": 1}`))
	})
}

func halfBodies(ctx context.Context, url, key string) {
	each(ctx, 300, func(int) {
		hang(ctx, strings.TrimPrefix(url, "http://"), api.SendReadings.At().String()+
			" HTTP/1.1\r\nHost: x\r\nContent-Length: 4000000\r\nContent-Type: application/json\r\nAuthorization: "+
			"Bearer "+key+"\r\n\r\n[")
	})
}
