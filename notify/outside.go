package notify

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"jauntylark/core/measure"
)

// errPrivate says that an address is not outside.
var errPrivate = errors.New(
	"this is a private address; the service goes there only when it runs with --private-addresses")

// notPublic are the networks that are not of the public internet, or lead to such as are not: the special-purpose
// address registries of IANA (RFC 6890), and what was given up (site-local, IPv4-compatible and 6to4 addresses).
var notPublic = prefixes(`0.0.0.0/8 10.0.0.0/8 100.64.0.0/10 127.0.0.0/8 169.254.0.0/16 172.16.0.0/12 192.0.0.0/24 192.0.2.0/24 192.88.99.0/24
	192.168.0.0/16 198.18.0.0/15 198.51.100.0/24 203.0.113.0/24 224.0.0.0/4 240.0.0.0/4
	::/96 64:ff9b::/96 64:ff9b:1::/48 100::/64 100:0:0:1::/64 2001::/23 2001:db8::/32 2002::/16 3fff::/20 5f00::/16 fc00::/7 fe80::/10 fec0::/10 ff00::/8`)

func prefixes(text string) (all []netip.Prefix) {
	for _, p := range strings.Fields(text) {
		all = append(all, netip.MustParsePrefix(p))
	}
	return all
}

// private tells whether an address is not one of the public internet.
func private(a netip.Addr) bool {
	a = a.Unmap().WithZone("")
	return !a.IsValid() || slices.ContainsFunc(notPublic, func(p netip.Prefix) bool { return p.Contains(a) })
}

// NewOutside makes an HTTP client that follows no redirects. Unless private addresses are allowed it connects to public
// ones alone: what counts is the address that is connected to, whatever name it went by.
func NewOutside(allowPrivate bool) *http.Client {
	dialer := &net.Dialer{Timeout: 10 * time.Second}
	if !allowPrivate {
		dialer.Control = func(_, address string, _ syscall.RawConn) error {
			to, err := netip.ParseAddrPort(address)
			if err != nil || private(to.Addr()) {
				return errPrivate
			}
			return nil
		}
	}
	return &http.Client{
		Transport: &http.Transport{DialContext: dialer.DialContext, ForceAttemptHTTP2: true,
			MaxIdleConnsPerHost: hands, IdleConnTimeout: time.Minute, TLSHandshakeTimeout: 10 * time.Second},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}

// answerMost bounds what is read of an answer.
const answerMost = 64 << 10

// ask makes a request and gives the status and the body that came back.
func ask(client *http.Client, r *http.Request) (status int, body []byte, again time.Duration, err error) {
	r.Header.Set("User-Agent", "JauntyLark")
	answer, err := client.Do(r)
	if err != nil {
		return 0, nil, 0, err
	}
	defer answer.Body.Close()
	body, err = io.ReadAll(io.LimitReader(answer.Body, answerMost))
	return answer.StatusCode, body, retryAfter(answer.Header.Get("Retry-After"), time.Now()), err
}

// retryAfter reads the header of that name (RFC 9110 section 10.2.3): seconds, or a date.
func retryAfter(text string, now time.Time) time.Duration {
	if seconds, err := strconv.Atoi(text); err == nil && seconds > 0 {
		return time.Duration(seconds) * time.Second
	}
	if at, err := http.ParseTime(text); err == nil && at.After(now) {
		return at.Sub(now)
	}
	return 0
}

// judged gives what an answer by HTTP means where 2xx is success. 408, 425, 429 and 5xx may pass; 401 and 403 may be
// mended here; any other is final.
func judged(status int, body []byte, again time.Duration, err error) Result {
	if err != nil {
		return Result{Answer: plainly(err), Final: errors.Is(err, errPrivate)}
	}
	said := strings.Join(strings.Fields(string(body)), " ")
	answer := strings.TrimSpace(fmt.Sprintf("%d %s: %s", status, http.StatusText(status), said))
	answer = strings.TrimSuffix(answer, ":")
	switch {
	case status >= 200 && status < 300:
		return Result{OK: true, Answer: answer}
	case status >= 500 || status == 401 || status == 403 || status == 408 || status == 425 || status == 429:
		return Result{Answer: answer, Again: again}
	}
	return Result{Answer: answer, Final: true}
}

// plainly says what went wrong without the address, which may hold a secret.
func plainly(err error) string {
	switch {
	case errors.Is(err, errPrivate):
		return errPrivate.Error()
	case errors.Is(err, context.DeadlineExceeded):
		return "it did not answer in time"
	}
	var dial *net.OpError
	if errors.As(err, &dial) && dial.Err != nil { // the other side's address says nothing to who reads it, or hears it
		return strings.TrimPrefix(dial.Err.Error(), "connect: ")
	}
	text := err.Error()
	if i := strings.LastIndex(text, `": `); i >= 0 {
		text = text[i+3:]
	}
	return text
}

// unix is an instant in seconds.
func unix(i measure.Instant) int64 { return int64(i) / 1000 }
