package rest

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"grotta/api"
	"grotta/service/auth"
	"grotta/service/store"
)

// This file signs a browser in by a link that works once, so that a program of the same person
// can open the console for them.

// linkFor is how long a link can be followed, and mostLinks how many are open at once.
const (
	linkFor   = 2 * time.Minute
	mostLinks = 100
)

type link struct {
	user    store.Asker
	to      string
	expires time.Time
}

// links are those that were not followed yet, by the hash of their key.
type links struct {
	mu   sync.Mutex
	open map[string]link
}

// add makes a link; false where too many are open.
func (l *links) add(k link, now time.Time) (key string, ok bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	for hash, open := range l.open {
		if open.expires.Before(now) {
			delete(l.open, hash)
		}
	}
	if len(l.open) >= mostLinks {
		return "", false
	}
	key = auth.NewSecret()
	l.open[auth.HashSecret(key)] = k
	return key, true
}

// take follows a link: it is gone then.
func (l *links) take(key string, now time.Time) (link, bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	hash := auth.HashSecret(key)
	k, ok := l.open[hash]
	delete(l.open, hash)
	return k, ok && k.expires.After(now)
}

const enterPath = "/enter/"

func (s *server) registerLink(a huma.API) {
	op := operation("POST", "/session/link", "make-link", "Make a link that signs a browser in, once", "people")
	op.Description = "It can be followed once, for two minutes. A session may do all that a person may, so a token must have all of their scopes."
	huma.Register(a, op, func(ctx context.Context, in *struct{ Body api.NewLink }) (*out[api.Link], error) {
		asker := askerOf(ctx)
		if !strings.HasPrefix(in.Body.To, "/") || strings.HasPrefix(in.Body.To, "//") || strings.ContainsAny(in.Body.To, "\\\r\n") {
			return nil, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "body.to", Message: "is no path of this service; one such as /levels/ID is needed"})
		}
		for _, scope := range store.SessionScopes(asker.Admin) {
			if !asker.Has(scope) {
				return nil, s.problem(fmt.Errorf("a link needs all scopes, and this token lacks %q: %w", scope, store.ErrForbidden))
			}
		}
		key, ok := s.links.add(link{asker, in.Body.To, s.Now().Add(linkFor)}, s.Now())
		if !ok {
			return nil, newProblem(http.StatusTooManyRequests, "so many links are open that no other is made now")
		}
		return answer(s, api.Link{Path: enterPath + key, Expires: s.Now().Add(linkFor)}, nil)
	})
}

// enter follows a link: it begins a session and goes to where the link leads.
func (s *server) enter(c *gin.Context) {
	k, ok := s.links.take(c.Param("key"), s.Now())
	if !ok {
		c.Redirect(http.StatusSeeOther, "/") // where one signs in by hand
		return
	}
	secret, session, err := s.Store.BeginSession(k.user, cut(c.Request.UserAgent(), mostAgent), s.Now())
	if err != nil {
		s.Log.Error("a session was not begun", "error", err)
		s.refuse(c, http.StatusInternalServerError, "the link could not be followed; the log says why")
		return
	}
	cookie := sessionCookie(secret, session.Expires)
	http.SetCookie(c.Writer, &cookie)
	c.Redirect(http.StatusSeeOther, (&url.URL{Path: k.to}).String())
}
