package cluster

import (
	"context"
	"errors"
	"fmt"
	"os"

	"github.com/nats-io/nats.go/jetstream"
)

// Records keeps the copy of a service's records in the object store of a cluster.
type Records struct {
	*link
	kept jetstream.ObjectStore
}

// recordsName names the newest copy.
const recordsName = "records"

// OpenRecords connects to where the records of a service are kept.
func OpenRecords(ctx context.Context, o Options) (*Records, error) {
	l, err := dial(ctx, o, "records")
	if err != nil {
		return nil, err
	}
	r := &Records{link: l}
	err = l.insist(ctx, func(call context.Context) (err error) {
		r.kept, err = l.objects(call, jetstream.ObjectStoreConfig{Bucket: l.Name + "_RECORDS"})
		return err
	})
	if err != nil {
		l.conn.Close()
		return nil, fmt.Errorf("the cluster at %s: %w", redacted(o.URL), err)
	}
	return r, nil
}

func (r *Records) String() string { return "the cluster at " + redacted(r.URL) }

// Put stores a copy in place of the one before, which stays until the new one is whole.
func (r *Records) Put(ctx context.Context, file string) error {
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = r.kept.Put(ctx, jetstream.ObjectMeta{Name: recordsName}, f)
	return err
}

// ErrNoRecords says that no copy is there.
var ErrNoRecords = errors.New("no copy of records is there")

// Get writes the newest copy to a file. Its content is checked against its hash.
func (r *Records) Get(ctx context.Context, file string) error {
	err := r.kept.GetFile(ctx, recordsName, file)
	if errors.Is(err, jetstream.ErrObjectNotFound) {
		return fmt.Errorf("%s: %w", r, ErrNoRecords)
	}
	return err
}

// Close ends the connection.
func (r *Records) Close() { r.conn.Close() }
