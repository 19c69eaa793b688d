package standin

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"sync"
	"time"

	piondtls "github.com/pion/dtls/v3"
	"github.com/plgd-dev/go-coap/v3/dtls"
	"github.com/plgd-dev/go-coap/v3/message"
	"github.com/plgd-dev/go-coap/v3/message/codes"
	"github.com/plgd-dev/go-coap/v3/message/pool"
	"github.com/plgd-dev/go-coap/v3/options"
	"github.com/plgd-dev/go-coap/v3/udp/client"

	"jauntylark/core/drive"
	"jauntylark/core/site"
)

// CoAP is a link over CoAP with DTLS.
type CoAP struct {
	Address, Name, Key string

	mu      sync.Mutex
	conn    *client.Conn
	outputs []string
	ear     *Ear
}

// connection gives the connection, opened anew when it is gone.
func (c *CoAP) connection(ctx context.Context) (*client.Conn, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.conn != nil && c.conn.Context().Err() == nil {
		return c.conn, nil
	}
	conn, err := DialCoAP(c.Address, c.Name, c.Key)
	if err != nil {
		return nil, err
	}
	c.conn = conn
	if c.ear != nil {
		c.observeAll(ctx, conn)
	}
	return conn, nil
}

// DialCoAP opens a connection for CoAP over DTLS with a pre-shared key.
func DialCoAP(address, identity, key string) (*client.Conn, error) {
	return dtls.Dial(address, dtls.NewDTLSClientOptions(
		piondtls.WithPSK(func([]byte) ([]byte, error) { return []byte(key), nil }),
		piondtls.WithPSKIdentityHint([]byte(identity)),
		piondtls.WithCipherSuites(piondtls.TLS_PSK_WITH_AES_128_CCM_8),
	), options.WithErrors(func(error) {})) // each exchange tells its own
}

// drop forgets a connection that does not answer.
func (c *CoAP) drop(conn *client.Conn) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.conn == conn {
		_ = conn.Close()
		c.conn = nil
	}
}

const (
	answerTakes = 10 * time.Second
	reconnect   = 10 * time.Second
)

// Send posts a pack and waits for the answer.
func (c *CoAP) Send(ctx context.Context, pack []byte) error {
	return c.exchange(ctx, func(ctx context.Context, conn *client.Conn) (*pool.Message, error) {
		return conn.Post(ctx, "/intake", message.AppSenmlJSON, bytes.NewReader(pack))
	})
}

// Report tells what the device runs.
func (c *CoAP) Report(ctx context.Context, r site.Report) error {
	body, err := json.Marshal(r)
	if err != nil {
		return err
	}
	return c.exchange(ctx, func(ctx context.Context, conn *client.Conn) (*pool.Message, error) {
		return conn.Put(ctx, "/settings", message.AppJSON, bytes.NewReader(body))
	})
}

func (c *CoAP) exchange(ctx context.Context, do func(context.Context, *client.Conn) (*pool.Message, error)) error {
	conn, err := c.connection(ctx)
	if err != nil {
		return err
	}
	limited, cancel := context.WithTimeout(ctx, answerTakes)
	defer cancel()
	answer, err := do(limited, conn)
	if err != nil {
		c.drop(conn)
		return err
	}
	if answer.Code() == codes.Changed {
		return nil
	}
	reason, _ := answer.ReadBody()
	if answer.Code() >= codes.InternalServerError || answer.Code() == codes.TooManyRequests ||
		answer.Code() == codes.Unauthorized {
		c.drop(conn)
		return fmt.Errorf("%v: %s", answer.Code(), reason)
	}
	return &Refused{fmt.Sprintf("%v: %s", answer.Code(), reason)}
}

// Orders observes the settings and the outputs.
func (c *CoAP) Orders(ctx context.Context, outputs []string, ear Ear) {
	c.mu.Lock()
	c.outputs, c.ear = outputs, &ear
	if c.conn != nil {
		c.observeAll(ctx, c.conn)
	}
	c.mu.Unlock()
	for ctx.Err() == nil { // a device that seldom sends is to hear at once
		_, _ = c.connection(ctx)
		pause(ctx, reconnect)
	}
}

func (c *CoAP) observeAll(ctx context.Context, conn *client.Conn) {
	ear := c.ear
	observe(ctx, conn, "/settings", func(o site.Order) { go ear.Settings(o) })
	for _, name := range c.outputs {
		observe(ctx, conn, "/outputs/"+name, func(o drive.OutputOrder) { ear.Output(name, o) })
	}
}

func observe[T any](ctx context.Context, conn *client.Conn, path string, hear func(T)) {
	go func() {
		_, _ = conn.Observe(ctx, path, func(m *pool.Message) {
			var order T
			if m.Body() == nil || m.Code() != codes.Content {
				return
			}
			if body, err := io.ReadAll(m.Body()); err == nil && json.Unmarshal(body, &order) == nil {
				hear(order)
			}
		})
	}()
}

// Confirm tells what an output does.
func (c *CoAP) Confirm(ctx context.Context, output string, r drive.OutputReport) error {
	body, err := json.Marshal(r)
	if err != nil {
		return err
	}
	return c.exchange(ctx, func(ctx context.Context, conn *client.Conn) (*pool.Message, error) {
		return conn.Put(ctx, "/outputs/"+output, message.AppJSON, bytes.NewReader(body))
	})
}

// Close ends the connection.
func (c *CoAP) Close() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.conn != nil {
		_ = c.conn.Close()
	}
}
