package coapin

import (
	"context"
	"net"
	"time"

	piondtls "github.com/pion/dtls/v3"
	"github.com/plgd-dev/go-coap/v3/dtls"
	coapnet "github.com/plgd-dev/go-coap/v3/net"
	"github.com/plgd-dev/go-coap/v3/net/blockwise"
	"github.com/plgd-dev/go-coap/v3/options"
	"github.com/plgd-dev/go-coap/v3/udp"
	"github.com/plgd-dev/go-coap/v3/udp/client"
)

// Plain is a UDP socket that is open for CoAP without DTLS.
type Plain struct{ socket *coapnet.UDPConn }

// ListenPlain opens a UDP socket.
func ListenPlain(address string) (*Plain, error) {
	socket, err := coapnet.NewListenUDP("udp", address)
	if err != nil {
		return nil, err
	}
	return &Plain{socket}, nil
}

// Addr is where it listens.
func (p *Plain) Addr() net.Addr { return p.socket.LocalAddr() }

// Close closes the socket.
func (p *Plain) Close() error { return p.socket.Close() }

const (
	blockTransfer   = time.Minute // for all blocks of a body
	messageAtMost   = 64 << 10
	messagesWaiting = 16 // of one connection
)

// ServePlain answers without DTLS until ctx ends.
func (w *Way) ServePlain(ctx context.Context, p *Plain) error {
	server := udp.NewServer(options.WithContext(ctx), options.WithMux(w.handler(ctx, w.plainSender)),
		options.WithErrors(w.complain),
		options.WithMaxMessageSize(messageAtMost), options.WithBlockwise(true, blockwise.SZX1024, blockTransfer),
		options.WithReceivedMessageQueueSize(messagesWaiting), options.WithRequestMonitor(hideBlock),
		options.WithInactivityMonitor(keepOpen, func(c *client.Conn) { _ = c.Close() }))
	stop := context.AfterFunc(ctx, server.Stop)
	defer stop()
	return ended(ctx, server.Serve(p.socket))
}

// DTLS is a UDP socket that is open for CoAP over DTLS.
type DTLS struct{ listener *coapnet.DTLSListener }

// ListenDTLS opens a socket whose handshakes take the devices' keys.
func (w *Way) ListenDTLS(address string) (*DTLS, error) {
	listener, err := coapnet.NewDTLSListener("udp", address, coapnet.NewDTLSServerOptions(
		piondtls.WithPSK(w.keyOf),
		piondtls.WithPSKIdentityHint([]byte("jaunty")),
		piondtls.WithCipherSuites(piondtls.TLS_PSK_WITH_AES_128_CCM_8, piondtls.TLS_PSK_WITH_AES_128_CCM,
			piondtls.TLS_PSK_WITH_AES_128_GCM_SHA256),
		piondtls.WithConnectionIDGenerator(piondtls.RandomCIDGenerator(8)),
		piondtls.WithOnConnectionAttempt(w.mayShakeHands),
	))
	if err != nil {
		return nil, err
	}
	return &DTLS{listener}, nil
}

// Addr is where it listens.
func (d *DTLS) Addr() net.Addr { return d.listener.Addr() }

// Close closes the socket.
func (d *DTLS) Close() error { return d.listener.Close() }

// ServeDTLS answers over DTLS until ctx ends.
func (w *Way) ServeDTLS(ctx context.Context, d *DTLS) error {
	server := dtls.NewServer(options.WithContext(ctx), options.WithMux(w.handler(ctx, w.dtlsSender)),
		options.WithErrors(w.complain),
		options.WithMaxMessageSize(messageAtMost), options.WithBlockwise(true, blockwise.SZX1024, blockTransfer),
		options.WithReceivedMessageQueueSize(messagesWaiting), options.WithRequestMonitor(hideBlock),
		options.WithOnNewConn(w.opened),
		options.WithInactivityMonitor(keepOpen, func(c *client.Conn) { _ = c.Close() }))
	stop := context.AfterFunc(ctx, func() { server.Stop(); _ = d.listener.Close() })
	defer stop()
	return ended(ctx, server.Serve(d.listener))
}

func ended(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return nil
	}
	return err
}

func (w *Way) complain(err error) { w.log.Debug("CoAP", "error", err) }

// Run looks after observers and handshakes until ctx ends.
func (w *Way) Run(ctx context.Context) {
	defer w.observers.telling.Wait() // their connections end with ctx
	tick := time.NewTicker(time.Second)
	defer tick.Stop()
	for {
		directory, changed := w.admission.Look()
		_, _, ordered := w.admission.Orders.Look()
		w.observers.tell(directory, w.admission.Pipeline.Now(), w.stateOf)
		w.closeRevoked(directory)
		for again := true; again; {
			select {
			case <-ctx.Done():
				return
			case <-changed:
				again = false
			case <-ordered:
				again = false
			case <-tick.C:
				w.judgeHandshakes()
				w.observers.remind(directory, w.stateOf)
			}
		}
	}
}
