// Package rest is the service's HTTP face: typed handlers described by OpenAPI,
// who is asking, and the console's files. It decides nothing about levels or
// light; the store judges rights and the core judges documents.
package rest

import (
	"context"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/go-json-experiment/json"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/jobs"
	"grotta/service/store"
	"grotta/service/studio"
)

// Version is the API's.
const Version = "0.1.0"

// Prefix is where the API lives.
const Prefix = "/api/v1"

// Deps are what handlers work with.
type Deps struct {
	Store   *store.Store
	Studio  *studio.Studio
	Baker   *jobs.Baker
	Log     *slog.Logger
	Console fs.FS // index.html and what it needs
	Now     func() time.Time
	Stop    context.Context // done when the service stops; ends event streams
}

type server struct {
	Deps
	guard *signInGuard
}

// New builds the handler of everything the service serves.
func New(d Deps) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	s := &server{d, newSignInGuard()}
	r := gin.New()
	registry := prometheus.NewRegistry()
	r.Use(s.recoverer, securityHeaders, measure(registry))
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", s.ready)
	r.GET("/metrics", gin.WrapH(promhttp.HandlerFor(registry, promhttp.HandlerOpts{})))
	s.register(humagin.New(r, Config()))
	r.NoRoute(s.console)
	return r
}

// Config is the API's description and how it reads and writes JSON.
func Config() huma.Config {
	// huma's own hooks are global; they are the same for every service.
	huma.NewError = newProblem
	huma.DefaultArrayNullable = false
	c := huma.DefaultConfig("Grotta", Version)
	c.OpenAPIPath, c.DocsPath, c.SchemasPath = Prefix+"/openapi", "", ""
	c.CreateHooks = nil // no $schema fields in bodies
	c.Info.Description = "Light levels: documents and revisions, bakes, pictures, checks, presets. Metres, degrees, photometric units."
	c.Formats = map[string]huma.Format{"application/json": jsonFormat, "json": jsonFormat}
	c.DefaultFormat = "application/json"
	c.Components.SecuritySchemes = map[string]*huma.SecurityScheme{
		"token":   {Type: "http", Scheme: "bearer", Description: "A token made by POST /tokens; it holds scopes."},
		"session": {Type: "apiKey", In: "cookie", Name: cookieName, Description: "The console's; changes also need the header " + csrfHeader + "."},
	}
	return c
}

var jsonFormat = huma.Format{
	Marshal: func(w io.Writer, v any) error {
		return json.MarshalWrite(w, v, json.Deterministic(true))
	},
	Unmarshal: func(data []byte, v any) error { return level.Decode(data, v) },
}

// Describe registers the handlers without anything behind them, for the OpenAPI
// document alone.
func Describe(a huma.API) { (&server{}).register(a) }

func (s *server) register(a huma.API) {
	a.UseMiddleware(s.authenticate(a))
	s.registerPeople(a)
	s.registerLevels(a)
	s.registerLight(a)
	s.registerBakes(a)
	s.registerPresets(a)
}

// operation describes a handler. scope is what the asker needs; none for what
// anybody may call.
func operation(method, path, id, summary, tag, scope string) huma.Operation {
	op := huma.Operation{
		OperationID: id, Method: method, Path: Prefix + path, Summary: summary, Tags: []string{tag},
		Errors: []int{400, 401, 403, 404, 422, 500}, MaxBodyBytes: 1 << 20,
	}
	if scope != "" {
		op.Security = []map[string][]string{{"token": {scope}}, {"session": {}}}
	}
	if method == http.MethodPost || method == http.MethodPut || method == http.MethodDelete {
		op.Errors = append(op.Errors, 409)
	}
	return op
}

const (
	cookieName = "grotta_session"
	csrfHeader = "X-Grotta-CSRF"
)

type contextKey int

const (
	askerKey contextKey = iota
	sessionKey
	secretKey
)

func askerOf(ctx context.Context) store.Asker {
	a, _ := ctx.Value(askerKey).(store.Asker)
	return a
}

// authenticate finds the asker and holds the operation's scope against theirs.
func (s *server) authenticate(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		if len(ctx.Operation().Security) == 0 {
			next(ctx)
			return
		}
		scope := ctx.Operation().Security[0]["token"][0]
		deny := func(status int, code, detail string) {
			huma.WriteErr(a, ctx, status, detail, &coded{code, detail})
		}
		asker, ok := s.byToken(ctx)
		if !ok {
			var session api.Session
			var secret string
			asker, session, secret, ok = s.bySession(ctx)
			if ok && ctx.Method() != http.MethodGet && ctx.Header(csrfHeader) != session.CSRF {
				deny(http.StatusForbidden, "csrf", "the header "+csrfHeader+" is missing or wrong; GET "+Prefix+"/session tells it")
				return
			}
			ctx = huma.WithValue(huma.WithValue(ctx, sessionKey, session), secretKey, secret)
		}
		if !ok {
			deny(http.StatusUnauthorized, "not-signed-in", "sign in, or send a valid token")
			return
		}
		if !asker.Has(scope) {
			deny(http.StatusForbidden, "scope", "the token has not the scope "+scope)
			return
		}
		next(huma.WithValue(ctx, askerKey, asker))
	}
}

func (s *server) byToken(ctx huma.Context) (store.Asker, bool) {
	secret, ok := strings.CutPrefix(ctx.Header("Authorization"), "Bearer ")
	if !ok {
		return store.Asker{}, false
	}
	a, err := s.Store.ByToken(strings.TrimSpace(secret), s.Now())
	return a, err == nil
}

func (s *server) bySession(ctx huma.Context) (store.Asker, api.Session, string, bool) {
	if ctx.Header("Authorization") != "" {
		return store.Asker{}, api.Session{}, "", false // a token was sent and was not good
	}
	cookie, err := huma.ReadCookie(ctx, cookieName)
	if err != nil {
		return store.Asker{}, api.Session{}, "", false
	}
	a, session, err := s.Store.BySession(cookie.Value, s.Now())
	return a, session, cookie.Value, err == nil
}

func (s *server) ready(c *gin.Context) {
	if err := s.Store.Ping(); err != nil {
		c.String(http.StatusServiceUnavailable, "the database does not answer\n")
		return
	}
	c.String(http.StatusOK, "ready\n")
}

// recoverer keeps the service up when a handler panics.
func (s *server) recoverer(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			if err, ok := r.(error); ok && errors.Is(err, http.ErrAbortHandler) {
				panic(r)
			}
			s.Log.Error("a handler panicked", "path", c.Request.URL.Path, "panic", r)
			c.AbortWithStatus(http.StatusInternalServerError)
		}
	}()
	c.Next()
}

func securityHeaders(c *gin.Context) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; "+
		"worker-src 'self' blob:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	if strings.HasPrefix(c.Request.URL.Path, Prefix) {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}

func measure(registry *prometheus.Registry) gin.HandlerFunc {
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "grotta_http_seconds", Help: "Time to answer, by route.", Buckets: prometheus.ExponentialBuckets(0.001, 4, 8),
	}, []string{"method", "route", "status"})
	registry.MustRegister(seconds)
	return func(c *gin.Context) {
		began := time.Now()
		c.Next()
		route := c.FullPath()
		if route == "" {
			route = "console"
		}
		seconds.WithLabelValues(c.Request.Method, route, http.StatusText(c.Writer.Status())).Observe(time.Since(began).Seconds())
	}
}

// console serves the built console; every path that is no file is its index,
// which finds its place by the path.
func (s *server) console(c *gin.Context) {
	path := strings.TrimPrefix(c.Request.URL.Path, "/")
	if strings.HasPrefix(c.Request.URL.Path, Prefix) || !slices.Contains([]string{http.MethodGet, http.MethodHead}, c.Request.Method) {
		c.Header("Content-Type", "application/problem+json")
		c.Status(http.StatusNotFound)
		json.MarshalWrite(c.Writer, newProblem(http.StatusNotFound, "there is nothing at "+c.Request.URL.Path))
		return
	}
	if info, err := fs.Stat(s.Console, path); err != nil || info.IsDir() {
		path = "index.html"
	}
	data, err := fs.ReadFile(s.Console, path)
	if err != nil {
		c.String(http.StatusNotFound, "the console is not built into this program; run make\n")
		return
	}
	if strings.HasPrefix(path, "assets/") {
		c.Header("Cache-Control", "public, max-age=31536000, immutable") // names hold a hash
	}
	http.ServeContent(c.Writer, c.Request, path, time.Time{}, strings.NewReader(string(data)))
}
