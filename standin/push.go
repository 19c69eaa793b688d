package standin

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/ecdh"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"io"
	"net/http"
	"strings"
	"time"

	"jauntylark/api"
	"jauntylark/core/measure"
)

// Browser is a browser that has push switched on: it alone can read what is sent to it.
type Browser struct {
	Endpoint string
	Auth     []byte // the authentication secret, 16 bytes
	key      *ecdh.PrivateKey
}

// NewBrowser makes a browser with keys of its own; with those given, for a test vector.
func NewBrowser(private, auth []byte) (b *Browser, err error) {
	b = &Browser{Auth: auth}
	if private == nil {
		b.Auth = make([]byte, 16)
		_, _ = rand.Read(b.Auth)
		b.key, err = ecdh.P256().GenerateKey(rand.Reader)
		return b, err
	}
	b.key, err = ecdh.P256().NewPrivateKey(private)
	return b, err
}

// Keys gives the browser's public key and its authentication secret, base64url.
func (b *Browser) Keys() (p256dh, auth string) {
	return base64.RawURLEncoding.EncodeToString(b.key.PublicKey().Bytes()), base64.RawURLEncoding.EncodeToString(b.Auth)
}

// Subscribe lets a new browser get its messages through the stand-in.
func (g *Gateway) Subscribe(name string) (*Browser, error) {
	b, err := NewBrowser(nil, nil)
	if err != nil {
		return nil, err
	}
	b.Endpoint = g.URL + "/push/" + name
	g.mu.Lock()
	defer g.mu.Unlock()
	g.browsers[name] = b
	return b, nil
}

// push takes a message for a browser (RFC 8030 section 5), and reads it as the browser would.
func (g *Gateway) push(w http.ResponseWriter, r *http.Request) {
	if g.refused(w, r, "push") {
		return
	}
	g.mu.Lock()
	b := g.browsers[r.PathValue("browser")]
	g.mu.Unlock()
	switch {
	case b == nil:
		http.Error(w, "this browser has unsubscribed", http.StatusGone)
		return
	case r.Header.Get("TTL") == "":
		http.Error(w, "TTL is missing", http.StatusBadRequest)
		return
	case !strings.HasPrefix(r.Header.Get("Authorization"), "vapid t="):
		http.Error(w, "the sender does not say who it is", http.StatusUnauthorized)
		return
	}
	body, err := io.ReadAll(io.LimitReader(r.Body, 1<<16))
	if err == nil {
		body, err = b.Open(body)
	}
	if err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	var said struct{ Title, Body, Tag string }
	if err := json.Unmarshal(body, &said); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	m := api.Message{Carrier: "push", To: b.Endpoint, Subject: said.Title, Text: said.Body, Ref: said.Tag,
		ReceivedAt: measure.InstantOf(time.Now())}
	if _, err := g.in.add(m); err != nil {
		http.Error(w, "the inbox is full", http.StatusServiceUnavailable)
		return
	}
	w.Header().Set("Location", b.Endpoint+"/message")
	w.WriteHeader(http.StatusCreated)
}

var errSealed = errors.New("this message cannot be opened with the browser's keys")

// Open decrypts a message of one record: aes128gcm (RFC 8188), keyed for Web Push (RFC 8291 section 3.4).
func (b *Browser) Open(message []byte) ([]byte, error) {
	const saltBytes, keyBytes = 16, 65
	if len(message) < saltBytes+5+keyBytes || message[saltBytes+4] != keyBytes {
		return nil, errSealed
	}
	salt, sender, sealed := message[:saltBytes], message[saltBytes+5:saltBytes+5+keyBytes],
		message[saltBytes+5+keyBytes:]
	public, err := ecdh.P256().NewPublicKey(sender)
	if err != nil {
		return nil, errSealed
	}
	shared, err := b.key.ECDH(public)
	if err != nil {
		return nil, errSealed
	}
	derive := func(secret, salt []byte, info string, length int) []byte {
		key, deriveErr := hkdf.Key(sha256.New, secret, salt, info, length)
		err = errors.Join(err, deriveErr)
		return key
	}
	ikm := derive(shared, b.Auth, "WebPush: info\x00"+string(b.key.PublicKey().Bytes())+string(sender), 32)
	cek := derive(ikm, salt, "Content-Encoding: aes128gcm\x00", 16)
	nonce := derive(ikm, salt, "Content-Encoding: nonce\x00", 12)
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(cek)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCM(block)
	if err != nil {
		return nil, err
	}
	padded, err := aead.Open(nil, nonce, sealed, nil)
	if err != nil {
		return nil, errSealed
	}
	plain := strings.TrimRight(string(padded), "\x00")
	if !strings.HasSuffix(plain, "\x02") { // the mark of the last record
		return nil, errSealed
	}
	return []byte(plain[:len(plain)-1]), nil
}
