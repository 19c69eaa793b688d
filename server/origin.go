package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"
)

// asked is where a request came from, and which address it was sent to.
type asked struct{ scheme, host, from string }

func askedOf(ctx context.Context) asked {
	a, _ := ctx.Value(askedKey).(asked)
	return a
}

// noteAsked keeps where a request came from for who answers it.
func noteAsked(h huma.Context) huma.Context {
	a := asked{"http", h.Host(), h.RemoteAddr()}
	if h.TLS() != nil {
		a.scheme = "https"
	}
	return huma.WithValue(h, askedKey, a)
}
