package traces

import (
	"bytes"
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.opentelemetry.io/otel"
	"go.opentelemetry.io/otel/sdk/trace"

	"grotta/service/trail"
)

// Spans are sent when the sending ends, with headers from the environment.
func TestSpansAreSent(t *testing.T) {
	t.Setenv("OTEL_EXPORTER_OTLP_HEADERS", "key=of-the-collector")
	var paths []string
	var key string
	to := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		paths, key = append(paths, r.URL.Path), r.Header.Get("Key")
	}))
	defer to.Close()
	before := otel.GetTracerProvider()
	defer otel.SetTracerProvider(before)
	stop, err := Send(Options{To: to.URL + "/of/us", Part: "serve", Log: slog.New(slog.DiscardHandler)})
	require.NoError(t, err)
	ctx, end := trail.Begin(t.Context(), "a step")
	carried := trail.Of(ctx)
	_, endInner := trail.Begin(trail.With(t.Context(), carried), "a step elsewhere")
	endInner(nil)
	end(nil)
	stop()
	assert.Equal(t, []string{"/of/us/v1/traces"}, paths)
	assert.Equal(t, "of-the-collector", key)
	assert.Regexp(t, `^00-[0-9a-f]{32}-[0-9a-f]{16}-01$`, carried.Span)
	_, err = Send(Options{To: "http://a b"})
	assert.Error(t, err)
}

type failing struct {
	trace.SpanExporter
	fails atomic.Bool
}

func (f *failing) ExportSpans(context.Context, []trace.ReadOnlySpan) error {
	if f.fails.Load() {
		return assert.AnError
	}
	return nil
}

// The log says once that a collector is not reached, and once that it is again.
func TestALostCollectorIsSaidOnce(t *testing.T) {
	var log bytes.Buffer
	to := &failing{}
	e := &telling{SpanExporter: to, to: "there", log: slog.New(slog.NewTextHandler(&log, nil))}
	export := func() { _ = e.ExportSpans(t.Context(), nil) }
	export()
	assert.Empty(t, log.String())
	to.fails.Store(true)
	export()
	export()
	assert.Equal(t, 1, strings.Count(log.String(), "do not reach"))
	to.fails.Store(false)
	export()
	export()
	assert.Equal(t, 1, strings.Count(log.String(), "again"))
}
