package jobs

import (
	"github.com/go-json-experiment/json"

	"github.com/nats-io/nats.go"

	"grotta/api"
)

// Event is something that happened to a level: one of its fields is set.
type Event struct {
	Revision *api.RevisionEvent `json:"revision,omitzero"`
	Bake     *api.Bake          `json:"bake,omitzero"`
	Shot     *api.ShotEvent     `json:"shot,omitzero"`
	Presence *api.Presence      `json:"presence,omitzero"`
	Talk     *api.TalkEvent     `json:"talk,omitzero"`
}

// Content is the one thing that an event tells.
func (e *Event) Content() any {
	switch {
	case e.Revision != nil:
		return *e.Revision
	case e.Bake != nil:
		return *e.Bake
	case e.Shot != nil:
		return *e.Shot
	case e.Presence != nil:
		return *e.Presence
	case e.Talk != nil:
		return *e.Talk
	}
	return nil
}

func eventSubject(levelID string) string { return "event.level." + levelID }

func (b *Baker) tell(status api.Bake) { b.publishEvent(status.Level, Event{Bake: &status}) }

// TellRevision tells everybody who watches a level that it has a new revision.
func (b *Baker) TellRevision(e api.RevisionEvent) { b.publishEvent(e.Level, Event{Revision: &e}) }

// TellShot tells everybody who watches a level how far a picture is.
func (b *Baker) TellShot(e api.ShotEvent) { b.publishEvent(e.Level, Event{Shot: &e}) }

// TellPresence tells everybody who watches a level what somebody looks at.
func (b *Baker) TellPresence(p api.Presence) { b.publishEvent(p.Level, Event{Presence: &p}) }

// TellTalk tells everybody who watches a level that something was said about it.
func (b *Baker) TellTalk(e api.TalkEvent) { b.publishEvent(e.Level, Event{Talk: &e}) }

func (b *Baker) publishEvent(levelID string, e Event) {
	data, err := json.Marshal(e)
	if err == nil {
		err = b.conn.Publish(eventSubject(levelID), data)
	}
	if err != nil {
		b.log.Warn("an event was not told", "level", levelID, "error", err)
	}
}

// Watch delivers the events of a level until stop is called. A watcher that is
// too slow misses some.
func (b *Baker) Watch(levelID string) (events <-chan *nats.Msg, stop func(), err error) {
	ch := make(chan *nats.Msg, 256)
	sub, err := b.conn.ChanSubscribe(eventSubject(levelID), ch)
	if err != nil {
		return nil, nil, err
	}
	return ch, func() { sub.Unsubscribe() }, nil
}
