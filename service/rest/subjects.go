package rest

import (
	recent "container/list"
	"sync"

	"grotta/core/bake"
	"grotta/core/check"
)

// keptSubjects is how many levels keep what their checks found of their geometry.
const keptSubjects = 4

// subjects keep, for the levels that were checked last, what the checks know of them. An edit of a light
// then leaves what is known of the geometry.
type subjects struct {
	mu    sync.Mutex
	order recent.List // of *kept, the newest first
}

type kept struct {
	level   string
	mu      sync.Mutex
	from    *bake.Prepared
	subject *check.Subject
}

// of is a level ready to be checked.
func (s *subjects) of(level string, p *bake.Prepared) *check.Subject {
	k := s.place(level)
	k.mu.Lock()
	defer k.mu.Unlock()
	switch {
	case k.subject == nil:
		k.subject = check.Of(p)
	case k.from != p:
		k.subject = k.subject.Again(p)
	}
	k.from = p
	return k.subject
}

// place is where a level is kept; it becomes the newest.
func (s *subjects) place(level string) *kept {
	s.mu.Lock()
	defer s.mu.Unlock()
	for e := s.order.Front(); e != nil; e = e.Next() {
		if k, _ := e.Value.(*kept); k.level == level {
			s.order.MoveToFront(e)
			return k
		}
	}
	k := &kept{level: level}
	s.order.PushFront(k)
	for s.order.Len() > keptSubjects {
		s.order.Remove(s.order.Back())
	}
	return k
}
