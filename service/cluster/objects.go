package cluster

import (
	"context"
	"errors"

	"github.com/nats-io/nats.go/jetstream"

	"grotta/service/objects"
)

// natsObjects are the objects of the cluster itself.
type natsObjects struct{ store jetstream.ObjectStore }

func (n natsObjects) Size(ctx context.Context, name string) (int64, error) {
	info, err := n.store.GetInfo(ctx, name)
	if err != nil {
		return 0, foundIn(err)
	}
	return int64(info.Size), nil
}

func (n natsObjects) Put(ctx context.Context, name string, data []byte) error {
	_, err := n.store.PutBytes(ctx, name, data)
	return err
}

func (n natsObjects) Get(ctx context.Context, name string) ([]byte, error) {
	data, err := n.store.GetBytes(ctx, name)
	return data, foundIn(err)
}

func (n natsObjects) Delete(ctx context.Context, name string) error {
	if err := foundIn(n.store.Delete(ctx, name)); !errors.Is(err, objects.ErrNotFound) {
		return err
	}
	return nil
}

func foundIn(err error) error {
	if errors.Is(err, jetstream.ErrObjectNotFound) {
		return objects.ErrNotFound
	}
	return err
}
