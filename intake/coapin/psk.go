package coapin

import (
	"crypto/sha256"
	"fmt"
	"net"
	"sync"
	"time"

	"jauntylark/pipeline/credential"

	piondtls "github.com/pion/dtls/v3"
	"github.com/plgd-dev/go-coap/v3/mux"
	"github.com/plgd-dev/go-coap/v3/udp/client"

	"jauntylark/core/measure"
)

// handshakes remembers who began one, since a wrong key shows up only as a handshake that never ends,
// and which connections are open.
type handshakes struct {
	mu    sync.Mutex
	begun map[string]time.Time
	open  map[*client.Conn]opened
}

type opened struct {
	identity string
	key      [32]byte
}

const (
	handshakeTakes = 5 * time.Second
	begunAtMost    = 1000
)

func newHandshakes() *handshakes {
	return &handshakes{begun: map[string]time.Time{}, open: map[*client.Conn]opened{}}
}

// mayShakeHands refuses handshakes from addresses that are shut out.
func (w *Way) mayShakeHands(from net.Addr) error { return w.admission.ShutOut(host(from)) }

// keyOf gives the key of a DTLS identity: a device's, a deleted device's, or the enrolment key.
func (w *Way) keyOf(identity []byte) ([]byte, error) {
	name := string(identity)
	key, err := w.admission.PreSharedKey(name)
	if err != nil {
		w.admission.Knock(credential.Sender{Name: name, Protocol: Protocol})
		return nil, err
	}
	w.tries.mu.Lock()
	defer w.tries.mu.Unlock()
	if len(w.tries.begun) < begunAtMost {
		w.tries.begun[name] = time.Now()
	}
	return []byte(key), nil
}

func identityOf(conn net.Conn) string {
	secure, is := conn.(*piondtls.Conn)
	if !is {
		return ""
	}
	state, known := secure.ConnectionState()
	if !known {
		return ""
	}
	return string(state.IdentityHint)
}

// opened notes that a handshake was finished.
func (w *Way) opened(conn *client.Conn) {
	identity := identityOf(conn.NetConn())
	key, err := w.admission.PreSharedKey(identity)
	if err != nil {
		_ = conn.Close()
		return
	}
	w.tries.mu.Lock()
	delete(w.tries.begun, identity)
	w.tries.open[conn] = opened{identity, sha256.Sum256([]byte(key))}
	w.tries.mu.Unlock()
	conn.AddOnClose(func() {
		w.tries.mu.Lock()
		delete(w.tries.open, conn)
		w.tries.mu.Unlock()
	})
}

// judgeHandshakes tells of those that were begun and never finished.
func (w *Way) judgeHandshakes() {
	var late []string
	w.tries.mu.Lock()
	for identity, at := range w.tries.begun {
		if time.Since(at) > handshakeTakes {
			late = append(late, identity)
			delete(w.tries.begun, identity)
		}
	}
	w.tries.mu.Unlock()
	directory, _ := w.admission.Look()
	for _, identity := range late {
		s := credential.Sender{Name: identity, Protocol: Protocol}
		w.admission.Knock(s)
		if key, known := directory.Identity[identity]; known {
			w.admission.Complain(directory.ByID[key.Device], s,
				fmt.Sprintf("a DTLS handshake as %q was not finished: the key is perhaps wrong", identity))
		}
	}
}

// closeRevoked closes the connections whose keys are not good any more.
func (w *Way) closeRevoked(directory *credential.Directory) {
	now := w.admission.Pipeline.Now()
	w.tries.mu.Lock()
	var gone []*client.Conn
	for conn, o := range w.tries.open {
		if !good(directory, o, now) {
			gone = append(gone, conn)
		}
	}
	w.tries.mu.Unlock()
	for _, conn := range gone {
		_ = conn.Close()
	}
}

func good(directory *credential.Directory, o opened, now measure.Instant) bool {
	_, err := directory.Identify(credential.Sender{Key: o.key, Name: o.identity}, now)
	return err == nil
}

// dtlsSender is who sends over DTLS: as the handshake proved. A gateway may name a device behind it.
func (w *Way) dtlsSender(conn mux.Conn, in *mux.Message) (credential.Sender, error) {
	identity := identityOf(conn.NetConn())
	s := credential.Sender{Name: identity, Protocol: Protocol, Address: host(conn.RemoteAddr())}
	key, err := w.admission.PreSharedKey(identity)
	if err != nil {
		return s, fmt.Errorf("%w: %w", credential.ErrKeyUnknown, err)
	}
	s.Key = sha256.Sum256([]byte(key))
	if behind := query(in, "device"); behind != "" {
		s.Name = behind
	}
	return s, nil
}
