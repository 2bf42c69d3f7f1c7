// Command release builds the program for each system and packs it with the licences of what it is
// made of. It writes archives and their checksums into bin/release.
package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"

	"grotta/service/rest"
)

const folder = "bin/release"

// targets are the systems that are built for.
var targets = []struct{ system, machine string }{
	{"linux", "amd64"}, {"linux", "arm64"}, {"windows", "amd64"}, {"windows", "arm64"}, {"darwin", "amd64"}, {"darwin", "arm64"},
}

func main() {
	if err := run(os.Args[1:]); err != nil {
		log.Fatal(err)
	}
}

// run builds for every target, or for those that are named, such as windows-amd64.
func run(only []string) error {
	if err := os.RemoveAll(folder); err != nil {
		return err
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return err
	}
	notices, err := notices()
	if err != nil {
		return err
	}
	var sums strings.Builder
	for _, t := range targets {
		if len(only) > 0 && !slices.Contains(only, t.system+"-"+t.machine) {
			continue
		}
		began := time.Now()
		name := fmt.Sprintf("grotta-%s-%s-%s", rest.Version, t.system, t.machine)
		program, err := build(t.system, t.machine)
		if err != nil {
			return err
		}
		readme, err := os.ReadFile("README.md")
		if err != nil {
			return err
		}
		files := []file{{"grotta", program, 0o755}, {"README.md", readme, 0o644}, {"NOTICES.txt", notices, 0o644}}
		if t.system == "windows" {
			files[0].name = "grotta.exe"
		}
		archive, packed := name+".tar.gz", tarOf
		if t.system == "windows" {
			archive, packed = name+".zip", zipOf
		}
		data, err := packed(name, files)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(folder, archive), data, 0o644); err != nil {
			return err
		}
		sum := sha256.Sum256(data)
		fmt.Fprintf(&sums, "%s  %s\n", hex.EncodeToString(sum[:]), archive)
		fmt.Printf("%s: %d MB, %.0f s\n", archive, len(data)>>20, time.Since(began).Seconds())
	}
	return os.WriteFile(filepath.Join(folder, "SHA256SUMS"), []byte(sums.String()), 0o644)
}

type file struct {
	name string
	data []byte
	mode fs.FileMode
}

func build(system, machine string) ([]byte, error) {
	out := filepath.Join(folder, "grotta")
	defer os.Remove(out)
	cmd := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", out, "./cmd/grotta")
	cmd.Env = append(os.Environ(), "GOOS="+system, "GOARCH="+machine, "CGO_ENABLED=0")
	cmd.Stderr = os.Stderr
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("%s %s: %w", system, machine, err)
	}
	return os.ReadFile(out)
}

func zipOf(dir string, files []file) ([]byte, error) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, f := range files {
		head := &zip.FileHeader{Name: dir + "/" + f.name, Method: zip.Deflate}
		head.SetMode(f.mode)
		out, err := w.CreateHeader(head)
		if err != nil {
			return nil, err
		}
		if _, err := out.Write(f.data); err != nil {
			return nil, err
		}
	}
	err := w.Close()
	return b.Bytes(), err
}

func tarOf(dir string, files []file) ([]byte, error) {
	var b bytes.Buffer
	pack := gzip.NewWriter(&b)
	w := tar.NewWriter(pack)
	for _, f := range files {
		if err := w.WriteHeader(&tar.Header{Name: dir + "/" + f.name, Mode: int64(f.mode), Size: int64(len(f.data)), Format: tar.FormatPAX}); err != nil {
			return nil, err
		}
		if _, err := w.Write(f.data); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	err := pack.Close()
	return b.Bytes(), err
}

// notices are the licences of the packages that the program and its console are made of.
func notices() ([]byte, error) {
	var b bytes.Buffer
	b.WriteString("Grotta is made with these packages, under their licences.\n")
	add := func(name, dir string) error {
		texts, err := licences(dir)
		if err != nil {
			return err
		}
		if len(texts) == 0 {
			return fmt.Errorf("%s has no licence file in %s", name, dir)
		}
		fmt.Fprintf(&b, "\n%s\n%s\n\n", strings.Repeat("=", 70), name)
		for _, text := range texts {
			b.Write(bytes.TrimSpace(text))
			b.WriteString("\n\n")
		}
		return nil
	}
	modules, err := goModules()
	if err != nil {
		return nil, err
	}
	for _, m := range modules {
		if err := add(m.Path+" "+m.Version, m.Dir); err != nil {
			return nil, err
		}
	}
	if err := add("Draco (the decoder, as WebAssembly)", "core/exchange/draco"); err != nil {
		return nil, err
	}
	packages, err := consolePackages()
	if err != nil {
		return nil, err
	}
	for _, p := range packages {
		if err := add(p, filepath.Join("web/node_modules", p)); err != nil {
			return nil, err
		}
	}
	return b.Bytes(), nil
}

type module struct{ Path, Version, Dir string }

// goModules are those that the program is linked from, and the language's own library.
func goModules() ([]module, error) {
	cmd := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{if not .Main}}{{.Path}}\t{{.Version}}\t{{.Dir}}{{end}}{{end}}", "./cmd/grotta")
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return nil, err
	}
	root, err := exec.Command("go", "env", "GOROOT", "GOVERSION").Output()
	if err != nil {
		return nil, err
	}
	lines := strings.Fields(string(root))
	all := []module{{"Go", lines[1], lines[0]}}
	for line := range strings.Lines(string(out)) {
		parts := strings.Split(strings.TrimSpace(line), "\t")
		if len(parts) != 3 {
			continue
		}
		if m := (module{parts[0], parts[1], parts[2]}); !slices.Contains(all, m) {
			all = append(all, m)
		}
	}
	slices.SortFunc(all, func(a, b module) int { return strings.Compare(a.Path, b.Path) })
	return all, nil
}

// consolePackages are those that the console depends on, with what they depend on.
func consolePackages() ([]string, error) {
	text, err := os.ReadFile("web/package-lock.json")
	if err != nil {
		return nil, err
	}
	var lock struct {
		Packages map[string]struct {
			Dev, Optional, Peer bool
		} `json:"packages"`
	}
	if err := json.Unmarshal(text, &lock, json.RejectUnknownMembers(false), json.MatchCaseInsensitiveNames(true)); err != nil {
		return nil, err
	}
	var all []string
	for path, p := range lock.Packages {
		name, ok := strings.CutPrefix(path, "node_modules/")
		if !ok || p.Dev || p.Optional || strings.HasPrefix(name, "@types/") {
			continue
		}
		all = append(all, name)
	}
	slices.Sort(all)
	return all, nil
}

// licences are the texts in a folder that are called as licences are. A package whose text is only
// named in its description gives that name.
func licences(dir string) ([][]byte, error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	var texts [][]byte
	for _, e := range entries {
		name := strings.ToLower(e.Name())
		if e.IsDir() || !slices.ContainsFunc([]string{"license", "licence", "copying", "notice", "copyright"}, func(s string) bool { return strings.HasPrefix(name, s) }) {
			continue
		}
		text, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return nil, err
		}
		texts = append(texts, text)
	}
	if len(texts) > 0 {
		return texts, nil
	}
	text, err := os.ReadFile(filepath.Join(dir, "package.json"))
	if err != nil {
		return nil, nil // no package of the console; the caller says what is missing
	}
	var about struct {
		License string `json:"license"`
	}
	if err := json.Unmarshal(text, &about); err != nil || about.License == "" {
		return nil, err
	}
	return [][]byte{[]byte("Licence: " + about.License)}, nil
}
