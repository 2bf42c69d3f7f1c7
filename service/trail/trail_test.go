package trail_test

import (
	"bytes"
	"context"
	"log/slog"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/service/trail"
)

func TestATrailGrowsOnItsWay(t *testing.T) {
	assert.Zero(t, trail.Of(context.Background()))
	ctx := trail.With(context.Background(), trail.Trail{Request: "from-a-click"})
	ctx = trail.With(ctx, trail.Trail{Bake: "b1"})
	assert.Equal(t, trail.Trail{Request: "from-a-click", Bake: "b1"}, trail.Of(ctx))
	var text bytes.Buffer
	trail.Of(ctx).Log(slog.New(slog.NewTextHandler(&text, nil))).Info("a layer")
	assert.Contains(t, text.String(), "request=from-a-click bake=b1")
	text.Reset()
	trail.Trail{}.Log(slog.New(slog.NewTextHandler(&text, nil))).Info("a layer")
	assert.NotContains(t, text.String(), "request=")
}

func TestIDsOfRequests(t *testing.T) {
	assert.Equal(t, "my-own-id-7", trail.RequestID("my-own-id-7"))
	for _, bad := range []string{"", "short", "two words here", "line\nbreak-in-it", strings.Repeat("x", 65)} {
		made := trail.RequestID(bad)
		assert.Len(t, made, 16)
		assert.NotEqual(t, made, trail.RequestID(bad))
	}
}
