package client

import (
	"bufio"
	"context"
	"net/http"
	"strings"
)

// Event is something that happened to a level.
type Event struct {
	Kind string // revision, bake or shot
	Data []byte // JSON: api.RevisionEvent, api.Bake or api.ShotEvent
}

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
		case "": // a comment
			if ready != nil && value == "watching" {
				ready()
			}
		case "event":
			kind = value
		case "data":
			on(Event{kind, []byte(value)})
		}
	}
	return lines.Err()
}
