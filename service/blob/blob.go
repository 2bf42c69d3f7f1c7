// Package blob keeps content-addressed files: written under a temporary name,
// synced, renamed, and verified when read.
package blob

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"

	"grotta/service/disk"
)

// Store is a folder of blobs.
type Store struct{ dir string }

// Open makes the folder if need be.
func Open(dir string) (*Store, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	left, err := filepath.Glob(filepath.Join(dir, "new-*")) // of writes that were cut off
	if err != nil {
		return nil, err
	}
	for _, name := range left {
		os.Remove(name) // another process may be writing it; it then fails there and is tried again
	}
	return &Store{dir}, nil
}

// ErrDamaged is a blob whose bytes do not match its name.
var ErrDamaged = errors.New("blob: the content does not match its hash")

func (s *Store) path(hash string) string { return filepath.Join(s.dir, hash[:2], hash) }

// Put stores data and returns its SHA-256, which names it.
func (s *Store) Put(data []byte) (string, error) {
	sum := sha256.Sum256(data)
	hash := hex.EncodeToString(sum[:])
	path := s.path(hash)
	if _, err := s.Get(hash); err == nil { // one that is damaged is written again
		return hash, nil
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return "", disk.Explain(err)
	}
	f, err := os.CreateTemp(s.dir, "new-*")
	if err != nil {
		return "", disk.Explain(err)
	}
	defer os.Remove(f.Name()) // fails, as it should, once renamed
	if _, err := f.Write(data); err != nil {
		f.Close()
		return "", disk.Explain(err)
	}
	if err := errors.Join(f.Sync(), f.Close()); err != nil {
		return "", disk.Explain(err)
	}
	if err := os.Rename(f.Name(), path); err != nil {
		return "", disk.Explain(err)
	}
	return hash, SyncDirs(filepath.Dir(path), s.dir)
}

// SyncDirs makes sure that a file which was renamed into a folder is found there after
// a power cut. Folders cannot be synced on every system; there it does nothing.
func SyncDirs(dirs ...string) error {
	for _, dir := range dirs {
		d, err := os.Open(dir)
		if err != nil {
			return err
		}
		err = d.Sync()
		d.Close()
		if err != nil && !errors.Is(err, errors.ErrUnsupported) && !errors.Is(err, syscall.EINVAL) {
			return disk.Explain(err)
		}
	}
	return nil
}

// Get reads a blob; fs.ErrNotExist if there is none, ErrDamaged if it is not
// what its name says.
func (s *Store) Get(hash string) ([]byte, error) {
	if len(hash) != 64 {
		return nil, fmt.Errorf("blob: %q is no hash: %w", hash, fs.ErrNotExist)
	}
	data, err := os.ReadFile(s.path(hash))
	if err != nil {
		return nil, err
	}
	if sum := sha256.Sum256(data); hex.EncodeToString(sum[:]) != hash {
		return nil, ErrDamaged
	}
	return data, nil
}

// Has tells whether there is a blob, without reading it.
func (s *Store) Has(hash string) bool {
	if len(hash) != 64 {
		return false
	}
	_, err := os.Stat(s.path(hash))
	return err == nil
}

// Remove deletes a blob. One that is not there is no error.
func (s *Store) Remove(hash string) error {
	if len(hash) != 64 {
		return fmt.Errorf("blob: %q is no hash", hash)
	}
	if err := os.Remove(s.path(hash)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}
