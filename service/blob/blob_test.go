package blob

import (
	"io/fs"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestBlobsAreNamedByContentAndVerified(t *testing.T) {
	dir := t.TempDir()
	s, err := Open(dir)
	require.NoError(t, err)
	hash, err := s.Put([]byte("light"))
	require.NoError(t, err)
	assert.Len(t, hash, 64)
	again, err := s.Put([]byte("light"))
	require.NoError(t, err)
	assert.Equal(t, hash, again)
	data, err := s.Get(hash)
	require.NoError(t, err)
	assert.Equal(t, "light", string(data))

	require.NoError(t, os.WriteFile(s.path(hash), []byte("dark"), 0o600))
	_, err = s.Get(hash)
	assert.ErrorIs(t, err, ErrDamaged)
	for _, name := range []string{"", "../../etc/passwd", hash[:63] + "0"} {
		_, err = s.Get(name)
		assert.ErrorIs(t, err, fs.ErrNotExist, name)
	}
	left, err := fs.Glob(os.DirFS(dir), "new-*")
	require.NoError(t, err)
	assert.Empty(t, left, "no half-written file stays")
}
