package replica

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path"
	"slices"
	"time"

	"github.com/benbjohnson/litestream"
	"github.com/benbjohnson/litestream/file"
	"github.com/superfly/ltx"

	"grotta/service/objects"
)

// Target is where a copy is kept.
type Target interface {
	litestream.ReplicaClient
	fmt.Stringer
}

// Folder is a target on a disk.
func Folder(at string) Target { return folder{file.NewReplicaClient(at)} }

type folder struct{ *file.ReplicaClient }

func (f folder) String() string { return f.Path() }

// Objects are what a target elsewhere consists of.
type Objects interface {
	fmt.Stringer
	// List is every object whose name begins with a prefix.
	List(ctx context.Context, prefix string) ([]objects.Info, error)
	// Open reads an object, or says objects.ErrNotFound.
	Open(ctx context.Context, name string) (io.ReadCloser, error)
	// PutFrom stores an object, which appears once it is whole, and tells its size.
	PutFrom(ctx context.Context, name string, from io.Reader) (int64, error)
	// Delete takes an object away; one that is not there is no error.
	Delete(ctx context.Context, name string) error
}

// In is a target that consists of objects.
func In(o Objects) Target { return target{o} }

// target keeps a folder for each level; a file in it is named by its first and last change.
type target struct{ Objects }

func (t target) Type() string               { return "objects" }
func (t target) Init(context.Context) error { return nil }
func (t target) SetLogger(*slog.Logger)     {}

// LTXFiles lists a level from a change on, in order.
func (t target) LTXFiles(ctx context.Context, level int, from ltx.TXID, _ bool) (ltx.FileIterator, error) {
	found, err := t.List(ctx, litestream.LTXLevelDir("", level)+"/")
	if err != nil {
		return nil, err
	}
	var files []*ltx.FileInfo
	for _, o := range found {
		first, last, err := ltx.ParseFilename(path.Base(o.Name))
		if err == nil && first >= from {
			files = append(files, &ltx.FileInfo{Level: level, MinTXID: first, MaxTXID: last, Size: o.Size, CreatedAt: o.Time.UTC()})
		}
	}
	slices.SortFunc(files, func(a, b *ltx.FileInfo) int { return cmp.Compare(a.MinTXID, b.MinTXID) })
	return ltx.NewFileInfoSliceIterator(files), nil
}

// OpenLTXFile reads a file from an offset on; size 0 is all that follows.
func (t target) OpenLTXFile(ctx context.Context, level int, first, last ltx.TXID, offset, size int64) (io.ReadCloser, error) {
	from, err := t.Open(ctx, litestream.LTXFilePath("", level, first, last))
	if errors.Is(err, objects.ErrNotFound) {
		err = os.ErrNotExist
	}
	if err != nil {
		return nil, err
	}
	if _, err := io.CopyN(io.Discard, from, offset); err != nil {
		return nil, errors.Join(err, from.Close())
	}
	if size == 0 {
		return from, nil
	}
	return struct {
		io.Reader
		io.Closer
	}{io.LimitReader(from, size), from}, nil
}

// WriteLTXFile stores a file.
func (t target) WriteLTXFile(ctx context.Context, level int, first, last ltx.TXID, from io.Reader) (*ltx.FileInfo, error) {
	head, whole, err := ltx.PeekHeader(from)
	if err != nil {
		return nil, err
	}
	size, err := t.PutFrom(ctx, litestream.LTXFilePath("", level, first, last), whole)
	if err != nil {
		return nil, err
	}
	return &ltx.FileInfo{Level: level, MinTXID: first, MaxTXID: last, Size: size, CreatedAt: time.UnixMilli(head.Timestamp).UTC()}, nil
}

// DeleteLTXFiles deletes files.
func (t target) DeleteLTXFiles(ctx context.Context, files []*ltx.FileInfo) error {
	for _, f := range files {
		if err := t.Delete(ctx, litestream.LTXFilePath("", f.Level, f.MinTXID, f.MaxTXID)); err != nil {
			return err
		}
	}
	return nil
}

// DeleteAll deletes the whole copy.
func (t target) DeleteAll(ctx context.Context) error {
	found, err := t.List(ctx, litestream.LTXDir("")+"/")
	if err != nil {
		return err
	}
	for _, o := range found {
		if err := t.Delete(ctx, o.Name); err != nil {
			return err
		}
	}
	return nil
}
