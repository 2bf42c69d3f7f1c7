package rest_test

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/bake"
	"grotta/demo"
	_ "grotta/service/auth/authtest"
	"grotta/service/blob"
	"grotta/service/jobs"
	"grotta/service/rest"
	"grotta/service/rights"
	"grotta/service/store"
	"grotta/service/studio"
)

// house is a service's HTTP face on a store of its own, with people in every role.
type house struct {
	http.Handler
	store *store.Store
	baker *jobs.Baker
	level string
	bake  string
	who   map[string]string // secrets of tokens with all scopes, by what their holder is to the level
}

const password = "salt-marsh-light"

func newHouse(t *testing.T, edit ...func(*rest.Deps)) *house {
	t.Helper()
	dir, log := t.TempDir(), slog.New(slog.NewTextHandler(io.Discard, nil))
	st, err := store.Open(dir)
	require.NoError(t, err)
	blobs, err := blob.Open(filepath.Join(dir, "blobs"))
	require.NoError(t, err)
	sd := studio.New(st, blobs)
	baker, err := jobs.Start(dir, st, sd, log, nil)
	require.NoError(t, err)
	stop, end := context.WithCancel(context.Background())
	t.Cleanup(func() { end(); baker.Close(); assert.NoError(t, st.Close()) })
	deps := rest.Deps{Store: st, Studio: sd, Baker: baker, Log: log, Stop: stop, Loopback: true,
		Console: fstest.MapFS{"index.html": {Data: []byte("<p>console</p>")}}, Now: func() time.Time { return time.Now().UTC() }}
	for _, e := range edit {
		e(&deps)
	}
	h := &house{Handler: rest.New(deps), store: st, baker: baker, who: map[string]string{}}
	askers := map[string]store.Asker{}
	for _, name := range []string{"admin", "owner", "editor", "viewer", "stranger"} {
		require.NoError(t, st.AddUser(name, password))
		secret, _, err := st.SignIn(name, password, "test", time.Now().UTC())
		require.NoError(t, err)
		a, session, err := st.BySession(secret, time.Now().UTC())
		require.NoError(t, err)
		token, err := st.NewToken(a, api.NewToken{Name: "all", Scopes: session.Scopes}, time.Now().UTC())
		require.NoError(t, err)
		askers[name], h.who[name] = a, token.Secret
	}
	info, err := st.CreateLevel(askers["owner"], demo.Start("empty"), "level")
	require.NoError(t, err)
	h.level = info.ID
	for _, role := range []string{"editor", "viewer"} {
		require.NoError(t, st.SetMember(askers["owner"], info.ID, role, role))
	}
	b, err := baker.Submit(t.Context(), askers["owner"], info.ID, 1, demo.Start("empty"), bake.Draft)
	require.NoError(t, err)
	h.bake = b.ID
	return h
}

// ask sends a request with a token; an empty one is nobody's.
func (h *house) ask(t *testing.T, method, path, token, body string) *httptest.ResponseRecorder {
	t.Helper()
	ctx, cancel := context.WithTimeout(t.Context(), 10*time.Second)
	defer cancel()
	r := httptest.NewRequestWithContext(ctx, method, path, strings.NewReader(body))
	r.Host = "127.0.0.1:8460"
	r.Header.Set("Content-Type", "application/json")
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	w := httptest.NewRecorder()
	h.ServeHTTP(w, r)
	return w
}

// operations are those of the OpenAPI document.
func operations() map[string]*huma.Operation {
	gin.SetMode(gin.ReleaseMode)
	described := humagin.New(gin.New(), rest.Config())
	rest.Describe(described)
	all := map[string]*huma.Operation{}
	for _, item := range described.OpenAPI().Paths {
		for _, op := range []*huma.Operation{item.Get, item.Post, item.Put, item.Patch, item.Delete} {
			if op != nil {
				all[op.OperationID] = op
			}
		}
	}
	return all
}

// Every operation of the OpenAPI document is in the table of rights, and the table holds
// no other. For every role the service answers as the table says: somebody who may is
// never turned away for who they are, and somebody who may not always is.
func TestEveryOperationKeepsToTheTableOfRights(t *testing.T) {
	ops := operations()
	for id := range rights.Table {
		assert.Contains(t, ops, id, "the table has an action that is no operation")
	}
	shared := newHouse(t)
	for id, op := range ops {
		need, known := rights.Table[id]
		require.True(t, known, id)
		h := shared
		if id == "delete-level" || id == "unshare-level" {
			h = newHouse(t) // they change what the others need
		}
		path := strings.NewReplacer("{user}", "viewer", "{owner}", "stranger", "{key}", strings.Repeat("0", 64), "{reflection}", "none", "{name}", "none").Replace(op.Path)
		if path = strings.ReplaceAll(path, "{id}", h.level); strings.HasPrefix(op.Path, rest.Prefix+"/bakes/") {
			path = strings.ReplaceAll(op.Path, "{id}", h.bake)
		}
		for _, who := range []string{"", "stranger", "viewer", "editor", "admin", "owner"} {
			role := rights.RoleNamed(who)
			asker := rights.Asker{Scopes: []string{api.ScopeRead, api.ScopeEdit, api.ScopeShare}, Token: &rights.Token{}}
			if who != "" {
				asker.ID = 1
			}
			if who == "admin" {
				asker.Admin, asker.Scopes = true, api.Scopes
			}
			err := rights.Authorize(asker, id, role)
			if id == "watch-level" && err == nil {
				continue // it does not end; TestAStreamEndsWithItsRight watches it
			}
			// A body that is not JSON: rights are judged before it is read.
			got := h.ask(t, op.Method, path, h.who[who], "{")
			what := id + " by " + who + ": " + got.Body.String()
			switch {
			case who == "" && !need.Open:
				assert.Equal(t, http.StatusUnauthorized, got.Code, what)
			case err == nil:
				assert.NotContains(t, []int{http.StatusUnauthorized, http.StatusForbidden}, got.Code, what)
			case need.Role > rights.Nobody && role == rights.Nobody && asker.Has(need.Scope):
				assert.Equal(t, http.StatusNotFound, got.Code, what)
				assert.Contains(t, got.Body.String(), "not shared with you", what)
			default:
				assert.Equal(t, http.StatusForbidden, got.Code, what)
			}
		}
	}
}

// A token without a scope is refused by every operation that needs it, whoever has it.
func TestEveryOperationKeepsToScopes(t *testing.T) {
	h := newHouse(t)
	secret, _, err := h.store.SignIn("admin", password, "test", time.Now().UTC())
	require.NoError(t, err)
	admin, _, err := h.store.BySession(secret, time.Now().UTC())
	require.NoError(t, err)
	for _, without := range api.Scopes {
		var scopes []string
		for _, s := range api.Scopes {
			if s != without {
				scopes = append(scopes, s)
			}
		}
		token, err := h.store.NewToken(admin, api.NewToken{Name: "some", Scopes: scopes, Days: 1}, time.Now().UTC())
		require.NoError(t, err)
		for id, op := range operations() {
			if rights.Table[id].Scope == without && !rights.Table[id].Open {
				got := h.ask(t, op.Method, strings.NewReplacer("{id}", h.level, "{name}", "none").Replace(op.Path), token.Secret, "{")
				assert.Equal(t, http.StatusForbidden, got.Code, "%s without %s", id, without)
			}
		}
	}
}

// A viewer neither bakes nor cancels, nor keeps a bake from being seen.
func TestViewersDoNotBake(t *testing.T) {
	h := newHouse(t)
	assert.Equal(t, http.StatusForbidden, h.ask(t, "POST", "/api/v1/levels/"+h.level+"/bakes", h.who["viewer"], `{}`).Code)
	assert.Equal(t, http.StatusForbidden, h.ask(t, "POST", "/api/v1/bakes/"+h.bake+"/cancel", h.who["viewer"], ``).Code)
	assert.Equal(t, http.StatusOK, h.ask(t, "GET", "/api/v1/bakes/"+h.bake, h.who["viewer"], ``).Code)
	assert.Equal(t, http.StatusNotFound, h.ask(t, "GET", "/api/v1/bakes/"+h.bake, h.who["stranger"], ``).Code)
}

// An open stream of events ends within a second of a right that is withdrawn, a token
// that is ended, or a level that is deleted.
func TestAStreamEndsWithItsRight(t *testing.T) {
	for name, withdraw := range map[string]func(t *testing.T, h *house, owner store.Asker){
		"member taken off": func(t *testing.T, h *house, owner store.Asker) {
			require.NoError(t, h.store.SetMember(owner, h.level, "viewer", ""))
		},
		"level deleted": func(t *testing.T, h *house, owner store.Asker) {
			require.NoError(t, h.store.DeleteLevel(owner, h.level, time.Now()))
		},
		"user disabled": func(t *testing.T, h *house, _ store.Asker) {
			yes := true
			require.NoError(t, h.store.ChangeUser(store.LocalAdmin, "viewer", api.UserChange{Disabled: &yes}))
		},
	} {
		h := newHouse(t)
		id, err := h.store.UserID("owner")
		require.NoError(t, err)
		server := httptest.NewServer(h)
		req, err := http.NewRequestWithContext(t.Context(), "GET", server.URL+"/api/v1/levels/"+h.level+"/events", nil)
		require.NoError(t, err)
		req.Header.Set("Authorization", "Bearer "+h.who["viewer"])
		res, err := server.Client().Do(req)
		require.NoError(t, err)
		first := make([]byte, 12)
		_, err = io.ReadFull(res.Body, first)
		require.NoError(t, err)
		assert.Equal(t, "event: beat\n", string(first), name)
		ended := make(chan struct{})
		go func() { io.Copy(io.Discard, res.Body); close(ended) }()
		time.Sleep(50 * time.Millisecond)
		withdraw(t, h, store.Asker{ID: id, Name: "owner"})
		select {
		case <-ended:
		case <-time.After(2 * time.Second):
			assert.Fail(t, "the stream goes on", name)
		}
		res.Body.Close()
		server.Close()
	}
}

// A page elsewhere can neither send changes nor reach the service by a name of its own.
func TestRequestsFromElsewhereAreRefused(t *testing.T) {
	h := newHouse(t)
	send := func(method, host string, header map[string]string) int {
		r := httptest.NewRequest(method, "/api/v1/session", strings.NewReader(`{"name":"owner","password":"`+password+`"}`))
		r.Host = host
		r.Header.Set("Content-Type", "application/json")
		for k, v := range header {
			r.Header.Set(k, v)
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w.Code
	}
	assert.Equal(t, http.StatusOK, send("POST", "localhost:8460", nil))
	assert.Equal(t, http.StatusOK, send("POST", "[::1]:8460", map[string]string{"Sec-Fetch-Site": "same-origin"}))
	assert.Equal(t, http.StatusForbidden, send("POST", "localhost:8460", map[string]string{"Sec-Fetch-Site": "cross-site"}))
	assert.Equal(t, http.StatusForbidden, send("POST", "localhost:8460", map[string]string{"Origin": "https://elsewhere.example"}))
	assert.Equal(t, http.StatusMisdirectedRequest, send("GET", "elsewhere.example:8460", nil))
	named := newHouse(t, func(d *rest.Deps) { d.Loopback, d.Hosts = false, []string{"light.example"} })
	for host, want := range map[string]int{"light.example": http.StatusOK, "light.example:443": http.StatusOK, "other.example": http.StatusMisdirectedRequest} {
		r := httptest.NewRequest("GET", "/healthz", nil)
		r.Host = host
		w := httptest.NewRecorder()
		named.ServeHTTP(w, r)
		assert.Equal(t, want, w.Code, host)
	}
}

// Metrics are for the machine itself, or for who has the token; their labels are closed
// sets.
func TestMetricsAreClosed(t *testing.T) {
	h := newHouse(t)
	for _, method := range []string{"BREW", "GET", "PROPFIND"} {
		h.ask(t, method, "/some/"+method, "", "")
	}
	get := func(h *house, from, token string) *httptest.ResponseRecorder {
		r := httptest.NewRequest("GET", "/metrics", nil)
		r.Host, r.RemoteAddr = "127.0.0.1", from
		r.Header.Set("Authorization", "Bearer "+token)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	text := get(h, "127.0.0.1:5000", "").Body.String()
	assert.Contains(t, text, `method="other"`)
	assert.NotContains(t, text, "BREW")
	assert.NotContains(t, text, "/some/")
	assert.Equal(t, http.StatusForbidden, get(h, "10.0.0.9:5000", "").Code)
	open := newHouse(t, func(d *rest.Deps) { d.Loopback, d.MetricsToken = false, "a-token-for-metrics" })
	assert.Equal(t, http.StatusForbidden, get(open, "127.0.0.1:5000", "").Code, "a proxy may stand before it")
	assert.Equal(t, http.StatusForbidden, get(open, "10.0.0.9:5000", "wrong").Code)
	assert.Equal(t, http.StatusOK, get(open, "10.0.0.9:5000", "a-token-for-metrics").Code)
}

// A flood of wrong passwords does not lock out who has signed in from their browser
// before, and a flood of wrong names delays nobody.
func TestFloodsDoNotLockOut(t *testing.T) {
	h := newHouse(t)
	sign := func(name, word, address, known string) *httptest.ResponseRecorder {
		r := httptest.NewRequest("POST", "/api/v1/session", strings.NewReader(`{"name":"`+name+`","password":"`+word+`"}`))
		r.Host, r.RemoteAddr = "localhost", address+":4000"
		r.Header.Set("Content-Type", "application/json")
		if known != "" {
			r.AddCookie(&http.Cookie{Name: "grotta_known", Value: known})
		}
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		return w
	}
	first := sign("owner", password, "127.0.0.1", "")
	require.Equal(t, http.StatusOK, first.Code)
	known := ""
	for _, c := range first.Result().Cookies() {
		if c.Name == "grotta_known" {
			known = c.Value
		}
	}
	require.NotEmpty(t, known)
	refused := 0
	for range 12 {
		if got := sign("owner", "wrong-password", "127.0.0.1", ""); got.Code == http.StatusTooManyRequests {
			refused++
			assert.NotEmpty(t, got.Header().Get("Retry-After"))
		}
	}
	assert.Equal(t, 4, refused, "eight tries at once")
	assert.Equal(t, http.StatusTooManyRequests, sign("owner", password, "127.0.0.1", "").Code, "the same address waits")
	assert.Equal(t, http.StatusTooManyRequests, sign("owner", password, "127.0.0.1", "owner.forged").Code)
	assert.Equal(t, http.StatusOK, sign("owner", password, "127.0.0.1", known).Code, "the owner's own browser does not")
	assert.Equal(t, http.StatusOK, sign("owner", password, "127.0.0.2", "").Code, "nor does another address")

	done := make(chan int, 40)
	for i := range 40 {
		go func() { done <- sign("nobody-"+strings.Repeat("x", i%9), "wrong-password", "127.0.0.3", "").Code }()
	}
	began := time.Now()
	assert.Equal(t, http.StatusOK, sign("editor", password, "127.0.0.4", "").Code)
	assert.Less(t, time.Since(began), 5*time.Second)
	for range 40 {
		assert.Contains(t, []int{http.StatusUnauthorized, http.StatusTooManyRequests}, <-done)
	}
}
