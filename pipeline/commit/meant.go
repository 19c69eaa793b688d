package commit

import (
	"context"
	"errors"
)

// ErrMoved says that the configuration is another by now than the one that an act is meant for; nothing was done.
var ErrMoved = errors.New("the configuration has changed meanwhile")

// meant is the configuration that one act is meant for.
type meant struct {
	configNo int64
	used     bool
}

type meantKey struct{}

// MeantFor lets the first act under the context run on the configuration of that number alone, and fail with ErrMoved
// where it is another by then.
func MeantFor(ctx context.Context, configNo int64) context.Context {
	return context.WithValue(ctx, meantKey{}, &meant{configNo: configNo})
}

func meantOf(ctx context.Context) *meant {
	m, _ := ctx.Value(meantKey{}).(*meant)
	if m == nil || m.used {
		return nil
	}
	m.used = true
	return m
}

func (m *meant) is(configNo int64) bool { return m == nil || m.configNo == configNo }
