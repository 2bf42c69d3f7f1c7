package backup

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/service/store"
)

// A copy of records has no layers, and a layer may be lost on disk: what is restored does not name them.
func TestLayersThatAreNotRestoredAreForgotten(t *testing.T) {
	data, hash := folder(t)
	for name, restore := range map[string]func(to string) error{
		"a copy of records": func(to string) error {
			_, err := RestoreRecords(to, func(file string) (time.Time, error) {
				st, err := store.OpenExisting(data)
				require.NoError(t, err)
				defer st.Close()
				return time.Now(), st.CopyTo(file)
			})
			return err
		},
		"a backup with a lost layer": func(to string) error {
			require.NoError(t, os.Remove(filepath.Join(data, blobFolder, hash[:2], hash)))
			file := filepath.Join(t.TempDir(), "all.backup")
			done, err := Write(data, file)
			require.NoError(t, err)
			assert.Equal(t, 1, done.Lost)
			_, err = Restore(file, to)
			return err
		},
	} {
		t.Run(name, func(t *testing.T) {
			restored := filepath.Join(t.TempDir(), "new")
			require.NoError(t, restore(restored))
			found, err := Verify(restored)
			require.NoError(t, err)
			assert.True(t, found.Sound(), found.Faults)
			assert.Zero(t, found.Layers)
			assert.Positive(t, found.Documents)
		})
	}
}
