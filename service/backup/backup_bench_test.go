package backup

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/service/blob"
	"grotta/service/store"
	"grotta/service/store/storetest"
)

// What a backup without layers takes, by the levels that people have.
func BenchmarkRecords(b *testing.B) {
	for _, levels := range []int{10, 100, 1000} {
		b.Run(fmt.Sprint(levels), func(b *testing.B) {
			st, err := store.Open(b.TempDir())
			require.NoError(b, err)
			defer st.Close()
			storetest.Levels(b, st, levels)
			blobs, err := blob.Open(b.TempDir())
			require.NoError(b, err)
			file := filepath.Join(b.TempDir(), "copy")
			for b.Loop() {
				_, err := write(st, blobs, file)
				require.NoError(b, err)
			}
			info, err := os.Stat(file)
			require.NoError(b, err)
			b.ReportMetric(float64(info.Size())/1e6, "MB")
		})
	}
}
