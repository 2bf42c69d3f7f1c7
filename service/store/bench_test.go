package store

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/level"
	"grotta/demo"
)

func benchStore(b *testing.B) (*Store, Asker, string) {
	b.Helper()
	s, err := Open(b.TempDir())
	require.NoError(b, err)
	b.Cleanup(func() { require.NoError(b, s.Close()) })
	require.NoError(b, s.AddUser("maren", "salt-marsh-light"))
	a := Asker{ID: 1, Name: "maren"}
	info, err := s.CreateLevel(a, demo.Start("demo"), "demo")
	require.NoError(b, err)
	return s, a, info.ID
}

// An edit of the demo level, from the operation to the synced record.
func BenchmarkEdit(b *testing.B) {
	s, a, id := benchStore(b)
	for i := 0; b.Loop(); i++ {
		_, err := s.Apply(b.Context(), a, id, level.Set("", map[string]any{"look.exposure_ev": float64(i % 7)}), 0)
		require.NoError(b, err)
	}
}

// An edit of a lamp in a level with 400 large meshes, whose JSON has about 40 MB.
func BenchmarkEditLarge(b *testing.B) {
	s, a, _ := benchStore(b)
	info, err := s.CreateLevel(a, field(400, 2400, 50), "field")
	require.NoError(b, err)
	for i := 0; b.Loop(); i++ {
		_, err := s.Apply(b.Context(), a, info.ID, level.Set("lamp-7", map[string]any{"strength": float64(i)}), 0)
		require.NoError(b, err)
	}
	b.ReportMetric(float64(info.Bytes)/1e6, "MB")
}

// What a picture asks of the database: which of 200 keys have a layer.
func BenchmarkLayers(b *testing.B) {
	s, _, _ := benchStore(b)
	var keys []string
	for i := range 200 {
		keys = append(keys, fmt.Sprintf("%064d", i))
		require.NoError(b, s.AddLayer(keys[i], "blob", 10))
	}
	for b.Loop() {
		_, err := s.LayerBlobs(keys)
		require.NoError(b, err)
	}
}

// A list of 200 levels.
func BenchmarkLevels(b *testing.B) {
	s, a, _ := benchStore(b)
	for range 200 {
		_, err := s.CreateLevel(a, demo.Room(), "room")
		require.NoError(b, err)
	}
	for b.Loop() {
		_, err := s.Levels(a)
		require.NoError(b, err)
	}
}
