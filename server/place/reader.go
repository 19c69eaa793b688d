package place

import (
	"context"
	"fmt"

	"jauntylark/api"
	"jauntylark/core/feed"
	"jauntylark/pipeline/configure"
	"jauntylark/server/web"
	"jauntylark/store/config"
	"jauntylark/store/events"
)

// readerOperations has the operations of this file answered.
func readerOperations(v *web.Server) {
	web.Answer(v, api.ListReaders, listReaders)
	web.Keep(v, api.GetReader, getReader, api.PutReader, putReader, api.PatchReader)
	web.Carry(v, api.RemoveReader, removeReader)
	web.Answer(v, api.NewReaderKey, newReaderKey)
	web.Answer(v, api.RewindReader, rewindReader)
}

func listReaders(ctx context.Context, v *web.Server, _ *api.None) ([]feed.Reader, error) {
	all, err := config.Readers(ctx, v.Store)
	readers := make([]feed.Reader, len(all))
	for i := range all {
		readers[i] = all[i].Reader
	}
	return readers, err
}

func getReader(ctx context.Context, v *web.Server, in *api.ReaderPath) (feed.Reader, error) {
	all, err := listReaders(ctx, v, nil)
	return web.Named(all, err, "reader", in.Reader, func(r feed.Reader) string { return r.Name })
}

func putReader(ctx context.Context, v *web.Server, in *api.PutReaderIn) (feed.Reader, error) {
	r := &in.Body
	r.Name = in.Reader
	if r.Devices == nil {
		r.Devices = []string{}
	}
	if r.Kinds == nil {
		r.Kinds = []string{}
	}
	return *r, configure.SaveReader(ctx, v.Pipeline, r, web.Who(ctx))
}

func removeReader(ctx context.Context, v *web.Server, in *api.ReaderPath) error {
	if _, err := getReader(ctx, v, in); err != nil {
		return err
	}
	return configure.RemoveReader(ctx, v.Pipeline, in.Reader, web.Who(ctx))
}

func newReaderKey(ctx context.Context, v *web.Server, in *api.ReaderPath) (out api.ReaderKey, err error) {
	r, err := getReader(ctx, v, in)
	if err != nil {
		return out, err
	}
	key, hash := web.NewSecret(20)
	out = api.ReaderKey{User: "-", Key: key}
	if r.URL != "" {
		out.Secret = v.Signer.ReaderSecret(hash[:])
	}
	return out, configure.SetReaderKey(ctx, v.Pipeline, in.Reader, hash[:], web.Who(ctx))
}

func rewindReader(ctx context.Context, v *web.Server, in *api.RewindReaderIn) (r feed.Reader, err error) {
	if _, err := getReader(ctx, v, &in.ReaderPath); err != nil {
		return r, err
	}
	place, err := feed.ParsePlace(in.Body.Cursor)
	if err != nil {
		return r, web.Wrong("cursor", "is no place in the feed; it is next of a page, or the number of a commit")
	}
	begin, newest, err := events.FeedKnown(ctx, v.Store)
	if err != nil {
		return r, err
	}
	if place.No < begin || place.No > newest {
		return r, web.Wrong("cursor", fmt.Sprintf("is not among what is known: from %d to %d", begin, newest))
	}
	if err := configure.RewindReader(ctx, v.Pipeline, in.Reader, place, web.Who(ctx)); err != nil {
		return r, err
	}
	return getReader(ctx, v, &in.ReaderPath)
}
