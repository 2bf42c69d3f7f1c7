package rest

import (
	"context"
	"net/http"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/time/rate"

	"grotta/api"
)

type sessionOut struct {
	SetCookie http.Cookie `header:"Set-Cookie"`
	Body      api.Session
}

func (s *server) registerPeople(a huma.API) {
	huma.Register(a, operation("POST", "/session", "sign-in", "Sign in", "people", ""),
		func(_ context.Context, in *struct{ Body api.SignIn }) (*sessionOut, error) {
			if !s.guard.allow(in.Body.Name, s.Now()) {
				return nil, newProblem(http.StatusTooManyRequests, "too many tries for this name; wait a minute")
			}
			secret, session, err := s.Store.SignIn(in.Body.Name, in.Body.Password, s.Now())
			if err != nil {
				if p, ok := s.problem(err).(*api.Problem); ok && p.Status == http.StatusForbidden {
					return nil, newProblem(http.StatusUnauthorized, "the name or the password is wrong", &coded{"wrong-password", ""})
				}
				return nil, s.problem(err)
			}
			s.guard.forget(in.Body.Name)
			return &sessionOut{sessionCookie(secret, session.Expires), session}, nil
		})
	huma.Register(a, operation("GET", "/session", "session", "Who is signed in", "people", api.ScopeRead),
		func(ctx context.Context, _ *struct{}) (*out[api.Session], error) {
			session, _ := ctx.Value(sessionKey).(api.Session)
			asker := askerOf(ctx)
			session.User, session.Scopes = asker.Name, asker.Scopes
			return &out[api.Session]{session}, nil
		})
	huma.Register(a, operation("DELETE", "/session", "sign-out", "Sign out", "people", api.ScopeRead),
		func(ctx context.Context, _ *struct{}) (*struct {
			SetCookie http.Cookie `header:"Set-Cookie"`
		}, error) {
			secret, _ := ctx.Value(secretKey).(string)
			if err := s.Store.SignOut(secret); err != nil {
				return nil, s.problem(err)
			}
			return &struct {
				SetCookie http.Cookie `header:"Set-Cookie"`
			}{sessionCookie("", time.Unix(1, 0))}, nil
		})
	huma.Register(a, operation("GET", "/users", "list-users", "List the people of this service", "people", api.ScopeRead),
		func(context.Context, *struct{}) (*out[list[api.User]], error) {
			users, err := s.Store.Users()
			return answerList(s, users, err)
		})
	huma.Register(a, operation("GET", "/tokens", "list-tokens", "List your tokens", "people", api.ScopeRead),
		func(ctx context.Context, _ *struct{}) (*out[list[api.Token]], error) {
			tokens, err := s.Store.Tokens(askerOf(ctx))
			return answerList(s, tokens, err)
		})
	huma.Register(a, operation("POST", "/tokens", "create-token", "Make a token", "people", api.ScopeRead),
		func(ctx context.Context, in *struct{ Body api.NewToken }) (*out[api.Token], error) {
			token, err := s.Store.NewToken(askerOf(ctx), in.Body, s.Now())
			return answer(s, token, err)
		})
	huma.Register(a, operation("DELETE", "/tokens/{id}", "revoke-token", "End a token", "people", api.ScopeRead),
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.RevokeToken(askerOf(ctx), in.ID))
		})
}

// sessionCookie is not marked secure, as the service speaks plain HTTP on
// loopback; a proxy that adds TLS can add the mark.
func sessionCookie(secret string, expires time.Time) http.Cookie {
	return http.Cookie{Name: cookieName, Value: secret, Path: "/", Expires: expires, HttpOnly: true, SameSite: http.SameSiteStrictMode}
}

// signInGuard slows down guessing: eight tries at a name at once, then one every
// eight seconds.
type signInGuard struct {
	mu    sync.Mutex
	names map[string]*rate.Limiter
}

func newSignInGuard() *signInGuard { return &signInGuard{names: map[string]*rate.Limiter{}} }

func (g *signInGuard) allow(name string, now time.Time) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	l := g.names[name]
	if l == nil {
		if len(g.names) > 10_000 {
			clear(g.names)
		}
		l = rate.NewLimiter(rate.Every(8*time.Second), 8)
		g.names[name] = l
	}
	return l.AllowN(now, 1)
}

func (g *signInGuard) forget(name string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	delete(g.names, name)
}
