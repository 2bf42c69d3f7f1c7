package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"sync"
	"time"

	"grotta/api"
	"grotta/service/backup"
	"grotta/service/cluster"
	"grotta/service/objects"
	"grotta/service/replica"
)

// replicaOfCluster is what names the cluster as the place of a copy.
const replicaOfCluster = "nats"

// openReplica opens the place where a copy of records is: a folder, an address of an S3 store, or the cluster.
func openReplica(at string, o cluster.Options) (_ replica.Target, closing func(), err error) {
	switch {
	case api.IsS3(at):
		to, err := objects.OpenS3(at)
		if err != nil {
			return nil, nil, err
		}
		return replica.In(to), func() {}, nil
	case at == replicaOfCluster:
		records, err := cluster.OpenRecords(context.Background(), o)
		if err != nil {
			return nil, nil, err
		}
		return replica.In(records), records.Close, nil
	}
	if info, err := os.Stat(at); err == nil && !info.IsDir() {
		return nil, nil, fmt.Errorf("%s is a file; a copy of the records is kept in a folder: name another one", at)
	}
	at, err = filepath.Abs(at)
	return replica.Folder(at), func() {}, err
}

// startReplica keeps a copy of the records up, if wanted. stop makes a last one.
func startReplica(o Options) (k *replica.Keeper, stop func(), err error) {
	if o.Replica == "" {
		return nil, func() {}, nil
	}
	o.Cluster.Log = o.Log
	to, closing, err := openReplica(o.Replica, o.Cluster)
	if err != nil {
		return nil, nil, err
	}
	place := sha256.Sum256([]byte(to.String()))
	k = &replica.Keeper{
		Database: filepath.Join(o.Data, "grotta.db"), Work: filepath.Join(o.Data, "replica-"+hex.EncodeToString(place[:4])),
		To: to, Every: o.ReplicaEvery, Log: o.Log,
	}
	ctx, end := context.WithCancel(context.Background())
	var run sync.WaitGroup
	run.Go(func() {
		if err := k.Run(ctx); err != nil {
			o.Log.Error("the records are not copied", "error", err)
		}
	})
	return k, func() {
		end()
		run.Wait()
		closing()
	}, nil
}

// Restore makes a data folder from a backup, or from the copy of records in a folder, an S3 store or, where from is
// "", a cluster. Of a copy it takes the state of a time; the zero time is the newest.
func Restore(from string, o cluster.Options, at time.Time, data string) (api.Backup, error) {
	if info, err := os.Stat(from); !api.IsS3(from) && (err == nil && !info.IsDir() || err != nil && from != "") {
		if !at.IsZero() {
			return api.Backup{}, errors.New("a backup has one state; a time can be named for a copy of records (serve --replica)")
		}
		return backup.Restore(from, data)
	}
	if from == "" {
		from = replicaOfCluster
	}
	o.Log = slog.New(slog.DiscardHandler)
	place, closing, err := openReplica(from, o)
	if err != nil {
		return api.Backup{}, err
	}
	defer closing()
	return backup.RestoreRecords(data, func(file string) (time.Time, error) { return replica.Restore(context.Background(), place, at, file) })
}
