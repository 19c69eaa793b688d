package server

import (
	"github.com/danielgtaylor/huma/v2"
)

// origin is the address that a request was sent to.
type origin struct{ scheme, host string }

// Resolve learns it.
func (o *origin) Resolve(ctx huma.Context) []error {
	o.scheme, o.host = "http", ctx.Host()
	if ctx.TLS() != nil {
		o.scheme = "https"
	}
	return nil
}
