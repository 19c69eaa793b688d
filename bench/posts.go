package main

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"sync/atomic"
	"time"

	"github.com/labstack/echo/v5"

	"jauntylark/api"
)

const (
	postConnections = 256
	postFor         = 6 * time.Second
)

// posts compares single readings over kept-alive connections with an Echo handler that only reads
// the body.
func posts(ctx context.Context, s *process) error {
	bare, err := bareEcho()
	if err != nil {
		return err
	}
	_, keys, err := s.devices(ctx, "post", postConnections)
	if err != nil {
		return err
	}
	// The first reading makes each signal; that is not what is measured.
	if _, err := hammer(s.url, api.SendReadings.At().Path, keys, time.Second, http.StatusNoContent); err != nil {
		return err
	}
	ours, err := hammer(s.url, api.SendReadings.At().Path, keys, postFor, http.StatusNoContent)
	if err != nil {
		return err
	}
	fmt.Printf("single readings over %d connections, committed: %.0f/s\n", postConnections, ours)
	fmt.Printf("  Echo handler that only reads the body: %.0f/s, ratio %.2f (aim 0.3)\n", bare, ours/bare)
	return nil
}

func bareEcho() (float64, error) {
	e := echo.New()
	e.POST("/", func(c *echo.Context) error {
		if _, err := io.Copy(io.Discard, c.Request().Body); err != nil {
			return err
		}
		return c.NoContent(http.StatusNoContent)
	})
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	server := &http.Server{Handler: e}
	go server.Serve(listener)
	defer server.Close()
	keys := make([]string, postConnections)
	return hammer("http://"+listener.Addr().String(), "/", keys, postFor, http.StatusNoContent)
}

// hammer posts a reading over each connection, one after the other, for so long, and gives how many
// were answered a second.
func hammer(url, path string, keys []string, long time.Duration, want int) (float64, error) {
	var answered atomic.Int64
	begin := time.Now()
	err := atOnce(len(keys), func(w int) error {
		c, err := call(url)
		if err != nil {
			return err
		}
		defer c.conn.Close()
		for n := 0; time.Since(begin) < long; n++ {
			body := fmt.Appendf(nil, `{"temp": %d.5}`, n%50)
			if status, err := c.post(path, keys[w], "application/json", body); err != nil || status != want {
				return fmt.Errorf("post: %d %v", status, err)
			}
			answered.Add(1)
		}
		return nil
	})
	return rate(int(answered.Load()), time.Since(begin)), err
}
