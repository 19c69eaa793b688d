package place

import (
	"context"

	"jauntylark/api"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
)

// readerOperations has the operations of this file answered.
func readerOperations(v *web.Server) {
	web.Answer(v, api.NewReaderKey, newReaderKey)
	web.Carry(v, api.EndReaderKey, endReaderKey)
}

func newReaderKey(ctx context.Context, v *web.Server, _ *api.None) (api.ReaderKey, error) {
	key, hash := web.NewSecret(20)
	return api.ReaderKey{User: "-", Key: key}, configure.SetReader(ctx, v.Pipeline, hash[:], web.Who(ctx))
}

func endReaderKey(ctx context.Context, v *web.Server, _ *api.None) error {
	return configure.SetReader(ctx, v.Pipeline, nil, web.Who(ctx))
}
