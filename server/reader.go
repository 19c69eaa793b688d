package server

import (
	"context"

	"jauntylark/api"
	"jauntylark/pipeline/configure"
)

func (v *Server) newReaderKey(ctx context.Context, _ *api.None) (api.ReaderKey, error) {
	key, hash := secret(20)
	return api.ReaderKey{User: "-", Key: key}, configure.SetReader(ctx, v.pipeline, hash[:], who(ctx))
}

func (v *Server) endReaderKey(ctx context.Context, _ *api.None) error {
	return configure.SetReader(ctx, v.pipeline, nil, who(ctx))
}
