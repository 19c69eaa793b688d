package main

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"sync"
)

// caller is one kept-alive connection that posts ready-made requests: as little client as there can
// be, so that the figures are the server's.
type caller struct {
	conn net.Conn
	in   *bufio.Reader
	host string
}

func call(address string) (*caller, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, err
	}
	conn, err := net.Dial("tcp", u.Host)
	if err != nil {
		return nil, err
	}
	return &caller{conn: conn, in: bufio.NewReader(conn), host: u.Host}, nil
}

// post sends one request and reads the answer's status.
func (c *caller) post(path, key, contentType string, body []byte) (int, error) {
	head := fmt.Sprintf(
		"POST %s HTTP/1.1\r\nHost: %s\r\nAuthorization: Bearer %s\r\nContent-Type: %s\r\nContent-Length: %d\r\n\r\n",
		path, c.host, key, contentType, len(body))
	if _, err := c.conn.Write(append([]byte(head), body...)); err != nil {
		return 0, err
	}
	answer, err := http.ReadResponse(c.in, nil)
	if err != nil {
		return 0, err
	}
	if _, err := io.Copy(io.Discard, answer.Body); err != nil {
		return 0, err
	}
	return answer.StatusCode, answer.Body.Close()
}

// atOnce runs n workers and gives the first error.
func atOnce(n int, work func(worker int) error) error {
	errs := make([]error, n)
	var all sync.WaitGroup
	for i := range n {
		all.Go(func() { errs[i] = work(i) })
	}
	all.Wait()
	return errors.Join(errs...)
}
