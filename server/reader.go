package server

import (
	"context"

	"jauntylark/api"
)

func (v *Server) newReaderKey(ctx context.Context, _ *api.None) (api.ReaderKey, error) {
	key, hash := secret(20)
	return api.ReaderKey{User: "-", Key: key}, v.pipeline.SetReader(ctx, hash[:], who(ctx))
}

func (v *Server) endReaderKey(ctx context.Context, _ *api.None) error {
	return v.pipeline.SetReader(ctx, nil, who(ctx))
}
