package rest

import (
	"context"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/sse"
	"github.com/go-json-experiment/json"

	"grotta/api"
	"grotta/service/jobs"
	"grotta/service/rights"
)

// How often a stream says that it is still there, and looks whether its watcher still may
// watch.
const (
	beatEvery  = 15 * time.Second
	judgeEvery = 700 * time.Millisecond
)

// registerEvents streams what happens to a level as server-sent events.
func (s *server) registerEvents(a huma.API, tag string) {
	op := operation("GET", "/levels/{id}/events", "watch-level", "Watch a level", tag)
	op.Description = "Server-sent events. \"beat\" comes at the start and every 15 seconds. The stream ends within a second once the right to see the level is withdrawn, the session or token ends, or the level is deleted."
	types := map[string]any{"revision": api.RevisionEvent{}, "bake": api.Bake{}, "shot": api.ShotEvent{}, "presence": api.Presence{}, "talk": api.TalkEvent{}, "beat": api.Beat{}}
	tell := operation("POST", "/levels/{id}/presence", "tell-presence", "Tell others on a level what you look at", tag)
	tell.Description = "Goes to everybody who watches the level, as an event \"presence\". Nothing is kept: say it again every few seconds, and who was not heard of for twenty has left."
	huma.Register(a, tell, func(ctx context.Context, in *struct {
		LevelPath
		Body api.Presence
	}) (*struct{}, error) {
		in.Body.User, in.Body.Level = askerOf(ctx).Name, in.ID
		s.Baker.TellPresence(in.Body)
		return nil, nil
	})
	sse.Register(a, op, types, func(ctx context.Context, in *LevelPath, send sse.Sender) { s.stream(ctx, in.ID, send) })
}

func (s *server) stream(ctx context.Context, id string, send sse.Sender) {
	events, stop, err := s.Baker.Watch(id)
	if err != nil {
		s.Log.Error("events are not watched", "level", id, "error", err)
		return
	}
	defer stop()
	beat, judge := time.NewTicker(beatEvery), time.NewTicker(judgeEvery)
	defer beat.Stop()
	defer judge.Stop()
	err = send.Data(api.Beat{Level: id})
	for err == nil {
		select {
		case msg := <-events:
			var e jobs.Event
			if json.Unmarshal(msg.Data, &e) == nil {
				err = send.Data(e.Content())
			}
		case <-beat.C:
			err = send.Data(api.Beat{Level: id})
		case <-judge.C:
			if !s.mayStillWatch(ctx, id) {
				return
			}
		case <-ctx.Done():
			return
		case <-s.Stop.Done():
			return
		}
	}
}

// mayStillWatch asks again whether the watcher of a stream may see the level.
func (s *server) mayStillWatch(ctx context.Context, id string) bool {
	asker := askerOf(ctx)
	if !s.Store.StillIn(asker, s.Now()) {
		return false
	}
	role, err := s.Store.Role(asker, id)
	return err == nil && rights.AtLeast(role, rights.Viewer) == nil
}
