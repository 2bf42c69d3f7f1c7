// Package trail carries for whom something is done through calls and messages, so that the lines of all logs about it can
// be found by one id: from the request that asked for a bake to the machine that makes a layer of it.
package trail

import (
	"context"
	"crypto/rand"
	"log/slog"
	"regexp"

	"go.opentelemetry.io/otel/propagation"
)

// Trail is what something is done for.
type Trail struct {
	Request string `json:"request,omitzero"` // id of the request; none of what the service does by itself
	Bake    string `json:"bake,omitzero"`    // id of the bake
	Span    string `json:"span,omitzero"`    // the span that it belongs to, as a traceparent of W3C Trace Context
}

type key struct{}

// With is a context of what is done for a trail. What the trail leaves out stays.
func With(ctx context.Context, t Trail) context.Context {
	was := Of(ctx)
	if t.Request == "" {
		t.Request = was.Request
	}
	if t.Bake == "" {
		t.Bake = was.Bake
	}
	if t.Span != "" {
		ctx = spans.Extract(ctx, propagation.MapCarrier{spanKey: t.Span})
	}
	t.Span = "" // the context has it
	return context.WithValue(ctx, key{}, t)
}

// Of is the trail of a context.
func Of(ctx context.Context) Trail {
	t, _ := ctx.Value(key{}).(Trail)
	here := propagation.MapCarrier{}
	spans.Inject(ctx, here)
	t.Span = here[spanKey]
	return t
}

const spanKey = "traceparent"

var spans propagation.TraceContext

// Log is a logger whose lines have the ids of a trail.
func (t Trail) Log(log *slog.Logger) *slog.Logger {
	if t.Request != "" {
		log = log.With("request", t.Request)
	}
	if t.Bake != "" {
		log = log.With("bake", t.Bake)
	}
	return log
}

// given is what a caller's own id of a request may be.
var given = regexp.MustCompile(`^[A-Za-z0-9._-]{8,64}$`)

// RequestID is the id that a caller gave a request, if it is one, or a new one.
func RequestID(own string) string {
	if given.MatchString(own) {
		return own
	}
	return rand.Text()[:16]
}
