package backup

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/demo"
	"grotta/service/blob"
	"grotta/service/store"
)

// What a backup without layers takes, by the levels that people have: each is the demo with names of its own for lights and
// blocks, so that no two share the pieces of those.
func BenchmarkRecords(b *testing.B) {
	for _, levels := range []int{10, 100, 1000} {
		b.Run(fmt.Sprint(levels), func(b *testing.B) {
			st, err := store.Open(b.TempDir())
			require.NoError(b, err)
			defer st.Close()
			require.NoError(b, st.AddUser("maren", "salt-marsh-light"))
			for i := range levels {
				l := demo.Saltmarsh()
				for j := range l.Lights {
					l.Lights[j].Name = fmt.Sprintf("%s %d", l.Lights[j].Name, i)
				}
				for j := range l.Solids {
					l.Solids[j].Name = fmt.Sprintf("%s %d", l.Solids[j].Name, i)
				}
				_, err := st.CreateLevel(store.Asker{ID: 1, Name: "maren"}, l, "create")
				require.NoError(b, err)
			}
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
