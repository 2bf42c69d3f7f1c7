// Package traces sends spans of OpenTelemetry to a collector: which steps a request and the bakes that it ordered take, on
// which machine, and how long each is.
package traces

import (
	"context"
	"fmt"
	"log/slog"
	"net/url"
	"sync/atomic"
	"time"

	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/exporters/otlp/otlptrace/otlptracehttp"
	"go.opentelemetry.io/otel/propagation"
	"go.opentelemetry.io/otel/sdk/resource"
	"go.opentelemetry.io/otel/sdk/trace"
)

// Options of sending.
type Options struct {
	To       string // address of a collector that takes OTLP over HTTP, such as http://collector.example:4318
	Part     string // of Grotta: serve or worker
	Instance string // name of this one, where there are several
	Version  string
	Log      *slog.Logger
}

// Send has the spans of this process sent. Headers, certificates and the share of traces that is sent come from the
// environment, by the names of OpenTelemetry (OTEL_EXPORTER_OTLP_HEADERS, OTEL_TRACES_SAMPLER and so on). A collector that
// is not reached holds nothing up: spans that find no room in the queue are dropped. stop sends what is left.
func Send(o Options) (stop func(), err error) {
	to, err := url.JoinPath(o.To, "v1/traces")
	if err != nil {
		return nil, err
	}
	sender, err := otlptracehttp.New(context.Background(), otlptracehttp.WithEndpointURL(to))
	if err != nil {
		return nil, fmt.Errorf("traces: %w", err)
	}
	about := []attribute.KeyValue{attribute.String("service.name", "grotta-"+o.Part), attribute.String("service.version", o.Version)}
	if o.Instance != "" {
		about = append(about, attribute.String("service.instance.id", o.Instance))
	}
	own, err := resource.New(context.Background(), resource.WithAttributes(about...), resource.WithHost(), resource.WithFromEnv())
	if err != nil {
		return nil, fmt.Errorf("traces: %w", err)
	}
	provider := trace.NewTracerProvider(trace.WithBatcher(&telling{SpanExporter: sender, to: o.To, log: o.Log}), trace.WithResource(own))
	otel.SetTracerProvider(provider)
	otel.SetTextMapPropagator(propagation.TraceContext{})
	otel.SetErrorHandler(otel.ErrorHandlerFunc(func(err error) { o.Log.Debug("traces", "error", err) })) // telling says it once
	return func() {
		ctx, end := context.WithTimeout(context.Background(), 3*time.Second)
		defer end()
		_ = provider.Shutdown(ctx) // what was not sent is lost; telling has said so
	}, nil
}

// telling is an exporter that says in the log when the collector is no longer reached, and when it is again.
type telling struct {
	trace.SpanExporter
	to   string
	log  *slog.Logger
	lost atomic.Bool
}

func (t *telling) ExportSpans(ctx context.Context, spans []trace.ReadOnlySpan) error {
	err := t.SpanExporter.ExportSpans(ctx, spans)
	switch {
	case err != nil && !t.lost.Swap(true):
		t.log.Warn("traces do not reach their collector; the work goes on without them", "to", t.to, "error", err)
	case err == nil && t.lost.Swap(false):
		t.log.Info("traces reach their collector again", "to", t.to)
	}
	return err
}
