// Package bundle writes presets to one file and reads them back: a zip archive with a manifest and
// the hash of each. A bundle holds data only. Whatever else is inside is refused, and nothing in it
// is believed: sizes are held against what was read, and hashes against the bytes.
package bundle

import (
	"archive/zip"
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"grotta/core/level"
	"grotta/core/preset"
)

// Format is the format of the manifest and its major version.
const Format = "grotta-bundle/1"

// Bounds of what is read.
const (
	MaxBytes      = 128 << 20 // of the archive
	MaxEntries    = 500
	maxManifest   = 4 << 20
	manifestName  = "manifest.json"
	presetsFolder = "presets/"
)

// Entry is a preset with what is said about it.
type Entry struct {
	File    string    `json:"file" doc:"Name within the bundle."`
	SHA256  string    `json:"sha256" pattern:"^[0-9a-f]{64}$" doc:"Of the file's bytes."`
	Name    string    `json:"name" pattern:"^[a-z0-9][a-z0-9._-]{0,63}$"`
	Kind    string    `json:"kind"`
	Author  string    `json:"author,omitzero" maxLength:"120" doc:"Who made it, as the bundle says."`
	Note    string    `json:"note,omitzero" maxLength:"2000"`
	Tags    []string  `json:"tags,omitzero" maxItems:"32"`
	Credit  string    `json:"credit,omitzero" maxLength:"200"`
	Created time.Time `json:"created,omitzero"`

	Preset *preset.Preset `json:"-"`
}

type manifest struct {
	Format  string  `json:"format"`
	Presets []Entry `json:"presets"`
}

// Write makes a bundle. The same entries make the same bytes.
func Write(entries []Entry) ([]byte, error) {
	m := manifest{Format: Format}
	files := map[string][]byte{}
	for _, e := range entries {
		text, err := level.Encode(e.Preset)
		if err != nil {
			return nil, err
		}
		e.Kind, e.SHA256 = e.Preset.Kind, hash(text)
		e.File = presetsFolder + e.Name + ".json"
		for n := 2; files[e.File] != nil; n++ {
			e.File = fmt.Sprintf("%s%s-%d.json", presetsFolder, e.Name, n)
		}
		files[e.File] = text
		m.Presets = append(m.Presets, e)
	}
	slices.SortFunc(m.Presets, func(a, b Entry) int { return cmp.Compare(a.File, b.File) })
	head, err := json.Marshal(m, json.Deterministic(true), jsontext.WithIndent("  "))
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	add := func(name string, data []byte) error {
		w, err := z.CreateHeader(&zip.FileHeader{Name: name, Method: zip.Deflate})
		if err == nil {
			_, err = w.Write(data)
		}
		return err
	}
	if err := add(manifestName, append(head, '\n')); err != nil {
		return nil, err
	}
	for _, e := range m.Presets {
		if err := add(e.File, files[e.File]); err != nil {
			return nil, err
		}
	}
	err = z.Close()
	return b.Bytes(), err
}

func hash(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// Read reads a bundle whole and judges all of it; the error is a *level.Invalid that names the place
// in the file.
func Read(data []byte) ([]Entry, error) {
	if len(data) > MaxBytes {
		return nil, fault("", "the bundle has %d bytes; the most is %d", len(data), MaxBytes)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fault("", "is no zip archive: %v", err)
	}
	if len(z.File) > MaxEntries+1 {
		return nil, fault("", "holds %d files; the most is %d presets and the manifest", len(z.File), MaxEntries)
	}
	files := map[string]*zip.File{}
	for _, f := range z.File {
		if files[f.Name] != nil {
			return nil, fault(f.Name, "stands in the bundle twice")
		}
		files[f.Name] = f
	}
	if files[manifestName] == nil {
		return nil, fault(manifestName, "is missing; a bundle begins with it")
	}
	text, err := readFile(files[manifestName], maxManifest)
	if err != nil {
		return nil, err
	}
	delete(files, manifestName)
	var m manifest
	if err := level.Decode(text, &m); err != nil {
		return nil, in(manifestName, err)
	}
	if m.Format != Format {
		return nil, fault(manifestName+"/format", "is %q; this Grotta reads %q", m.Format, Format)
	}
	for i := range m.Presets {
		at := fmt.Sprintf("%s/presets/%d", manifestName, i)
		if err := m.Presets[i].read(at, files); err != nil {
			return nil, err
		}
		delete(files, m.Presets[i].File)
	}
	for name := range files {
		return nil, fault(name, "is not in the manifest; a bundle holds presets alone")
	}
	if len(m.Presets) == 0 {
		return nil, fault(manifestName+"/presets", "are missing; the bundle is empty")
	}
	return m.Presets, nil
}

// read reads the preset of an entry.
func (e *Entry) read(at string, files map[string]*zip.File) error {
	if err := level.CheckFields(e); err != nil {
		return in(at, err)
	}
	if rest, ok := strings.CutPrefix(e.File, presetsFolder); !ok || strings.ContainsAny(rest, `/\:`) || !strings.HasSuffix(rest, ".json") {
		return fault(at+"/file", "is %q; the presets of a bundle lie in %sNAME.json", e.File, presetsFolder)
	}
	f := files[e.File]
	if f == nil {
		return fault(at+"/file", "is %q, which is not in the bundle or was named before", e.File)
	}
	text, err := readFile(f, preset.MaxBytes)
	if err != nil {
		return err
	}
	if got := hash(text); got != e.SHA256 {
		return fault(at+"/sha256", "is %s, and the bytes of %s have %s", e.SHA256, e.File, got)
	}
	if e.Preset, err = preset.Parse(text); err != nil {
		return in(e.File, err)
	}
	if e.Preset.Kind != e.Kind {
		return fault(at+"/kind", "is %q, and the preset is of the kind %q", e.Kind, e.Preset.Kind)
	}
	return nil
}

// readFile unpacks a file, at most so many bytes, whatever its header claims.
func readFile(f *zip.File, most int) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, fault(f.Name, "cannot be unpacked: %v", err)
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, int64(most)+1))
	switch {
	case len(text) > most:
		return nil, fault(f.Name, "unpacks to more than %d bytes, which is the most", most)
	case err != nil:
		return nil, fault(f.Name, "cannot be unpacked: %v", err)
	}
	return text, nil
}

// in says in which file a fault is.
func in(file string, err error) error {
	if bad, ok := err.(*level.Invalid); ok {
		for i := range bad.Faults {
			bad.Faults[i].Path = file + bad.Faults[i].Path
		}
	}
	return err
}

func fault(path, format string, args ...any) *level.Invalid {
	return &level.Invalid{Faults: []level.Fault{{Path: path, Message: fmt.Sprintf(format, args...)}}}
}
