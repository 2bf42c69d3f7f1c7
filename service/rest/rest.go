// Package rest is the service's HTTP face: typed handlers described by OpenAPI,
// who is asking, and the console's files. It decides nothing about levels or
// light; the store judges rights and the core judges documents.
package rest

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net/http"
	"regexp"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/go-json-experiment/json"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"go.opentelemetry.io/contrib/instrumentation/github.com/gin-gonic/gin/otelgin"
	"go.opentelemetry.io/otel/attribute"

	"grotta/api"
	"grotta/core/level"
	"grotta/service/cluster"
	"grotta/service/gate"
	"grotta/service/jobs"
	"grotta/service/keyed"
	"grotta/service/replica"
	"grotta/service/rights"
	"grotta/service/store"
	"grotta/service/studio"
	"grotta/service/trail"
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
	Workers *cluster.Caller // nil where the service bakes by itself
	Log     *slog.Logger
	Console fs.FS // index.html and what it needs
	Now     func() time.Time

	Loopback     bool                    // it listens on loopback alone
	Hosts        []string                // names it may be called by; any off loopback if none
	MetricsToken string                  // that /metrics takes from elsewhere than loopback; "" takes none
	Keeper       *replica.Keeper         // of the copy of the records; nil without one
	MayHook      func(host string) error // judges hosts of webhooks; nil takes all
	Stop         context.Context         // done when the service stops; ends event streams
}

type server struct {
	Deps
	guard *signInGuard
	gate  *gate.Gate
	links links

	painting keyed.Locks         // one picture of a preset at a time
	paint    chan api.PresetInfo // presets whose pictures are to be made

	subjects subjects
}

// How many heavy requests work at once, and how many wait, of one person and in all.
var (
	heavyPlaces    = max(1, runtime.GOMAXPROCS(0)/2) // each uses every core by itself
	heavyPerPerson = 16
	heavyWaiting   = 64
)

// New builds the handler of everything the service serves.
func New(d Deps) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	s := &server{Deps: d, guard: newSignInGuard(), gate: gate.New(heavyPlaces, heavyPerPerson, heavyWaiting), links: links{open: map[string]link{}}}
	if s.Stop != nil {
		s.paint = make(chan api.PresetInfo, mostWaitingPictures)
		s.Store.OnPreset = s.paintLater
		go s.paintAll(s.Stop)
	}
	r := gin.New()
	r.HandleMethodNotAllowed = true
	registry := prometheus.NewRegistry()
	registry.MustRegister(bakesMeter{s})
	if s.Keeper != nil {
		registry.MustRegister(copyAge(s.Keeper))
	}
	r.Use(otelgin.Middleware("grotta", otelgin.WithFilter(isTraced)), s.trails, s.recoverer, s.hosts, securityHeaders, measure(registry))
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "ok\n") })
	r.GET("/readyz", s.ready)
	r.GET(enterPath+":key", s.enter)
	r.GET("/metrics", s.metricsAllowed, gin.WrapH(promhttp.HandlerFor(registry, promhttp.HandlerOpts{})))
	s.register(humagin.New(r, Config()))
	r.NoRoute(s.console)
	r.NoMethod(func(c *gin.Context) {
		s.refuse(c, http.StatusMethodNotAllowed, "that cannot be done with this address")
	})
	return compressed(sameOrigin(r, refuseOrigin))
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
	Unmarshal: func(data []byte, v any) error {
		if at := hiddenText.FindIndex(data); at != nil {
			return fmt.Errorf("byte %d begins a character that does not show, %q; leave it out", at[0], data[at[0]:at[1]])
		}
		return level.Decode(data, v)
	},
}

// hiddenText finds control characters and those that turn the direction of writing in a
// JSON text, as they are or escaped; lines and tabs are allowed in notes.
var hiddenText = regexp.MustCompile(`\\u00(?:0[0-8bcef]|1[0-9a-f]|7f|[89][0-9a-f])|\\[bf]|\\u(?:061c|200[ef]|202[a-e]|206[6-9])|[\x{7f}-\x{9f}\x{061c}\x{200e}\x{200f}\x{202a}-\x{202e}\x{2066}-\x{2069}]`)

// Describe registers the handlers without anything behind them, for the OpenAPI
// document alone.
func Describe(a huma.API) { (&server{}).register(a) }

func (s *server) register(a huma.API) {
	a.UseMiddleware(s.admit(a))
	s.registerPeople(a)
	s.registerLink(a)
	s.registerLevels(a)
	s.registerLight(a)
	s.registerBakes(a)
	s.registerPresets(a)
	s.registerHandOvers(a)
	s.registerTeams(a)
	s.registerShareLinks(a)
	s.registerComments(a)
	s.registerNotices(a)
	s.registerAudit(a)
}

// operation describes a handler. Who may call it stands in rights.Table, which must have
// its id.
func operation(method, path, id, summary, tag string) huma.Operation {
	need, known := rights.Table[id]
	if !known {
		panic("rest: the operation " + id + " is not in the table of rights")
	}
	op := huma.Operation{
		OperationID: id, Method: method, Path: Prefix + path, Summary: summary, Tags: []string{tag},
		Errors: []int{400, 401, 403, 404, 422, 429, 500}, MaxBodyBytes: 1 << 20,
	}
	if !need.Open {
		op.Security = []map[string][]string{{"token": {need.Scope}}, {"session": {}}}
	}
	if method != http.MethodGet {
		op.Errors = append(op.Errors, 409, 507)
	}
	return op
}

// heavy marks an operation that takes much computing: it passes the gate.
func heavy(op huma.Operation) huma.Operation {
	op.Metadata = map[string]any{isHeavy: true}
	return op
}

const isHeavy = "heavy"

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

// admit finds the asker, judges whether they may do the operation, and for a heavy one
// waits for a place to work.
func (s *server) admit(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		deny := func(err error) {
			p := s.problem(err).(*api.Problem)
			huma.WriteErr(a, ctx, p.Status, p.Detail, &coded{p.Code, p.Detail})
		}
		asker, session, secret := s.askerOf(ctx)
		if session != nil {
			if ctx.Method() != http.MethodGet && ctx.Header(csrfHeader) != session.CSRF {
				deny(newProblem(http.StatusForbidden, "the header "+csrfHeader+" is missing or wrong; GET "+Prefix+"/session tells it", &coded{"csrf", ""}))
				return
			}
			ctx = huma.WithValue(huma.WithValue(ctx, sessionKey, *session), secretKey, secret)
		}
		if err := s.authorize(ctx, asker); err != nil {
			deny(err)
			return
		}
		ctx = huma.WithValue(ctx, askerKey, asker)
		if ctx.Operation().Metadata[isHeavy] == true {
			leave, err := s.gate.Enter(ctx.Context(), asker.Name)
			if err != nil {
				ctx.SetHeader("Retry-After", strconv.Itoa(int(s.gate.RetryAfter().Seconds())))
				deny(err)
				return
			}
			defer leave()
		}
		next(ctx)
		if rights.Audited[ctx.Operation().OperationID] && ctx.Status() < http.StatusBadRequest {
			s.audit(asker.Name, ctx.Operation().OperationID, strings.TrimPrefix(ctx.URL().Path, Prefix))
		}
	}
}

// authorize asks the judge of rights about the operation and the level that it is about.
func (s *server) authorize(ctx huma.Context, asker rights.Asker) error {
	op := ctx.Operation()
	role, err := rights.Nobody, error(nil)
	switch need := rights.Table[op.OperationID]; {
	case need.Role == rights.Nobody || asker.ID == 0:
	case strings.HasPrefix(op.Path, Prefix+"/bakes/"):
		role, err = s.Store.RoleOnBake(asker, ctx.Param("id"))
	default:
		role, err = s.Store.Role(asker, ctx.Param("id"))
	}
	if err != nil {
		return err
	}
	return rights.Authorize(asker, op.OperationID, role)
}

// askerOf is who asks: by a token, or by the console's session, which comes with it. The
// zero asker is nobody.
func (s *server) askerOf(ctx huma.Context) (rights.Asker, *api.Session, string) {
	if asker, ok := s.byToken(ctx); ok {
		return asker, nil, ""
	}
	if asker, session, secret, ok := s.bySession(ctx); ok {
		return asker, &session, secret
	}
	return rights.Asker{}, nil, ""
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

// requestHeader has the id of a request: the caller's own or a new one. It is in the answer, and in the lines of the log
// about the request and about bakes that it started.
const requestHeader = "X-Request-Id"

// trails gives each request an id, and notes those that end with a fault of the service.
func (s *server) trails(c *gin.Context) {
	about := trail.Trail{Request: trail.RequestID(c.GetHeader(requestHeader))}
	c.Header(requestHeader, about.Request)
	c.Request = c.Request.WithContext(trail.With(c.Request.Context(), about))
	trail.Note(c.Request.Context(), attribute.String("grotta.request", about.Request))
	c.Next()
	if status := c.Writer.Status(); status >= http.StatusInternalServerError {
		about.Log(s.Log).Error("a request ended with a fault", "method", c.Request.Method, "path", c.FullPath(), "status", status)
	}
}

// isTraced tells whether a request gets a span: calls of the API, but for streams of events, which last for hours.
func isTraced(r *http.Request) bool {
	return strings.HasPrefix(r.URL.Path, Prefix) && !strings.HasSuffix(r.URL.Path, "/events")
}

// recoverer keeps the service up when a handler panics.
func (s *server) recoverer(c *gin.Context) {
	defer func() {
		if r := recover(); r != nil {
			if err, ok := r.(error); ok && errors.Is(err, http.ErrAbortHandler) {
				panic(r)
			}
			trail.Of(c.Request.Context()).Log(s.Log).Error("a handler panicked", "path", c.Request.URL.Path, "panic", r, "stack", string(debug.Stack()))
			if !c.Writer.Written() {
				s.refuse(c, http.StatusInternalServerError, "something went wrong here; the log says what")
			}
			c.Abort()
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

// console serves the built console; every path that is no file is its index,
// which finds its place by the path.
func (s *server) console(c *gin.Context) {
	path := strings.TrimPrefix(c.Request.URL.Path, "/")
	if strings.HasPrefix(c.Request.URL.Path, Prefix) || !slices.Contains([]string{http.MethodGet, http.MethodHead}, c.Request.Method) {
		s.refuse(c, http.StatusNotFound, "there is nothing at this address")
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
