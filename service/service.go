// Package service puts the parts of the service together: database, blobs,
// studio, queue and HTTP, and stops them in the other order.
package service

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/gofrs/flock"

	"grotta/api"
	"grotta/service/blob"
	"grotta/service/cluster"
	"grotta/service/hooks"
	"grotta/service/jobs"
	"grotta/service/rest"
	"grotta/service/store"
	"grotta/service/studio"
	"grotta/service/traces"
)

// Options of a service.
type Options struct {
	Data    string // folder of everything it keeps
	Listen  string // address, such as 127.0.0.1:8460; port 0 takes a free one
	Log     *slog.Logger
	Console fs.FS

	Hosts        []string // names that it may be called by, beside those of loopback
	MetricsToken string   // what /metrics takes from elsewhere than this machine
	Quota        store.Quota

	PrivateWebhooks bool // webhooks may lie on this machine and in private networks

	Cluster  cluster.Options // of workers on other machines; without an address this process bakes
	BakeHere bool            // with a cluster: this process is one of its workers

	Replica      string        // where a copy of the records is kept up: a folder, the address of an S3 store, or "nats" for the cluster; "" is nowhere
	ReplicaEvery time.Duration // how often what changed is copied

	Traces string // address of a collector that spans are sent to; "" is none
}

// Service is a running service.
type Service struct {
	Store    *store.Store
	URL      string
	baker    *jobs.Baker
	cluster  *cluster.Caller // nil without one
	working  func()          // ends the worker of this process
	copying  func()          // ends the copying of records, after a last copy
	tracing  func()          // ends the sending of spans, after those that are left
	lock     *flock.Flock
	http     *http.Server
	stopping context.CancelFunc
	cleaning sync.WaitGroup
	done     chan error
}

// Start opens the data and listens.
func Start(o Options) (_ *Service, err error) {
	lock, err := lockData(o.Data)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			lock.Unlock()
		}
	}()
	tracing, err := startTraces(o)
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			tracing()
		}
	}()
	st, err := store.Open(o.Data)
	if err != nil {
		return nil, err
	}
	st.Quota = o.Quota
	if err := st.SyncStarters(); err != nil {
		return nil, errors.Join(fmt.Errorf("the starter library: %w", err), st.Close())
	}
	blobs, err := blob.Open(filepath.Join(o.Data, "blobs"))
	if err != nil {
		return nil, errors.Join(err, st.Close())
	}
	sd := studio.New(st, blobs)
	workers, working, err := startCluster(o)
	if err != nil {
		return nil, errors.Join(err, st.Close())
	}
	var remote jobs.Remote // stays nil without a cluster
	if workers != nil {
		remote = workers
	}
	baker, err := jobs.Start(o.Data, st, sd, o.Log, remote)
	if err != nil {
		working()
		return nil, errors.Join(err, st.Close())
	}
	listener, err := net.Listen("tcp", o.Listen)
	if err != nil {
		baker.Close()
		working()
		return nil, errors.Join(fmt.Errorf("listen on %s: %w", o.Listen, err), st.Close())
	}
	keeper, copying, err := startReplica(o)
	if err != nil {
		listener.Close()
		baker.Close()
		working()
		return nil, errors.Join(err, st.Close())
	}
	ctx, stop := context.WithCancel(context.Background())
	s := &Service{Store: st, baker: baker, cluster: workers, working: working, copying: copying, tracing: tracing, lock: lock, stopping: stop, done: make(chan error, 1), URL: "http://" + listener.Addr().String()}
	sender := hooks.New(st, o.Log, o.PrivateWebhooks)
	s.http = &http.Server{
		Handler: rest.New(rest.Deps{
			Store: st, Studio: sd, Baker: baker, Workers: workers, Log: o.Log, Console: o.Console, Stop: ctx,
			Now:      func() time.Time { return time.Now().UTC() },
			Loopback: isLoopback(listener.Addr()), Hosts: o.Hosts, MetricsToken: o.MetricsToken,
			MayHook: sender.MayHook, Keeper: keeper,
		}),
		ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
	}
	go func() { s.done <- s.http.Serve(listener) }()
	s.cleaning.Go(func() { cleanDaily(ctx, st, sd, o.Log) })
	s.cleaning.Go(func() { sender.Run(ctx) })
	return s, nil
}

// startTraces has spans sent, if that is wanted. stop ends it.
func startTraces(o Options) (stop func(), err error) {
	if o.Traces == "" {
		return func() {}, nil
	}
	return traces.Send(traces.Options{To: o.Traces, Part: "serve", Version: rest.Version, Log: o.Log})
}

// startCluster connects to the cluster that bakes, if there is one, and makes this process a worker of it if
// wanted. stop ends both.
func startCluster(o Options) (_ *cluster.Caller, stop func(), err error) {
	if !o.Cluster.On() {
		return nil, func() {}, nil
	}
	o.Cluster.Log = o.Log
	ctx, end := context.WithCancel(context.Background())
	caller, err := cluster.Call(ctx, o.Cluster)
	if err != nil {
		end()
		return nil, nil, err
	}
	if !o.BakeHere {
		return caller, func() { end(); caller.Close() }, nil
	}
	worker, err := cluster.Work(ctx, o.Cluster, "service", filepath.Join(o.Data, "worker"))
	if err != nil {
		end()
		caller.Close()
		return nil, nil, err
	}
	var work sync.WaitGroup
	work.Go(func() {
		if err := worker.Run(ctx); err != nil {
			o.Log.Error("the worker of this process ended", "error", err)
		}
	})
	return caller, func() {
		end()
		work.Wait()
		caller.Close()
	}, nil
}

// Layers that nothing uses are deleted a day after they were made, once a day.
const layerAge, cleanEvery = 24 * time.Hour, 24 * time.Hour

func cleanDaily(ctx context.Context, st *store.Store, sd *studio.Studio, log *slog.Logger) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(cleanEvery):
		}
		if c, err := sd.Clean(time.Now().UTC(), layerAge); err != nil {
			log.Error("layers were not cleaned", "error", err)
		} else {
			log.Info("layers cleaned", "layers", c.Layers, "bytes", c.Bytes)
		}
		if err := st.DropRemoved(time.Now().UTC()); err != nil {
			log.Error("levels that were deleted long ago were not dropped", "error", err)
		}
		if err := st.DropOldAudit(time.Now().UTC()); err != nil {
			log.Error("old entries of what people did were not dropped", "error", err)
		}
	}
}

// Clean deletes the unused layers of a folder of data, of any age, whether a
// service runs on it or not.
func Clean(data string) (api.Cleaned, error) {
	st, err := store.OpenExisting(data)
	if err != nil {
		return api.Cleaned{}, err
	}
	blobs, err := blob.Open(filepath.Join(data, "blobs"))
	if err != nil {
		return api.Cleaned{}, errors.Join(err, st.Close())
	}
	c, err := studio.New(st, blobs).Clean(time.Now().UTC(), 0)
	return c, errors.Join(err, st.Close())
}

// Done delivers the error that ended the HTTP server.
func (s *Service) Done() <-chan error { return s.done }

// Stop ends open requests within a few seconds, then the queue, then the
// database. A bake that runs is resumed at the next start.
func (s *Service) Stop() error {
	s.stopping()
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Second)
	defer cancel()
	err := s.http.Shutdown(ctx)
	if err != nil {
		err = s.http.Close()
	}
	s.cleaning.Wait()
	s.baker.Close()
	s.working()
	s.copying()
	s.tracing()
	return errors.Join(err, s.Store.Close(), s.lock.Unlock())
}

// lockData keeps a second service off a folder of data.
func lockData(dir string) (*flock.Flock, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	lock := flock.New(filepath.Join(dir, "serving"))
	got, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("lock %s: %w", dir, err)
	}
	if !got {
		return nil, fmt.Errorf("another grotta serves the folder %s already; stop it, or choose another folder with --data", dir)
	}
	return lock, nil
}

func isLoopback(a net.Addr) bool {
	tcp, ok := a.(*net.TCPAddr)
	return ok && tcp.IP.IsLoopback()
}
