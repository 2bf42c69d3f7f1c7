package cluster

import (
	"bytes"
	"errors"
	"io"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/service/objects"
)

// Objects of a copy come back as they were put, are listed by the beginning of their names, and leave nothing behind.
func TestRecordsOfACluster(t *testing.T) {
	r, err := OpenRecords(t.Context(), startServer(t))
	require.NoError(t, err)
	defer r.Close()
	ctx, data := t.Context(), bytes.Repeat([]byte("lux"), 200_000) // more than one piece
	found, err := r.List(ctx, "ltx/")
	require.NoError(t, err)
	assert.Empty(t, found)
	_, err = r.Open(ctx, "ltx/0/1")
	require.ErrorIs(t, err, objects.ErrNotFound)
	for _, name := range []string{"ltx/0/1", "ltx/0/2", "ltx/1/1"} {
		size, err := r.PutFrom(ctx, name, bytes.NewReader(data))
		require.NoError(t, err)
		assert.EqualValues(t, len(data), size)
	}
	from, err := r.Open(ctx, "ltx/0/2")
	require.NoError(t, err)
	got, err := io.ReadAll(from)
	require.NoError(t, errors.Join(err, from.Close()))
	assert.True(t, bytes.Equal(data, got))
	found, err = r.List(ctx, "ltx/0/")
	require.NoError(t, err)
	require.Len(t, found, 2)
	assert.EqualValues(t, len(data), found[0].Size)
	assert.WithinDuration(t, time.Now(), found[0].Time, time.Minute)

	for _, name := range []string{"ltx/0/1", "ltx/0/2", "ltx/1/1", "ltx/1/1"} {
		require.NoError(t, r.Delete(ctx, name), "twice is no error")
	}
	info, err := r.stream.Info(ctx)
	require.NoError(t, err)
	assert.Zero(t, info.State.Msgs)
}
