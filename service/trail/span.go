package trail

import (
	"context"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/codes"
	"go.opentelemetry.io/otel/trace"
)

// Begin starts a span of a trace of OpenTelemetry: a step that something takes, with what it is about. end takes how
// the step went. Nothing is recorded until traces.Send is called.
func Begin(ctx context.Context, name string, about ...attribute.KeyValue) (_ context.Context, end func(error)) {
	ctx, span := otel.Tracer("grotta").Start(ctx, name, trace.WithAttributes(about...))
	return ctx, func(err error) {
		if err != nil {
			span.SetStatus(codes.Error, err.Error())
		}
		span.End()
	}
}

// Note adds what a span is about to the span of a context.
func Note(ctx context.Context, about ...attribute.KeyValue) {
	trace.SpanFromContext(ctx).SetAttributes(about...)
}
