package exchange

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"grotta/core/level"
)

// Files are what is brought in: one file, or one with the files beside it that it names.
type Files struct {
	Name   string            // of the file that is read; may have a folder
	Data   []byte            // its bytes
	Beside map[string][]byte // the others, by their paths with "/"
}

// Bounds of an archive.
const (
	maxArchiveFiles = 2000
	maxArchiveBytes = 128 << 20 // of all files in it together, unpacked
)

// isZip tells an archive by its first bytes.
func isZip(data []byte) bool { return bytes.HasPrefix(data, []byte("PK\x03\x04")) }

// OpenFiles takes a file as it is, or an archive (.zip) apart. In an archive, main names the file
// that is read; where it is "", the only one that can be. Nothing is unpacked on a claim: what
// is over the bounds ends the reading.
func OpenFiles(data []byte, name, main string) (*Files, error) {
	if !isZip(data) {
		return &Files{Name: name, Data: data}, nil
	}
	archive, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fault("", "is a zip archive that cannot be read: %v", err)
	}
	if len(archive.File) > maxArchiveFiles {
		return nil, fault("", "the archive has %d files; the most is %d", len(archive.File), maxArchiveFiles)
	}
	out := &Files{Beside: map[string][]byte{}}
	room := int64(maxArchiveBytes)
	for _, f := range archive.File {
		if f.FileInfo().IsDir() {
			continue
		}
		at := strings.ReplaceAll(f.Name, `\`, "/")
		if path.IsAbs(at) || strings.Contains(at, ":") || !isBelow(at) {
			return nil, fault("/"+f.Name, "leads out of the archive; paths within it are needed")
		}
		text, err := unpack(f, room)
		if err != nil {
			return nil, fault("/"+f.Name, "%v", err)
		}
		room -= int64(len(text))
		out.Beside[path.Clean(at)] = text
	}
	if out.Name, err = mainOf(out.Beside, main); err != nil {
		return nil, err
	}
	out.Data = out.Beside[out.Name]
	return out, nil
}

// isBelow tells whether a relative path stays in its folder.
func isBelow(at string) bool {
	clean := path.Clean(at)
	return clean != ".." && !strings.HasPrefix(clean, "../") && clean != "." && clean != ""
}

// unpack reads a file of an archive, and no more of it than there is room for.
func unpack(f *zip.File, room int64) ([]byte, error) {
	r, err := f.Open()
	if err != nil {
		return nil, fmt.Errorf("cannot be unpacked: %w", err)
	}
	defer r.Close()
	text, err := io.ReadAll(io.LimitReader(r, room+1))
	if err != nil {
		return nil, fmt.Errorf("cannot be unpacked: %w", err)
	}
	if int64(len(text)) > room {
		return nil, fmt.Errorf("brings what is unpacked to more than %d bytes, which is the most", maxArchiveBytes)
	}
	return text, nil
}

// readable are the endings of files that can be read as a level.
var readable = []string{".gltf", ".glb", ".obj", ".ply", ".stl", ".json"}

// mainOf is the file of an archive that is read.
func mainOf(files map[string][]byte, main string) (string, error) {
	var can []string
	for name := range files {
		if name == main || main != "" && path.Base(name) == main {
			return name, nil
		}
		if slices.Contains(readable, strings.ToLower(path.Ext(name))) && !strings.HasPrefix(path.Base(name), ".") {
			can = append(can, name)
		}
	}
	slices.Sort(can)
	switch {
	case main != "":
		return "", fault("", "the archive has no file %q", main)
	case len(can) == 0:
		return "", fault("", "the archive has no file that can be read; needed is one of %s", strings.Join(readable, ", "))
	case len(can) > 1:
		return "", fault("", "the archive has several files that can be read; say which: %s", strings.Join(can[:min(len(can), 10)], ", "))
	}
	return can[0], nil
}

// find is a file beside the one that is read, by a path relative to it as it stands there.
func (f *Files) find(uri string) ([]byte, error) {
	at := strings.ReplaceAll(uri, `\`, "/")
	if strings.Contains(at, "://") || strings.HasPrefix(at, "/") || len(at) > 1 && at[1] == ':' {
		return nil, fmt.Errorf("is %q, which is not a file beside this one", level.Visible(uri))
	}
	at = path.Join(path.Dir(f.Name), at)
	if !isBelow(at) {
		return nil, fmt.Errorf("is %q, which leads out of the folder", level.Visible(uri))
	}
	if data, ok := f.Beside[at]; ok {
		return data, nil
	}
	for name, data := range f.Beside { // as on systems where case does not matter
		if strings.EqualFold(name, at) {
			return data, nil
		}
	}
	// Files that were picked one by one come without their folders.
	var alike []string
	for name := range f.Beside {
		if strings.EqualFold(path.Base(name), path.Base(at)) {
			alike = append(alike, name)
		}
	}
	if len(alike) == 1 {
		return f.Beside[alike[0]], nil
	}
	if len(f.Beside) == 0 {
		return nil, fmt.Errorf("is %q, which did not come with it; send the file with those beside it, as a folder or a .zip, or save it as .glb", level.Visible(uri))
	}
	return nil, fmt.Errorf("is %q, which is not among the files that came", level.Visible(uri))
}

// size is the bytes of all files together.
func (f *Files) size() int {
	sum := len(f.Data)
	for name, data := range f.Beside {
		if name != f.Name {
			sum += len(data)
		}
	}
	return sum
}

// Neighbours lists the files that a .gltf or .obj file names, as they stand in it; for who packs
// them. It reads names only, and trusts none of them.
func Neighbours(name string, data []byte) []string {
	switch formatOf(name, data) {
	case formatGLTF:
		return gltfNeighbours(data)
	case formatOBJ:
		return objLibraries(data)
	case formatMTL:
		return mtlImages(data)
	}
	return nil
}

// IsLevelFile tells whether a name ends like that of a file which can be read as a level.
func IsLevelFile(name string) bool {
	return slices.Contains(readable, strings.ToLower(path.Ext(name)))
}
