package rest

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/service/store"
)

type sessionOut struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      api.Session
}

type signInInput struct {
	Body    api.SignIn
	Known   http.Cookie `cookie:"grotta_known" doc:"From an earlier sign-in of this browser; it keeps others' wrong tries from locking it out."`
	Agent   string      `header:"User-Agent"`
	Address string      `json:"-"`
}

// mostAgent is how much is kept of what a browser calls itself, in bytes.
const mostAgent = 200

func cut(text string, most int) string {
	return strings.ToValidUTF8(text[:min(len(text), most)], "")
}

// Resolve notes the address that a sign-in comes from.
func (in *signInInput) Resolve(ctx huma.Context) []error {
	in.Address, _, _ = net.SplitHostPort(ctx.RemoteAddr())
	return nil
}

func (s *server) registerPeople(a huma.API) {
	huma.Register(a, operation("POST", "/session", "sign-in", "Sign in", "people"),
		func(ctx context.Context, in *signInInput) (*sessionOut, error) {
			known := in.Known.Value != "" && s.guard.isKnown(in.Known.Value, in.Body.Name)
			if wait := s.guard.wait(in.Body.Name, in.Address, known, s.Now()); wait > 0 {
				return nil, huma.ErrorWithHeaders(newProblem(http.StatusTooManyRequests, "too many tries for this name; wait a little"),
					http.Header{"Retry-After": {strconv.Itoa(int(wait.Seconds()) + 1)}})
			}
			secret, session, err := s.Store.SignIn(in.Body.Name, in.Body.Password, cut(in.Agent, mostAgent), s.Now())
			if errors.Is(err, store.ErrForbidden) {
				return nil, newProblem(http.StatusUnauthorized, "the name or the password is wrong", &coded{"wrong-password", ""})
			}
			if err != nil {
				return nil, s.problem(err)
			}
			s.guard.forget(in.Body.Name, in.Address)
			s.audit(in.Body.Name, "sign-in", "")
			return &sessionOut{[]http.Cookie{sessionCookie(secret, session.Expires), s.guard.knownCookie(in.Body.Name, s.Now())}, session}, nil
		})
	huma.Register(a, operation("GET", "/session", "session", "Who is signed in", "people"),
		func(ctx context.Context, _ *struct{}) (*out[api.Session], error) {
			session, _ := ctx.Value(sessionKey).(api.Session)
			asker := askerOf(ctx)
			session.User, session.Scopes = asker.Name, asker.Scopes
			return &out[api.Session]{session}, nil
		})
	huma.Register(a, operation("DELETE", "/session", "sign-out", "Sign out", "people"),
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
	huma.Register(a, operation("GET", "/sessions", "list-sessions", "List where you are signed in", "people"),
		func(ctx context.Context, _ *struct{}) (*out[list[api.OpenSession]], error) {
			sessions, err := s.Store.Sessions(askerOf(ctx), s.Now())
			return answerList(s, sessions, err)
		})
	huma.Register(a, operation("DELETE", "/sessions/{id}", "end-session", "Sign out somewhere else", "people"),
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{}, error) {
			return nothing(s, s.Store.EndSession(askerOf(ctx), in.ID))
		})
	huma.Register(a, operation("GET", "/users", "list-users", "List the people of this service", "people"),
		func(ctx context.Context, _ *struct{}) (*out[list[api.User]], error) {
			users, err := s.Store.Users(askerOf(ctx))
			return answerList(s, users, err)
		})
	huma.Register(a, operation("POST", "/users", "create-user", "Make a person who can sign in", "people"),
		func(_ context.Context, in *struct{ Body api.NewUser }) (*out[api.User], error) {
			made, err := s.Store.CreateUser(in.Body)
			return answer(s, made, err)
		})
	huma.Register(a, operation("PATCH", "/users/{name}", "change-user", "Say what a person may", "people"),
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
			Body api.UserChange
		}) (*struct{}, error) {
			return nothing(s, s.Store.ChangeUser(askerOf(ctx), in.Name, in.Body))
		})
	huma.Register(a, operation("PUT", "/users/{name}/password", "set-password", "Set a password", "people"),
		func(ctx context.Context, in *struct {
			Name string `path:"name"`
			Body api.NewPassword
		}) (*struct{}, error) {
			return nothing(s, s.Store.SetPassword(askerOf(ctx), in.Name, in.Body))
		})
	huma.Register(a, operation("DELETE", "/users/{name}", "remove-user", "Remove a person", "people"),
		func(ctx context.Context, in *struct {
			Name   string `path:"name"`
			Levels string `query:"levels" enum:"give,delete" required:"true" doc:"What becomes of their levels."`
			Heir   string `query:"heir" maxLength:"64" doc:"give: to whom."`
		}) (*struct{}, error) {
			if in.Levels == "give" && in.Heir == "" {
				return nil, newProblem(422, "what was sent cannot be taken", &huma.ErrorDetail{Location: "query.heir", Message: "is missing; say who gets the levels"})
			}
			if in.Levels == "delete" {
				in.Heir = ""
			}
			return nothing(s, s.Store.RemoveUser(askerOf(ctx), in.Name, in.Heir))
		})
	huma.Register(a, operation("GET", "/tokens", "list-tokens", "List your tokens", "people"),
		func(ctx context.Context, _ *struct{}) (*out[list[api.Token]], error) {
			tokens, err := s.Store.Tokens(askerOf(ctx))
			return answerList(s, tokens, err)
		})
	huma.Register(a, operation("POST", "/tokens", "create-token", "Make a token", "people"),
		func(ctx context.Context, in *struct{ Body api.NewToken }) (*out[api.Token], error) {
			token, err := s.Store.NewToken(askerOf(ctx), in.Body, s.Now())
			return answer(s, token, err)
		})
	huma.Register(a, operation("DELETE", "/tokens/{id}", "revoke-token", "End a token", "people"),
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
