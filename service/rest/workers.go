package rest

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/bake"
	"grotta/service/cluster"
	"grotta/service/store"
)

func (s *server) registerWorkers(a huma.API, tag string) {
	huma.Register(a, operation("GET", "/workers", "list-workers", "Who bakes for the service, and what waits", tag), func(ctx context.Context, _ *struct{}) (*out[api.Workers], error) {
		body := api.Workers{Cluster: s.Workers != nil, Items: []api.Worker{}}
		if s.Workers != nil {
			body.Items = each(s.Workers.Workers(), workerOf)
			body.Bytes, body.Layers = s.Workers.Moved()
		}
		var err error
		body.Queue, err = s.queue(askerOf(ctx))
		return answer(s, body, err)
	})
	huma.Register(a, operation("POST", "/workers/{id}/drain", "drain-worker", "Have a worker end after what it works on", tag), func(_ context.Context, in *struct {
		ID string `path:"id" maxLength:"64"`
	}) (*out[api.Worker], error) {
		if s.Workers != nil && s.Workers.Drain(in.ID) {
			for _, w := range s.Workers.Workers() {
				if w.ID == in.ID {
					return answer(s, workerOf(w), nil)
				}
			}
		}
		return nil, newProblem(404, fmt.Sprintf("no worker %q is heard of", in.ID))
	})
}

func workerOf(w cluster.State) api.Worker {
	out := api.Worker{
		ID: w.ID, Host: w.Host, Engine: w.Engine, Threads: w.Threads, State: "idle", Now: w.Now, Documents: w.Documents, Done: w.Done, Failed: w.Failed,
		Layers: w.Layers, BusyS: w.BusyS, SentBytes: w.Sent, Seen: w.Seen,
	}
	switch {
	case w.Gone:
		out.State = "gone"
	case w.Engine != bake.Engine:
		out.State = "another version"
	case w.Draining:
		out.State = "draining"
	case w.Now != "":
		out.State = "works"
	}
	return out
}

// queue is what waits, by person. Who is no admin sees the others as one.
func (s *server) queue(asker store.Asker) ([]api.Queued, error) {
	names := map[string]string{strconv.FormatUint(uint64(asker.ID), 10): asker.Name}
	if asker.Admin {
		users, err := s.Store.Names()
		if err != nil {
			return nil, err
		}
		for id, name := range users {
			names[strconv.FormatUint(uint64(id), 10)] = name
		}
	}
	const others = "others"
	rows := []api.Queued{}
	for _, q := range s.Baker.Queue() {
		name, known := names[q.By]
		if !known {
			name = others
		}
		i := slices.IndexFunc(rows, func(r api.Queued) bool { return r.User == name })
		if i < 0 {
			i, rows = len(rows), append(rows, api.Queued{User: name})
		}
		rows[i].Now += q.Now
		rows[i].Later += q.Later
	}
	return rows, nil
}
