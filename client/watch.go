package client

import (
	"bufio"
	"context"
	"errors"
	"net/http"
	"strings"
)

// Event is something that happened to a level.
type Event struct {
	Kind string // revision, bake or shot
	Data []byte // JSON: api.RevisionEvent, api.Bake or api.ShotEvent
}

// ErrEnded is a stream that the service ended: it stopped, or the right to watch was
// withdrawn.
var ErrEnded = errors.New("the service ended the stream of events")

// maxEvent bounds a line of the stream, in bytes.
const maxEvent = 1 << 20

// Watch calls on for everything that happens to a level, until the context ends
// or the service does. ready, if not nil, is called once when nothing that
// happens from then on is missed.
func (c *Client) Watch(ctx context.Context, id string, ready func(), on func(Event)) error {
	res, err := c.send(ctx, call{method: http.MethodGet, path: levelPath(id, "events")})
	if err != nil {
		return err
	}
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	lines.Buffer(nil, maxEvent)
	kind := ""
	for lines.Scan() {
		switch field, value, _ := strings.Cut(lines.Text(), ": "); field {
		case "event":
			kind = value
		case "data":
			if kind != "beat" {
				on(Event{kind, []byte(value)})
			} else if ready != nil {
				ready()
				ready = nil
			}
		}
	}
	if err := lines.Err(); err != nil {
		return err
	}
	return ErrEnded
}
