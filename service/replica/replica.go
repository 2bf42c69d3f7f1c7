// Package replica keeps a copy of a service's records elsewhere while it runs: in a file, such as on another
// disk, or in the object store of a NATS cluster. A copy is a backup without baked layers, which are baked again
// where it is restored.
package replica

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"time"

	"grotta/service/backup"
	"grotta/service/store"
)

// Target is where copies go. A copy appears there once it is whole.
type Target interface {
	Put(ctx context.Context, file string) error
	fmt.Stringer
}

// File is a target on a disk.
type File string

func (f File) String() string { return string(f) }

// Put brings a copy to its place.
func (f File) Put(_ context.Context, file string) error { return os.Rename(file, string(f)) }

// Keeper copies the records when they have changed.
type Keeper struct {
	Store  *store.Store
	Data   string // folder of the records
	Work   string // folder for a copy that is being made; on the disk of a File
	To     Target
	Every  time.Duration // the longest time for which changes are not copied, beside what a copy takes
	Log    *slog.Logger
	failed bool
}

// Run copies until the context ends, and once more then.
func (k *Keeper) Run(ctx context.Context) {
	var copied stamp
	for {
		select {
		case <-ctx.Done():
			last, stop := context.WithTimeout(context.Background(), time.Minute)
			k.once(last, &copied)
			stop()
			return
		case <-time.After(k.Every):
			k.once(ctx, &copied)
		}
	}
}

// stamp tells whether the files of the database changed.
type stamp struct{ db, wal, size int64 }

func (k *Keeper) stamp() (s stamp, err error) {
	for name, at := range map[string]*int64{"grotta.db": &s.db, "grotta.db-wal": &s.wal} {
		info, err := os.Stat(filepath.Join(k.Data, name))
		if errors.Is(err, fs.ErrNotExist) {
			continue
		}
		if err != nil {
			return s, err
		}
		*at = info.ModTime().UnixNano()
		s.size += info.Size()
	}
	return s, nil
}

// A file system may give two changes within so long the same time.
const timesTell = 100 * time.Millisecond

// isFresh tells whether a change may have come after the stamp with the same time: what was copied may be older.
func (s stamp) isFresh(at time.Time) bool {
	age := at.Sub(time.Unix(0, max(s.db, s.wal)))
	return age.Abs() < timesTell // the times of another machine's disk may be ahead
}

func (k *Keeper) once(ctx context.Context, copied *stamp) {
	at := time.Now()
	now, err := k.stamp() // before the copy: what changes meanwhile is copied next time
	if err == nil && now == *copied {
		return
	}
	if err == nil {
		err = k.copy(ctx)
	}
	if err != nil {
		k.Log.Error("the records were not copied; it is tried again", "to", k.To.String(), "error", err)
		k.failed = true
		return
	}
	if k.failed {
		k.Log.Info("the records are copied again", "to", k.To.String())
	}
	*copied, k.failed = now, false
	if now.isFresh(at) {
		*copied = stamp{}
	}
}

func (k *Keeper) copy(ctx context.Context) error {
	if err := os.MkdirAll(k.Work, 0o700); err != nil {
		return err
	}
	file := filepath.Join(k.Work, ".records-new")
	defer os.Remove(file) // gone already where it was brought to its place
	if _, err := backup.WriteRecords(k.Store, file); err != nil {
		return err
	}
	return k.To.Put(ctx, file)
}
