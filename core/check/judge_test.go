package check_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/platform"
	"grotta/demo"
)

// A check that nobody waits for any more ends between two rules.
func TestAJudgementCanBeLeft(t *testing.T) {
	p, err := bake.Prepare(demo.Room())
	require.NoError(t, err)
	profile, err := platform.Named("baked-arena")
	require.NoError(t, err)
	ctx, leave := context.WithCancel(t.Context())
	leave()
	_, err = check.Of(p).Judge(ctx, profile)
	assert.ErrorIs(t, err, context.Canceled)
	r, err := check.Of(p).Judge(t.Context(), profile)
	require.NoError(t, err)
	assert.Equal(t, check.Run(p, profile), r)
}
