package replica

import (
	"fmt"
	"io/fs"
	"log/slog"
	"path/filepath"
	"testing"
	"time"

	"github.com/benbjohnson/litestream"
	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/demo"
	"grotta/service/store"
	"grotta/service/store/storetest"
)

// What it takes to copy one edit, and what is sent for it, by the levels that people have.
func BenchmarkEditCopied(b *testing.B) {
	for _, levels := range []int{10, 100, 1000} {
		b.Run(fmt.Sprint(levels), func(b *testing.B) {
			data, to := b.TempDir(), b.TempDir()
			st, err := store.Open(data)
			require.NoError(b, err)
			defer st.Close()
			maren, id := storetest.Levels(b, st, levels)
			lamp := demo.Saltmarsh().Lights[0].ID
			db := litestream.NewDB(filepath.Join(data, "grotta.db"))
			db.SetMetaPath(filepath.Join(data, "copy"))
			db.MonitorInterval = 0
			db.SetLogger(slog.New(slog.DiscardHandler))
			db.Replica = litestream.NewReplicaWithClient(db, Folder(to))
			require.NoError(b, db.Open())
			defer db.Close(b.Context())
			k := &Keeper{}
			require.NoError(b, k.once(b.Context(), db))
			whole, i := size(b, to), 0
			var copying time.Duration
			for b.Loop() {
				i++
				_, err := st.Apply(b.Context(), maren, id, level.Set(lamp, map[string]any{"strength": float64(i)}), 0)
				require.NoError(b, err)
				began := time.Now()
				require.NoError(b, k.once(b.Context(), db))
				copying += time.Since(began)
			}
			b.ReportMetric(float64(copying.Microseconds())/1000/float64(i), "copy-ms/op")
			b.ReportMetric(float64(size(b, to)-whole)/1000/float64(i), "sent-kB/op")
			b.ReportMetric(float64(whole)/1e6, "first-MB")
		})
	}
}

// size is the bytes of a folder.
func size(b *testing.B, dir string) (bytes int64) {
	require.NoError(b, filepath.WalkDir(dir, func(_ string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		info, err := d.Info()
		bytes += info.Size()
		return err
	}))
	return bytes
}
