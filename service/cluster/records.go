package cluster

import (
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/nats-io/nats.go/jetstream"

	"grotta/service/objects"
)

// Records are the objects in which a cluster keeps the copy of a service's records.
type Records struct {
	*link
	kept   jetstream.ObjectStore
	stream jetstream.Stream // of the same objects
}

// OpenRecords connects to where the records of a service are kept.
func OpenRecords(ctx context.Context, o Options) (*Records, error) {
	l, err := dial(ctx, o, "records")
	if err != nil {
		return nil, err
	}
	r := &Records{link: l}
	bucket := l.Name + "_RECORDS"
	err = l.insist(ctx, func(call context.Context) (err error) {
		if r.kept, err = l.objects(call, jetstream.ObjectStoreConfig{Bucket: bucket}); err != nil {
			return err
		}
		r.stream, err = l.js.Stream(call, "OBJ_"+bucket)
		return err
	})
	if err != nil {
		l.conn.Close()
		return nil, fmt.Errorf("the cluster at %s: %w", redacted(o.URL), err)
	}
	return r, nil
}

func (r *Records) String() string { return "the cluster at " + redacted(r.URL) }

// List is every object whose name begins with a prefix.
func (r *Records) List(ctx context.Context, prefix string) (found []objects.Info, err error) {
	all, err := r.kept.List(ctx)
	if err != nil && !errors.Is(err, jetstream.ErrNoObjectsFound) {
		return nil, err
	}
	for _, o := range all {
		if strings.HasPrefix(o.Name, prefix) {
			found = append(found, objects.Info{Name: o.Name, Size: int64(o.Size), Time: o.ModTime})
		}
	}
	return found, nil
}

// Open reads an object piece by piece. It is checked against its hash at the end.
func (r *Records) Open(ctx context.Context, name string) (io.ReadCloser, error) {
	from, err := r.kept.Get(ctx, name)
	if err != nil {
		return nil, foundIn(err)
	}
	return from, nil
}

// PutFrom stores an object and tells its size.
func (r *Records) PutFrom(ctx context.Context, name string, from io.Reader) (int64, error) {
	info, err := r.kept.Put(ctx, jetstream.ObjectMeta{Name: name}, from)
	if err != nil {
		return 0, err
	}
	return int64(info.Size), nil
}

// Delete takes an object away, with the mark that would be left of it: names do not come again.
func (r *Records) Delete(ctx context.Context, name string) error {
	if err := (natsObjects{r.kept}).Delete(ctx, name); err != nil {
		return err
	}
	mark := fmt.Sprintf("$O.%s_RECORDS.M.%s", r.Name, base64.URLEncoding.EncodeToString([]byte(name)))
	return r.stream.Purge(ctx, jetstream.WithPurgeSubject(mark))
}

// Close ends the connection.
func (r *Records) Close() { r.conn.Close() }
