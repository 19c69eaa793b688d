package server

import "context"

// ReaderKey is a key for reading the site's alarms over MQTT.
type ReaderKey struct {
	User string `json:"user" doc:"the user name that goes with it"`
	Key  string `json:"key" doc:"told once"`
}

func (v *Server) newReaderKey(ctx context.Context, _ *none) (*body[ReaderKey], error) {
	key, hash := secret(20)
	return answer(ReaderKey{"-", key}, v.pipeline.SetReader(ctx, hash[:], who(ctx)))
}

func (v *Server) endReaderKey(ctx context.Context, _ *none) (*none, error) {
	return nil, v.pipeline.SetReader(ctx, nil, who(ctx))
}
