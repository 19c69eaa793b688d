package notify

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base32"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"strconv"
	"strings"
	"time"

	"jauntylark/core/measure"
)

// Signer makes and checks what is signed with the site's key.
type Signer struct{ Key []byte }

// linkLasts is for how long a link in a message is good.
const linkLasts = 48 * time.Hour

var (
	// ErrForged says that a link was not made here.
	ErrForged = errors.New("this link was not made here, or was cut off on its way")
	// ErrExpired says that a link is too old.
	ErrExpired = errors.New("this link is too old")
)

var base = base32.StdEncoding.WithPadding(base32.NoPadding)

const macBytes = 12

func (s Signer) mac(what string) []byte {
	m := hmac.New(sha256.New, s.Key)
	m.Write([]byte(what))
	return m.Sum(nil)
}

// Token is the signed number of a notice, good for two days: 6 bytes number, 4 bytes expiry in seconds, 12 bytes of
// HMAC-SHA-256 (RFC 2104), in base32.
func (s Signer) Token(notice int64, now measure.Instant) string {
	raw := binary.BigEndian.AppendUint64(nil, uint64(notice))[2:]
	raw = binary.BigEndian.AppendUint32(raw, uint32(now.Add(linkLasts)/1000))
	return strings.ToLower(base.EncodeToString(append(raw, s.mac("take " + string(raw))[:macBytes]...)))
}

// Notice gives the number of the notice that a token was made for: ErrForged, ErrExpired.
func (s Signer) Notice(token string, now measure.Instant) (int64, error) {
	raw, err := base.DecodeString(strings.ToUpper(token))
	if err != nil || len(raw) != 10+macBytes || !hmac.Equal(s.mac("take " + string(raw[:10]))[:macBytes], raw[10:]) {
		return 0, ErrForged
	}
	if measure.Instant(binary.BigEndian.Uint32(raw[6:]))*1000 < now {
		return 0, ErrExpired
	}
	return int64(binary.BigEndian.Uint64(append([]byte{0, 0}, raw[:6]...))), nil
}

// Callback is the secret part of the address at which a carrier's gateway calls back.
func (s Signer) Callback(carrier string) string {
	return hex.EncodeToString(s.mac("callback " + carrier)[:16])
}

// IsCallback tells whether a secret is that of a carrier.
func (s Signer) IsCallback(carrier, secret string) bool {
	return hmac.Equal([]byte(s.Callback(carrier)), []byte(secret))
}

// WebhookSecret is what requests to a webhook's address are signed with; each address has its own.
func (s Signer) WebhookSecret(addressID string) string {
	return hex.EncodeToString(s.mac("webhook " + addressID))
}

// Signature signs a request: HMAC-SHA-256 over the time in seconds, a full stop and the body, in hex.
func Signature(secret string, seconds int64, body []byte) string {
	m := hmac.New(sha256.New, []byte(secret))
	m.Write([]byte(strconv.FormatInt(seconds, 10) + "."))
	m.Write(body)
	return hex.EncodeToString(m.Sum(nil))
}
