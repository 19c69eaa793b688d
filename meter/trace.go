package meter

import (
	"context"
	"os"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/sdk/resource"
	sdk "go.opentelemetry.io/otel/sdk/trace"
)

// endpoints are the variables that say where traces go (OpenTelemetry's environment variable specification).
var endpoints = []string{"OTEL_EXPORTER_OTLP_ENDPOINT", "OTEL_EXPORTER_OTLP_TRACES_ENDPOINT"}

// Trace has traces sent by OTLP over HTTP where one of OpenTelemetry's variables says an endpoint, and gives what sends
// the last of them. Without an endpoint there are no traces, and following costs nothing.
func Trace(ctx context.Context) (end func(context.Context) error, err error) {
	set := false
	for _, name := range endpoints {
		set = set || os.Getenv(name) != ""
	}
	if !set {
		return func(context.Context) error { return nil }, nil
	}
	exporter, err := otlptracehttp.New(ctx)
	if err != nil {
		return nil, err
	}
	named, err := resource.Merge(resource.NewSchemaless(attribute.String("service.name", "jaunty")),
		resource.Environment())
	if err != nil {
		return nil, err
	}
	provider := sdk.NewTracerProvider(sdk.WithBatcher(exporter), sdk.WithResource(named))
	otel.SetTracerProvider(provider)
	return provider.Shutdown, nil
}

var tracer = otel.Tracer("jauntylark")

// Follow follows something that begins now, as a span of a trace, and gives what ends it, with how it ended.
func Follow(ctx context.Context, name string, about ...attribute.KeyValue) (context.Context, func(error)) {
	ctx, span := tracer.Start(ctx, name)
	if !span.IsRecording() {
		return ctx, func(error) {}
	}
	span.SetAttributes(about...)
	return ctx, func(err error) {
		if err != nil {
			span.SetStatus(codes.Error, err.Error())
		}
		span.End()
	}
}
