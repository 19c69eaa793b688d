package web

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/store/config"
)

// Asked is where a request came from, and which address it was sent to.
type Asked struct{ Scheme, Host, From string }

// AskedOf tells where the request came from that a context is of.
func AskedOf(ctx context.Context) Asked {
	a, _ := ctx.Value(askedKey).(Asked)
	return a
}

// noteAsked keeps where a request came from for who answers it.
func noteAsked(h huma.Context) huma.Context {
	a := Asked{"http", h.Host(), h.RemoteAddr()}
	if h.TLS() != nil {
		a.Scheme = "https"
	}
	return huma.WithValue(h, askedKey, a)
}

// ZoneOf gives a time zone by name; site, or nothing: that of the site.
func ZoneOf(ctx context.Context, v *Server, name string) (*time.Location, error) {
	if name == "" || name == "site" {
		s, err := config.Site(ctx, v.Store)
		if err != nil {
			return nil, err
		}
		name = s.Zone
	}
	if strings.EqualFold(name, "utc") {
		return time.UTC, nil
	}
	zone, err := time.LoadLocation(name)
	if err != nil || name == "Local" {
		return nil, Wrong("zone", fmt.Sprintf("%q is not a time zone; write it like Europe/Dublin, or take site or UTC",
			name))
	}
	return zone, nil
}
