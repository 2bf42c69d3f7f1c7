package bundle_test

import (
	"archive/zip"
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bundle"
	"grotta/core/level"
	"grotta/core/preset"
)

func some(t testing.TB) []bundle.Entry {
	t.Helper()
	var all []bundle.Entry
	for _, name := range []string{"candle", "thick-fog", "silver"} {
		s := preset.StarterNamed(name)
		all = append(all, bundle.Entry{Name: s.Name, Author: "maren", Note: s.Note, Tags: s.Tags, Credit: preset.StarterCredit, Created: time.Date(2026, 5, 4, 3, 2, 1, 0, time.UTC), Preset: s.Preset})
	}
	return all
}

func TestABundleComesBackByteForByte(t *testing.T) {
	first, err := bundle.Write(some(t))
	require.NoError(t, err)
	entries, err := bundle.Read(first)
	require.NoError(t, err)
	require.Len(t, entries, 3)
	assert.Equal(t, "maren", entries[0].Author)
	second, err := bundle.Write(entries)
	require.NoError(t, err)
	assert.Equal(t, first, second)
}

// archive makes a zip of names and contents.
func archive(t testing.TB, pairs ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i < len(pairs); i += 2 {
		w, err := z.Create(pairs[i])
		require.NoError(t, err)
		_, err = w.Write([]byte(pairs[i+1]))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func TestHostileBundles(t *testing.T) {
	good, err := bundle.Write(some(t)[:1])
	require.NoError(t, err)
	z, err := zip.NewReader(bytes.NewReader(good), int64(len(good)))
	require.NoError(t, err)
	parts := map[string]string{}
	for _, f := range z.File {
		r, err := f.Open()
		require.NoError(t, err)
		var b bytes.Buffer
		_, err = b.ReadFrom(r)
		require.NoError(t, err)
		parts[f.Name] = b.String()
	}
	const at = "presets/candle.json"
	head, body := parts["manifest.json"], parts[at]
	edited := func(old, new string) string { return strings.Replace(head, old, new, 1) }
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"no zip":            {[]byte("PK but not really"), "no zip archive"},
		"cut off":           {good[:len(good)/2], "no zip archive"},
		"no manifest":       {archive(t, at, body), "manifest.json is missing"},
		"empty manifest":    {archive(t, "manifest.json", "{}"), "manifest.json/format"},
		"nothing in it":     {archive(t, "manifest.json", `{"format":"grotta-bundle/1","presets":[]}`), "is empty"},
		"another format":    {archive(t, "manifest.json", edited("grotta-bundle/1", "grotta-bundle/9"), at, body), "manifest.json/format"},
		"a program":         {archive(t, "manifest.json", head, at, body, "run.sh", "rm"), "run.sh is not in the manifest"},
		"a path up":         {archive(t, "manifest.json", edited(at, "presets/../../x.json"), "presets/../../x.json", body), "manifest.json/presets/0/file"},
		"an absolute path":  {archive(t, "manifest.json", edited(at, "/etc/x.json"), "/etc/x.json", body), "manifest.json/presets/0/file"},
		"a wrong hash":      {archive(t, "manifest.json", head, at, strings.Replace(body, "candle", "kandle", 1)), "/sha256"},
		"a file missing":    {archive(t, "manifest.json", head), "is not in the bundle"},
		"a file twice":      {archive(t, "manifest.json", head, at, body, at, body), "twice"},
		"a forged kind":     {archive(t, "manifest.json", edited(`"kind": "rig"`, `"kind": "look"`), at, body), "/kind"},
		"a name that bites": {archive(t, "manifest.json", edited(`"name": "candle"`, `"name": "../candle"`), at, body), "/name"},
		"a bomb":            {archive(t, "manifest.json", head, at, strings.Repeat("0", preset.MaxBytes+10)), "unpacks to more than"},
		"a manifest bomb":   {archive(t, "manifest.json", strings.Repeat(" ", 5<<20)), "unpacks to more than"},
		"no preset":         {archive(t, "manifest.json", head, at, "{}"), "/sha256"},
	} {
		_, err := bundle.Read(c.data)
		var bad *level.Invalid
		require.ErrorAs(t, err, &bad, name)
		assert.ErrorContains(t, err, c.want, name)
	}
}

func FuzzRead(f *testing.F) {
	good, err := bundle.Write(some(f))
	require.NoError(f, err)
	f.Add(good)
	f.Fuzz(func(t *testing.T, data []byte) {
		entries, err := bundle.Read(data)
		if err != nil {
			return
		}
		_, err = bundle.Write(entries)
		require.NoError(t, err)
	})
}
