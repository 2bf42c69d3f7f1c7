// Command scale measures what a task of a bake and its way back cost on this machine, and computes from that
// how a cluster of 1 to 200 workers bakes a thousand levels. It prints the tables of docs/scale.md and draws
// docs/scale.png.
package main

import (
	"context"
	"crypto/sha256"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"time"

	"github.com/nats-io/nats-server/v2/server"
	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"

	"grotta/core/bake"
	"grotta/core/layer"
	"grotta/core/source"
	"grotta/demo"
	"grotta/service/blob"
	"grotta/service/jobs"
	"grotta/service/store"
	"grotta/service/studio"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// task is a measured order: what a worker needs for it.
type task struct {
	seconds float64
	layers  int
	bytes   int
	draft   bool
}

// measured is what the simulation is fed with.
type measured struct {
	tasks [][]task // of each demo level
	take  float64  // seconds of a core of the service for a layer that comes back
}

func run() error {
	m, err := measure()
	if err != nil {
		return err
	}
	fmt.Printf("On %d threads. A layer that comes back takes the service %.1f ms of one core.\n\n", runtime.GOMAXPROCS(0), 1000*m.take)
	fmt.Println("| workers | 1000 levels take, min | layers a second | workers are busy | the service is busy |\n| --- | --- | --- | --- | --- |")
	counts := []int{1, 2, 5, 10, 20, 50, 100, 150, 200}
	var results []outcome
	for _, n := range counts {
		o := simulate(m, n, 1000, runtime.GOMAXPROCS(0))
		results = append(results, o)
		fmt.Printf("| %d | %.1f | %.0f | %.0f %% | %.0f %% |\n", n, o.seconds/60, float64(o.layers)/o.seconds, 100*o.workersBusy, 100*o.serviceBusy)
	}
	p, err := drawing(counts, results)
	if err != nil {
		return err
	}
	return save(p, "docs/scale.png")
}

// measure bakes the demo levels task by task, as a worker with all threads of this machine does, and takes
// their layers in as the service does.
func measure() (*measured, error) {
	m := &measured{}
	var layers []*layer.Layer
	for _, from := range demo.Levels {
		p, err := bake.Prepare(demo.Start(from))
		if err != nil {
			return nil, err
		}
		var tasks []task
		for _, q := range []bake.Quality{bake.Draft, bake.Good} {
			for part := range slices.Chunk(source.All(p.Sources), jobs.Together) {
				began := time.Now()
				baked, err := p.Bake(context.Background(), part, q, nil)
				if err != nil {
					return nil, err
				}
				bytes := 0
				for _, l := range baked {
					bytes += len(l.Encode())
				}
				tasks = append(tasks, task{time.Since(began).Seconds(), len(baked), bytes, q == bake.Draft})
				layers = append(layers, baked...)
			}
		}
		m.tasks = append(m.tasks, tasks)
	}
	var err error
	m.take, err = measureTaking(layers)
	return m, err
}

// measureTaking is the time of one core from the object store to the files and the database.
func measureTaking(layers []*layer.Layer) (float64, error) {
	dir, err := os.MkdirTemp("", "grotta-scale-")
	if err != nil {
		return 0, err
	}
	defer os.RemoveAll(dir)
	s, err := server.NewServer(&server.Options{DontListen: true, JetStream: true, StoreDir: filepath.Join(dir, "queue"), NoLog: true, NoSigs: true})
	if err != nil {
		return 0, err
	}
	s.Start()
	defer s.Shutdown()
	if !s.ReadyForConnections(10 * time.Second) {
		return 0, fmt.Errorf("the queue did not start")
	}
	conn, err := nats.Connect("", nats.InProcessServer(s))
	if err != nil {
		return 0, err
	}
	defer conn.Close()
	js, err := jetstream.New(conn)
	if err != nil {
		return 0, err
	}
	ctx := context.Background()
	objects, err := js.CreateObjectStore(ctx, jetstream.ObjectStoreConfig{Bucket: "blobs"})
	if err != nil {
		return 0, err
	}
	name := func(i int) string { return strconv.Itoa(i) } // levels may share a layer
	for i, l := range layers {
		if _, err := objects.PutBytes(ctx, name(i), l.Encode()); err != nil {
			return 0, err
		}
	}
	st, err := store.Open(dir)
	if err != nil {
		return 0, err
	}
	defer st.Close()
	blobs, err := blob.Open(filepath.Join(dir, "blobs"))
	if err != nil {
		return 0, err
	}
	sd := studio.New(st, blobs)
	began := time.Now()
	for i, l := range layers {
		data, err := objects.GetBytes(ctx, name(i))
		if err != nil {
			return 0, err
		}
		_ = sha256.Sum256(data)
		got, err := layer.Decode(l.Key, data)
		if err != nil {
			return 0, err
		}
		got.Encoded = data
		if err := sd.AddLayer(got); err != nil {
			return 0, err
		}
		if err := objects.Delete(ctx, name(i)); err != nil {
			return 0, err
		}
	}
	return time.Since(began).Seconds() / float64(len(layers)), nil
}
