package backup

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/layer"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
	"grotta/service/blob"
	"grotta/service/store"
)

// folder is a data folder with one person, one level and one layer, and the hash of that
// layer.
func folder(t *testing.T) (data, hash string) {
	t.Helper()
	data = t.TempDir()
	st, err := store.Open(data)
	require.NoError(t, err)
	defer st.Close()
	require.NoError(t, st.AddUser("maren", "salt-marsh-light"))
	_, err = st.CreateLevel(store.Asker{ID: 1, Name: "maren"}, demo.Room(), "create")
	require.NoError(t, err)
	blobs, err := blob.Open(filepath.Join(data, blobFolder))
	require.NoError(t, err)
	baked := layer.Layer{Key: "key", PageSize: 128, Pages: 1}
	content := baked.Encode()
	hash, err = blobs.Put(content)
	require.NoError(t, err)
	require.NoError(t, st.AddLayer("key", hash, len(content)))
	return data, hash
}

func TestABackupComesBackWhole(t *testing.T) {
	data, _ := folder(t)
	file, restored := filepath.Join(t.TempDir(), "all.backup"), filepath.Join(t.TempDir(), "new")
	wrote, err := Write(data, file)
	require.NoError(t, err)
	assert.Equal(t, 1, wrote.Blobs)
	_, err = Restore(file, restored)
	require.NoError(t, err)
	found, err := Verify(restored)
	require.NoError(t, err)
	assert.True(t, found.Sound(), found.Faults)
	assert.Equal(t, 1, found.Layers)
	assert.Positive(t, found.Documents)

	_, err = Restore(file, restored)
	assert.ErrorContains(t, err, "is not empty")
}

// Wherever a backup is cut or has a wrong byte, it is refused and leaves no folder.
func TestADamagedBackupLeavesNothing(t *testing.T) {
	data, _ := folder(t)
	file := filepath.Join(t.TempDir(), "all.backup")
	_, err := Write(data, file)
	require.NoError(t, err)
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	for i := range 12 {
		at := len(whole) * i / 12
		restored := filepath.Join(t.TempDir(), "new")
		require.NoError(t, os.WriteFile(file, whole[:at], 0o600))
		_, err := Restore(file, restored)
		assert.Error(t, err, "cut at %d of %d", at, len(whole))
		assert.NoDirExists(t, restored)
	}
	wrong := append([]byte(nil), whole...)
	wrong[len(wrong)/2] ^= 0x55 // in the database
	require.NoError(t, os.WriteFile(file, wrong, 0o600))
	restored := filepath.Join(t.TempDir(), "new")
	_, err = Restore(file, restored)
	assert.ErrorContains(t, err, "is no whole backup")
	assert.NoDirExists(t, restored)
}

func TestVerifyNamesADamagedLayer(t *testing.T) {
	data, hash := folder(t)
	path := filepath.Join(data, blobFolder, hash[:2], hash)
	content, err := os.ReadFile(path)
	require.NoError(t, err)
	content[len(content)-1] ^= 1
	require.NoError(t, os.WriteFile(path, content, 0o600))
	found, err := Verify(data)
	require.NoError(t, err)
	require.Len(t, found.Faults, 1)
	assert.Contains(t, found.Faults[0], "layer key")

	require.NoError(t, os.Remove(path))
	found, err = Verify(data)
	require.NoError(t, err)
	assert.Len(t, found.Faults, 1)

	_, err = Verify(t.TempDir())
	assert.Error(t, err, "a folder without data")
}
