// Package trail carries for whom something is done through calls and messages, so that the lines of all logs about it can
// be found by one id: from the request that asked for a bake to the machine that makes a layer of it.
package trail

import (
	"context"
	"crypto/rand"
	"log/slog"
	"regexp"
)

// Trail is what something is done for.
type Trail struct {
	Request string `json:"request,omitzero"` // id of the request; none of what the service does by itself
	Bake    string `json:"bake,omitzero"`    // id of the bake
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
	return context.WithValue(ctx, key{}, t)
}

// Of is the trail of a context.
func Of(ctx context.Context) Trail {
	t, _ := ctx.Value(key{}).(Trail)
	return t
}

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
