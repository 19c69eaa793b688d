// Package server is the service's face: the API over HTTP, the live stream, and the console's files. It puts the
// operations of all nouns together; what is below it answers them.
package server

import (
	"log/slog"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"jauntylark/history"
	"jauntylark/intake/admission"
	"jauntylark/pipeline"
	"jauntylark/server/people"
	"jauntylark/server/place"
	"jauntylark/server/readings"
	"jauntylark/server/record"
	"jauntylark/server/web"
	"jauntylark/store"
)

// New makes the face of a service.
func New(s *store.Store, d *admission.Control, k *history.Upkeep, o web.Options) (*web.Server, error) {
	return web.New(s, d, k, o, slices.Concat(place.Operations, readings.Operations, people.Operations,
		record.Operations)...)
}

// DescribeAPI gives the API's description, without a service. It marshals to JSON; YAML gives it so.
func DescribeAPI() (*huma.OpenAPI, error) {
	log := slog.New(slog.DiscardHandler)
	v, err := New(nil, admission.New(nil, pipeline.New(nil, pipeline.Options{}), nil, admission.Rate{}, log), nil,
		web.Options{Log: log})
	if err != nil {
		return nil, err
	}
	return v.Description(), nil
}
