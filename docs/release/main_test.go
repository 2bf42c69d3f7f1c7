package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var packed = []file{{"grotta", []byte("the program"), 0o755}, {"README.md", []byte("# Read this"), 0o644}}

// Each archive gives back the files under one folder, and the program can be run.
func TestAnArchiveHoldsItsFiles(t *testing.T) {
	t.Run("tar", func(t *testing.T) {
		data, err := tarOf("grotta-1", packed)
		require.NoError(t, err)
		unpack, err := gzip.NewReader(bytes.NewReader(data))
		require.NoError(t, err)
		r := tar.NewReader(unpack)
		for _, want := range packed {
			head, err := r.Next()
			require.NoError(t, err)
			assert.Equal(t, "grotta-1/"+want.name, head.Name)
			assert.Equal(t, want.mode, head.FileInfo().Mode())
			got, err := io.ReadAll(r)
			require.NoError(t, err)
			assert.Equal(t, want.data, got)
		}
		_, err = r.Next()
		assert.True(t, errors.Is(err, io.EOF))
	})
	t.Run("zip", func(t *testing.T) {
		data, err := zipOf("grotta-1", packed)
		require.NoError(t, err)
		r, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
		require.NoError(t, err)
		require.Len(t, r.File, len(packed))
		for i, want := range packed {
			assert.Equal(t, "grotta-1/"+want.name, r.File[i].Name)
			assert.Equal(t, want.mode, r.File[i].Mode())
			f, err := r.File[i].Open()
			require.NoError(t, err)
			got, err := io.ReadAll(f)
			require.NoError(t, err)
			assert.Equal(t, want.data, got)
		}
	})
}

func TestLicencesOfAFolder(t *testing.T) {
	with := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(with, "LICENSE.md"), []byte("Do as you like."), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(with, "package.json"), []byte(`{"license":"MIT"}`), 0o644))
	texts, err := licences(with)
	require.NoError(t, err)
	assert.Equal(t, [][]byte{[]byte("Do as you like.")}, texts)

	named := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(named, "package.json"), []byte(`{"license":"MIT"}`), 0o644))
	texts, err = licences(named)
	require.NoError(t, err)
	assert.Equal(t, [][]byte{[]byte("Licence: MIT")}, texts)

	texts, err = licences(t.TempDir())
	require.NoError(t, err)
	assert.Empty(t, texts)
}
