// Package backup copies, restores and verifies the data folder of a service, also while
// the service runs. A backup is a tar file, compressed with zstd: a manifest, the
// database and the blobs of all baked layers.
package backup

import (
	"archive/tar"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/klauspost/compress/zstd"

	"grotta/api"
	"grotta/service/blob"
	"grotta/service/store"
)

// Format is the version of the manifest.
const Format = "grotta-backup/1"

// Names within a backup.
const (
	manifestName = "manifest.json"
	databaseName = "grotta.db"
	blobFolder   = "blobs"
)

// maxManifest bounds the manifest, in bytes: about ten million blobs.
const maxManifest = 1 << 30

// manifest says what a backup holds. It comes first.
type manifest struct {
	Format   string    `json:"format"`
	Made     time.Time `json:"made"`
	Database string    `json:"database"` // SHA-256
	Blobs    []string  `json:"blobs"`    // SHA-256 of each, which is its name
}

// Write writes a backup of a data folder to a file, which appears once it is whole. The
// service may run meanwhile: the database is copied in one state.
func Write(data, file string) (done api.Backup, err error) {
	st, err := store.OpenExisting(data)
	if err != nil {
		return done, err
	}
	defer func() { err = errors.Join(err, st.Close()) }()
	blobs, err := blob.Open(filepath.Join(data, blobFolder))
	if err != nil {
		return done, err
	}
	return write(st, blobs, file)
}

func write(st *store.Store, blobs *blob.Store, file string) (done api.Backup, err error) {
	work, err := os.MkdirTemp(filepath.Dir(file), ".grotta-backup-*")
	if err != nil {
		return done, err
	}
	defer os.RemoveAll(work)
	copied := filepath.Join(work, databaseName)
	if err := st.CopyTo(copied); err != nil {
		return done, fmt.Errorf("copy the database: %w", err)
	}
	m := manifest{Format: Format, Made: time.Now().UTC(), Blobs: []string{}}
	if m.Database, err = hashFile(copied); err != nil {
		return done, err
	}
	names, err := store.BlobsOf(copied)
	if err != nil {
		return done, err
	}
	for _, name := range names {
		if blobs.Has(name) {
			m.Blobs = append(m.Blobs, name)
		} else {
			done.Lost++ // it is baked again when it is wanted
		}
	}
	whole := filepath.Join(work, "backup")
	if err := writeTar(whole, &m, copied, blobs, &done); err != nil {
		return done, err
	}
	if err := os.Rename(whole, file); err != nil {
		return done, err
	}
	return done, blob.SyncDirs(filepath.Dir(file))
}

func writeTar(file string, m *manifest, database string, blobs *blob.Store, done *api.Backup) (err error) {
	f, err := os.OpenFile(file, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	z, err := zstd.NewWriter(f)
	if err != nil {
		return err
	}
	t := tar.NewWriter(z)
	text, err := json.Marshal(m, json.Deterministic(true))
	if err != nil {
		return err
	}
	add := func(name string, size int64, from io.Reader) error {
		if err := t.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: size, ModTime: m.Made}); err != nil {
			return err
		}
		_, err := io.Copy(t, from)
		return err
	}
	if err := add(manifestName, int64(len(text)), bytes.NewReader(text)); err != nil {
		return err
	}
	db, err := os.Open(database)
	if err != nil {
		return err
	}
	defer db.Close()
	info, err := db.Stat()
	if err != nil {
		return err
	}
	if err := add(databaseName, info.Size(), db); err != nil {
		return err
	}
	for _, name := range m.Blobs {
		content, err := blobs.Get(name)
		if err != nil {
			return fmt.Errorf("blob %s: %w; run grotta verify", name, err)
		}
		if err := add(path.Join(blobFolder, name), int64(len(content)), bytes.NewReader(content)); err != nil {
			return err
		}
		done.Blobs++
	}
	if err := errors.Join(t.Close(), z.Close(), f.Sync()); err != nil {
		return err
	}
	info, err = f.Stat()
	if err == nil {
		done.Bytes = info.Size()
	}
	return err
}

func hashFile(name string) (string, error) {
	f, err := os.Open(name)
	if err != nil {
		return "", err
	}
	defer f.Close()
	h := sha256.New()
	_, err = io.Copy(h, f)
	return hex.EncodeToString(h.Sum(nil)), err
}

// Restore makes a data folder from a backup. The folder must not exist, or be empty. It
// appears once every file is there and matches its hash; a restore that is cut off
// leaves nothing under its name.
func Restore(file, data string) (api.Backup, error) {
	f, err := os.Open(file)
	if err != nil {
		return api.Backup{}, err
	}
	defer f.Close()
	return fill(data, func(work string, done *api.Backup) error {
		if err := readTar(f, work, done); err != nil {
			return fmt.Errorf("%s is no whole backup: %w", file, err)
		}
		return nil
	})
}

// RestoreRecords is Restore for a database that restore writes to a file; restore tells of when it is. Layers are baked
// again when they are wanted.
func RestoreRecords(data string, restore func(file string) (state time.Time, err error)) (api.Backup, error) {
	return fill(data, func(work string, done *api.Backup) error {
		file := filepath.Join(work, databaseName)
		state, err := restore(file)
		if err != nil {
			return err
		}
		done.State = state
		info, err := os.Stat(file)
		if err == nil {
			done.Bytes = info.Size()
		}
		return err
	})
}

// fill makes a data folder of what write puts in it, once that is verified.
func fill(data string, write func(work string, done *api.Backup) error) (done api.Backup, err error) {
	if left, err := os.ReadDir(data); err == nil && len(left) > 0 {
		return done, fmt.Errorf("the folder %s is not empty; restore into a new one", data)
	}
	if err := os.MkdirAll(filepath.Dir(data), 0o700); err != nil {
		return done, err
	}
	work, err := os.MkdirTemp(filepath.Dir(data), ".grotta-restore-*")
	if err != nil {
		return done, err
	}
	defer os.RemoveAll(work)
	if err := write(work, &done); err != nil {
		return done, err
	}
	if err := forgetLost(work); err != nil {
		return done, err
	}
	found, err := Verify(work)
	if err == nil && !found.Sound() {
		err = fmt.Errorf("what was restored is damaged: %v", found.Faults)
	}
	if err != nil {
		return done, err
	}
	if err := os.Remove(data); err != nil && !errors.Is(err, os.ErrNotExist) {
		return done, err
	}
	if err := blob.SyncDirs(work); err != nil {
		return done, err
	}
	if err := os.Rename(work, data); err != nil {
		return done, err
	}
	return done, blob.SyncDirs(filepath.Dir(data))
}

// forgetLost takes the layers that were not restored out of the records: they are baked again when they are wanted.
func forgetLost(data string) (err error) {
	st, err := store.OpenExisting(data)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, st.Close()) }()
	blobs, err := blob.Open(filepath.Join(data, blobFolder))
	if err != nil {
		return err
	}
	return st.DropLayersWithout(blobs.Has)
}

func readTar(f *os.File, work string, done *api.Backup) error {
	z, err := zstd.NewReader(f)
	if err != nil {
		return err
	}
	defer z.Close()
	t := tar.NewReader(z)
	head, err := t.Next()
	if err != nil || head.Name != manifestName || head.Size > maxManifest {
		return errors.Join(errors.New("it does not begin with a manifest"), err)
	}
	var m manifest
	if err := json.UnmarshalRead(io.LimitReader(t, maxManifest), &m); err != nil {
		return fmt.Errorf("manifest: %w", err)
	}
	if m.Format != Format {
		return fmt.Errorf("it has the format %q; %q can be read", m.Format, Format)
	}
	blobs, err := blob.Open(filepath.Join(work, blobFolder))
	if err != nil {
		return err
	}
	wanted := map[string]bool{}
	for _, name := range m.Blobs {
		wanted[name] = true
	}
	database := false
	for {
		head, err := t.Next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return err
		}
		switch folder, name := path.Split(head.Name); {
		case head.Name == databaseName && !database:
			database = true
			err = copyOut(t, filepath.Join(work, databaseName), m.Database)
		case strings.TrimSuffix(folder, "/") == blobFolder && wanted[name]:
			delete(wanted, name)
			done.Blobs++
			err = putBlob(t, blobs, name, head.Size)
		default:
			err = fmt.Errorf("%q is not in its manifest", head.Name)
		}
		if err != nil {
			return err
		}
		done.Bytes += head.Size
	}
	if !database || len(wanted) > 0 {
		return fmt.Errorf("the database or %d blobs are missing", len(wanted))
	}
	return nil
}

// maxBlob bounds one blob, in bytes.
const maxBlob = 1 << 30

func putBlob(from io.Reader, blobs *blob.Store, name string, size int64) error {
	if size > maxBlob {
		return fmt.Errorf("the blob %s is said to have %d bytes; the most is %d", name, size, maxBlob)
	}
	data, err := io.ReadAll(io.LimitReader(from, size)) // grows with what is there
	if err != nil {
		return err
	}
	hash, err := blobs.Put(data)
	if err == nil && hash != name {
		err = fmt.Errorf("the blob %s does not match its hash", name)
	}
	return err
}

func copyOut(from io.Reader, to, hash string) (err error) {
	f, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, f.Close()) }()
	h := sha256.New()
	if _, err := io.Copy(io.MultiWriter(f, h), from); err != nil {
		return err
	}
	if hex.EncodeToString(h.Sum(nil)) != hash {
		return errors.New("the database does not match its hash")
	}
	return f.Sync()
}
