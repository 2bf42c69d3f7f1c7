// Package e2e drives the real thing: the service on loopback through its client,
// raw HTTP, the built command line and a browser.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/demo"
	"grotta/e2e/harness"
	"grotta/service/rest"
)

func TestMain(m *testing.M) {
	code := m.Run()
	harness.CloseBrowser()
	os.Exit(code)
}

func start(t *testing.T) *harness.Grotta {
	t.Helper()
	g, err := harness.Start(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, g.Stop()) })
	return g
}

func as(t *testing.T, g *harness.Grotta, name string, scopes ...string) *client.Client {
	t.Helper()
	c, err := g.As(name, scopes...)
	require.NoError(t, err)
	return c
}

func problem(t *testing.T, err error, status int, code string) *api.Problem {
	t.Helper()
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	assert.Equal(t, status, p.Status, p.Error())
	assert.Equal(t, code, p.Code, p.Error())
	return p
}

var ctx = context.Background()

func TestEditUndoRedoAndConflicts(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "room", Name: "Cabin"})
	require.NoError(t, err)
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "editor"))
	ivo := as(t, g, "ivo")

	// Two people change different fields from the same revision: both hold.
	_, err = maren.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"strength": 80}), 1)
	require.NoError(t, err)
	_, err = ivo.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"range_m": 5}), 1)
	require.NoError(t, err)
	doc, err := ivo.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Equal(t, []float64{80, 5}, []float64{doc.Document.Light("lamp").Strength, doc.Document.Light("lamp").RangeM})

	// The same field: the second is told both values.
	_, err = ivo.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"strength": 20}), 1)
	p := problem(t, err, 409, "conflict")
	assert.Contains(t, p.Detail, "lamp/strength was set to 80 by maren in revision 2; yours is 20")
	_, err = ivo.Apply(ctx, l.ID, level.Remove("lamp"), 1)
	problem(t, err, 409, "conflict")

	// Each takes back what is theirs, though ivo's came last: range back, then strength.
	for i, want := range []float64{8, 60} {
		_, err = []*client.Client{ivo, maren}[i].Undo(ctx, l.ID)
		require.NoError(t, err)
		doc, err = ivo.Level(ctx, l.ID)
		require.NoError(t, err)
		if want == 8 {
			assert.Equal(t, 8.0, doc.Document.Light("lamp").RangeM)
		} else {
			assert.Equal(t, 60.0, doc.Document.Light("lamp").Strength)
		}
	}
	assert.False(t, doc.CanUndo)
	_, err = ivo.Undo(ctx, l.ID)
	problem(t, err, 404, "not-found")
	_, err = ivo.Redo(ctx, l.ID)
	require.NoError(t, err)
	_, err = maren.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"note": "new"}), 0)
	require.NoError(t, err)
	_, err = ivo.Redo(ctx, l.ID)
	problem(t, err, 404, "not-found")
	history, err := maren.History(ctx, l.ID, 0, 100)
	require.NoError(t, err)
	var kinds []string
	for _, r := range history {
		kinds = append(kinds, r.Kind)
	}
	assert.Equal(t, []string{"edit", "redo", "undo", "undo", "edit", "edit", "create"}, kinds)
}

// Nobody sees or changes what is not theirs or shared with them, by any door.
func TestNobodyReachesWhatIsNotTheirs(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, ivo := as(t, g, "maren"), as(t, g, "ivo")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	b, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	m, err := maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	_, err = maren.SavePreset(ctx, api.NewPreset{Name: "mine", Level: l.ID})
	require.NoError(t, err)

	tries := map[string]func(*client.Client) error{
		"read":     func(c *client.Client) error { _, err := c.Level(ctx, l.ID); return err },
		"export":   func(c *client.Client) error { _, err := c.ExportLevel(ctx, l.ID, "json"); return err },
		"history":  func(c *client.Client) error { _, err := c.History(ctx, l.ID, 0, 5); return err },
		"lightmap": func(c *client.Client) error { _, err := c.Lightmap(ctx, l.ID, true); return err },
		"check":    func(c *client.Client) error { _, err := c.Check(ctx, l.ID, ""); return err },
		"ledger":   func(c *client.Client) error { _, err := c.Ledger(ctx, l.ID, "0,0,0", ""); return err },
		"shot": func(c *client.Client) error {
			_, _, err := c.Shot(ctx, l.ID, api.NewShot{Width: 16, Height: 16})
			return err
		},
		"sky":    func(c *client.Client) error { return status(t, c, "GET", "/api/v1/levels/"+l.ID+"/sky") },
		"probes": func(c *client.Client) error { _, err := c.Probes(ctx, l.ID, ""); return err },
		"plan":   func(c *client.Client) error { _, err := c.PlanBake(ctx, l.ID, "draft"); return err },
		"air":    func(c *client.Client) error { _, err := c.Air(ctx, l.ID); return err },
		"grade":  func(c *client.Client) error { _, err := c.Grade(ctx, l.ID); return err },
		"compare": func(c *client.Client) error {
			_, err := c.Compare(ctx, l.ID, api.NewComparison{Width: 32, Height: 32})
			return err
		},
		"density": func(c *client.Client) error {
			_, err := c.PlanDensity(ctx, l.ID, api.Budget{Texels: 5000})
			return err
		},
		"sheet": func(c *client.Client) error {
			_, _, err := c.Sheet(ctx, l.ID, api.NewSheet{Kind: "views", Width: 16, Height: 16})
			return err
		},
		"layer": func(c *client.Client) error {
			return status(t, c, "GET", "/api/v1/levels/"+l.ID+"/layers/"+m.Sources[0].Layer)
		},
		"scene":      func(c *client.Client) error { return status(t, c, "GET", "/api/v1/levels/"+l.ID+"/scene") },
		"events":     func(c *client.Client) error { return status(t, c, "GET", "/api/v1/levels/"+l.ID+"/events") },
		"see a bake": func(c *client.Client) error { _, err := c.Bake(ctx, b.ID); return err },
	}
	changes := map[string]func(*client.Client) error{
		"edit":   func(c *client.Client) error { _, err := c.Apply(ctx, l.ID, level.Remove("lamp"), 0); return err },
		"undo":   func(c *client.Client) error { _, err := c.Undo(ctx, l.ID); return err },
		"share":  func(c *client.Client) error { return c.ShareLevel(ctx, l.ID, "ivo", "editor") },
		"delete": func(c *client.Client) error { return c.DeleteLevel(ctx, l.ID) },
	}
	for name, try := range tries {
		assert.Equal(t, 404, problemOf(t, try(ivo), name).Status, name)
	}
	for name, try := range changes {
		assert.Equal(t, 404, problemOf(t, try(ivo), name).Status, name)
	}
	levels, err := ivo.Levels(ctx)
	require.NoError(t, err)
	assert.Empty(t, levels)
	_, _, err = ivo.Preset(ctx, "maren", "mine", 0)
	problem(t, err, 404, "not-found")
	presets, err := ivo.Presets(ctx)
	require.NoError(t, err)
	for _, p := range presets {
		assert.Equal(t, "recipes", p.Owner, "what comes with Grotta is everybody's")
	}

	// A viewer sees all and changes nothing; an editor may not give it away.
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "viewer"))
	delete(tries, "events") // would stay open
	for name, try := range tries {
		assert.NoError(t, try(ivo), name)
	}
	for name, try := range changes {
		assert.Equal(t, 403, problemOf(t, try(ivo), name).Status, name)
	}
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", "editor"))
	_, err = ivo.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"note": "hello"}), 0)
	assert.NoError(t, err)
	assert.Equal(t, 403, problemOf(t, ivo.DeleteLevel(ctx, l.ID), "delete").Status)
	require.NoError(t, maren.ShareLevel(ctx, l.ID, "ivo", ""))
	_, err = ivo.Level(ctx, l.ID)
	problem(t, err, 404, "not-found")

	// A preset shared with ivo, then with nobody.
	require.NoError(t, maren.SharePreset(ctx, "mine", api.Share{With: []string{"ivo"}}))
	_, _, err = ivo.Preset(ctx, "maren", "mine", 0)
	require.NoError(t, err)
	problemOf(t, ivo.SharePreset(ctx, "mine", api.Share{With: []string{"everybody"}}), "sharing on what is not one's own")
	require.NoError(t, maren.SharePreset(ctx, "mine", api.Share{}))
	_, _, err = ivo.Preset(ctx, "maren", "mine", 0)
	problem(t, err, 404, "not-found")
}

func problemOf(t *testing.T, err error, what string) *api.Problem {
	t.Helper()
	var p *api.Problem
	require.ErrorAs(t, err, &p, what)
	return p
}

// status makes a raw request and turns what is not well into a problem.
func status(t *testing.T, c *client.Client, method, path string) error {
	t.Helper()
	req, err := http.NewRequest(method, c.URL+path, nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+c.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	if res.StatusCode >= 300 {
		return &api.Problem{Status: res.StatusCode}
	}
	return nil
}

func TestTokensHoldTheirScopes(t *testing.T) {
	t.Parallel()
	g := start(t)
	full, reader := as(t, g, "maren"), as(t, g, "maren", api.ScopeRead)
	l, err := full.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	_, err = reader.Level(ctx, l.ID)
	require.NoError(t, err)
	_, err = reader.Apply(ctx, l.ID, level.Remove("lamp"), 0)
	problem(t, err, 403, "scope")
	_, err = reader.StartBake(ctx, l.ID, "draft")
	problem(t, err, 403, "scope")
	_, err = reader.NewToken(ctx, api.NewToken{Name: "more", Scopes: []string{api.ScopeEdit}})
	problem(t, err, 403, "not-allowed")

	tokens, err := full.Tokens(ctx)
	require.NoError(t, err)
	require.Len(t, tokens, 2)
	assert.Empty(t, tokens[0].Secret, "a secret is shown once")
	for _, token := range tokens {
		require.NoError(t, full.RevokeToken(ctx, token.ID))
		if _, err = full.Session(ctx); err != nil {
			break
		}
	}
	_, err = full.Level(ctx, l.ID)
	problem(t, err, 401, "not-signed-in")
	full.Token = "grotta_nonsense"
	_, err = full.Levels(ctx)
	problem(t, err, 401, "not-signed-in")
}

func TestConsoleSessionsNeedTheirToken(t *testing.T) {
	t.Parallel()
	g := start(t)
	post := func(path, body string, header http.Header) (*http.Response, map[string]any) {
		req, err := http.NewRequest("POST", g.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header = header
		req.Header.Set("Content-Type", "application/json")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer res.Body.Close()
		out := map[string]any{}
		require.NoError(t, json.NewDecoder(res.Body).Decode(&out))
		return res, out
	}
	res, out := post("/api/v1/session", `{"name":"maren","password":"wrong"}`, http.Header{})
	assert.Equal(t, 401, res.StatusCode)
	assert.Equal(t, "wrong-password", out["code"])
	assert.Equal(t, "application/problem+json", res.Header.Get("Content-Type"))
	res, session := post("/api/v1/session", `{"name":"maren","password":"`+harness.Password+`"}`, http.Header{})
	require.Equal(t, 200, res.StatusCode)
	require.Len(t, res.Cookies(), 2)
	cookie := res.Cookies()[0]
	assert.Equal(t, "grotta_session", cookie.Name)
	assert.True(t, cookie.HttpOnly)
	assert.Equal(t, http.SameSiteStrictMode, cookie.SameSite)

	with := func(csrf string) http.Header {
		h := http.Header{"Cookie": {cookie.Name + "=" + cookie.Value}}
		if csrf != "" {
			h.Set("X-Grotta-CSRF", csrf)
		}
		return h
	}
	res, out = post("/api/v1/levels", `{"from":"room"}`, with(""))
	assert.Equal(t, 403, res.StatusCode)
	assert.Equal(t, "csrf", out["code"])
	res, _ = post("/api/v1/levels", `{"from":"room"}`, with(session["csrf"].(string)))
	assert.Equal(t, 200, res.StatusCode)

	for range 8 {
		post("/api/v1/session", `{"name":"ivo","password":"guess"}`, http.Header{})
	}
	res, out = post("/api/v1/session", `{"name":"ivo","password":"`+harness.Password+`"}`, http.Header{})
	assert.Equal(t, 429, res.StatusCode)
	assert.Equal(t, "too-many", out["code"])
}

func TestHeadersAndErrorsOfTheEdge(t *testing.T) {
	t.Parallel()
	g := start(t)
	res, err := http.Get(g.URL + "/")
	require.NoError(t, err)
	res.Body.Close()
	assert.Contains(t, res.Header.Get("Content-Security-Policy"), "default-src 'self'")
	assert.Equal(t, "nosniff", res.Header.Get("X-Content-Type-Options"))
	res, err = http.Get(g.URL + "/api/v1/nothing")
	require.NoError(t, err)
	defer res.Body.Close()
	var p api.Problem
	require.NoError(t, json.NewDecoder(res.Body).Decode(&p))
	assert.Equal(t, []any{404, "not-found"}, []any{p.Status, p.Code})
	for _, path := range []string{"/healthz", "/readyz", "/metrics"} {
		res, err := http.Get(g.URL + path)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, 200, res.StatusCode, path)
	}
}

// Bad files and bodies: a clear problem, nothing stored, the service up.
func TestBadInputChangesNothing(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	whole, err := maren.ExportLevel(ctx, l.ID, "json")
	require.NoError(t, err)
	glb, err := maren.ExportLevel(ctx, l.ID, "glb")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		data []byte
		want string
	}{
		"not a level":     {[]byte("hello"), "glTF 2.0 (.glb, .gltf), OBJ, PLY, STL, terrain (PNG) and level documents can"},
		"cut level":       {whole[:len(whole)/2], "(byte "},
		"cut glb":         {glb[:len(glb)/2], "the header says"},
		"negative":        {bytes.Replace(whole, []byte(`"strength":60`), []byte(`"strength":-60`), 1), "/lights/0/strength is -60"},
		"twice the same":  {bytes.Replace(whole, []byte(`"id":"north-1"`), []byte(`"id":"south-1"`), 1), "unique in a level"},
		"deeply nested":   {[]byte(strings.Repeat("[", 200_000)), ""},
		"newer format":    {bytes.Replace(whole, []byte("level/1"), []byte("level/7"), 1), "/format"},
		"only whitespace": {[]byte("   "), ""},
	} {
		_, err := maren.ImportLevel(ctx, c.data, api.ImportOptions{})
		p := problemOf(t, err, name)
		assert.Equal(t, 422, p.Status, name)
		assert.Contains(t, p.Error(), c.want, name)
	}
	_, err = maren.ImportLevel(ctx, make([]byte, 128<<20+1), api.ImportOptions{})
	assert.Equal(t, 413, problemOf(t, err, "huge").Status)
	_, err = maren.AddPlatform(ctx, []byte("format: [")) // not YAML
	assert.Equal(t, 422, problemOf(t, err, "platform").Status)
	_, err = maren.AddPlatform(ctx, []byte("format: grotta-platform/1\nname: baked-arena\ntitle: x\nspace: {unit_m: 1, up: y, handed: right}\nlights: {kinds: [point]}\nlimits: {}\nplay: {}\n"))
	assert.Equal(t, 409, problemOf(t, err, "taken name").Status)
	_, err = maren.Ledger(ctx, l.ID, "1,2", "")
	assert.Contains(t, problemOf(t, err, "point").Error(), "three finite numbers")
	_, err = maren.Ledger(ctx, l.ID, "NaN,0,0", "")
	assert.Equal(t, 422, problemOf(t, err, "point").Status)
	_, err = maren.Check(ctx, l.ID, "moon")
	assert.Contains(t, problemOf(t, err, "platform").Error(), "baked-arena")
	_, err = maren.SavePreset(ctx, api.NewPreset{Name: "x", Level: l.ID, Rig: "none"})
	assert.Equal(t, 422, problemOf(t, err, "rig").Status)

	levels, err := maren.Levels(ctx)
	require.NoError(t, err)
	require.Len(t, levels, 1)
	assert.Equal(t, 1, levels[0].Revision)
}

func TestImportsKeepAndTellWhatTheyDoNotKnow(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	got, err := maren.ImportLevel(ctx, []byte(`{"format":"grotta-level/1","name":"Odd","tide":{"high":2}}`), api.ImportOptions{})
	require.NoError(t, err)
	assert.Equal(t, []string{"/tide: kept, and not understood here"}, got.Left)
	text, err := maren.ExportLevel(ctx, got.Level.ID, "json")
	require.NoError(t, err)
	assert.Contains(t, string(text), `"tide":{"high":2}`)
}

// The exported file passes the validator of the standard's own body.
func TestExportPassesTheKhronosValidator(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	for _, from := range []string{"demo", "room"} {
		l, err := maren.CreateLevel(ctx, api.NewLevel{From: from})
		require.NoError(t, err)
		glb, err := maren.ExportLevel(ctx, l.ID, "glb")
		require.NoError(t, err)
		file := filepath.Join(t.TempDir(), "level.glb")
		require.NoError(t, os.WriteFile(file, glb, 0o600))
		cmd := exec.Command("node", "validate-gltf.mjs", file)
		cmd.Dir = "../web"
		report, err := cmd.Output()
		require.NoError(t, err, string(report))
		var r struct {
			Issues struct{ NumErrors, NumWarnings int }
			Info   struct{ TotalTriangleCount int }
		}
		require.NoError(t, json.Unmarshal(report, &r))
		assert.Zero(t, r.Issues.NumErrors, string(report))
		assert.Zero(t, r.Issues.NumWarnings, string(report))
		assert.Positive(t, r.Info.TotalTriangleCount)

		back, err := maren.ImportLevel(ctx, glb, api.ImportOptions{Name: "Back"})
		require.NoError(t, err)
		assert.Positive(t, back.Level.Lights)
	}
}

func TestBakeReusesLayersAndTellsTheMix(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "demo"})
	require.NoError(t, err)
	first, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	assert.Zero(t, first.Reused)
	m, err := maren.Lightmap(ctx, l.ID, true)
	require.NoError(t, err)
	assert.Equal(t, first.Hash, m.Hash)

	// Strength is a mix: nothing is stale, and a bake has nothing to do.
	_, err = maren.Apply(ctx, l.ID, level.Set("hatch-lamp", map[string]any{"strength": 5, "kelvin": 6000}), 0)
	require.NoError(t, err)
	m, err = maren.Lightmap(ctx, l.ID, true)
	require.NoError(t, err)
	assert.Zero(t, m.Stale)
	assert.NotEqual(t, first.Hash, m.Hash)
	second, err := maren.StartBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	assert.Equal(t, "done", second.State)
	assert.Equal(t, second.Layers, second.Reused)
	assert.Equal(t, m.Hash, second.Hash, "the mix that is shown is the mix that is baked")

	// A moved light is one layer.
	_, err = maren.Apply(ctx, l.ID, level.Set("hatch-lamp", map[string]any{"transform.position": []float64{14, 2.8, 4}}), 0)
	require.NoError(t, err)
	m, err = maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	assert.Equal(t, 1, m.Stale)
	third, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	assert.Equal(t, third.Layers-1, third.Reused)
}

func TestBakeCanBeCancelled(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "demo"})
	require.NoError(t, err)
	b, err := maren.StartBake(ctx, l.ID, "final")
	require.NoError(t, err)
	b, err = maren.CancelBake(ctx, b.ID)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", b.State)
	_, err = maren.CancelBake(ctx, b.ID)
	problem(t, err, 409, "over")
	time.Sleep(300 * time.Millisecond)
	b, err = maren.Bake(ctx, b.ID)
	require.NoError(t, err)
	assert.Equal(t, "cancelled", b.State, "and stays so")
	_, err = harness.BakeAndWait(ctx, maren, l.ID, "draft")
	assert.NoError(t, err, "the next one runs")
}

func TestWatchersAreTold(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	req, err := http.NewRequest("GET", g.URL+"/api/v1/levels/"+l.ID+"/events", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+maren.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Equal(t, "text/event-stream", res.Header.Get("Content-Type"))
	lines := bufio.NewReader(res.Body)
	_, err = lines.ReadString('\n') // the stream is open
	require.NoError(t, err)
	_, err = maren.Apply(ctx, l.ID, level.Set("lamp", map[string]any{"strength": 9}), 0)
	require.NoError(t, err)
	_, err = maren.StartBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	var text strings.Builder
	for !strings.Contains(text.String(), `"state":"done"`) {
		line, err := lines.ReadString('\n')
		require.NoError(t, err)
		text.WriteString(line)
	}
	assert.Contains(t, text.String(), "event: revision\ndata: {\"level\":\""+l.ID+"\",\"revision\":2,\"author\":\"maren\"")
}

func TestPublishedDocumentsAreCurrent(t *testing.T) {
	t.Parallel()
	for name, file := range map[string]string{"level": "../docs/level.schema.json", "hand-over": "../docs/handover.schema.json"} {
		schema, err := rest.Schema(name)
		require.NoError(t, err)
		committed, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, string(committed), string(schema), "run make generate")
	}
	g := start(t)
	res, err := http.Get(g.URL + "/api/v1/openapi.json")
	require.NoError(t, err)
	defer res.Body.Close()
	served, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	committed, err := os.ReadFile("../docs/openapi.json")
	require.NoError(t, err)
	assert.JSONEq(t, string(committed), string(served), "run make generate")
}

// The demo meets the schema that is published, by an independent reading of it.
func TestDemoMeetsThePublishedSchema(t *testing.T) {
	t.Parallel()
	text, err := level.Encode(demo.Saltmarsh())
	require.NoError(t, err)
	schema := compileSchema(t, "../docs/level.schema.json")
	require.NoError(t, schema(text))
	require.NoError(t, schema([]byte(`{"format":"grotta-level/1","name":"Small","lights":[{"id":"a"}]}`)), "what has a default may be left out")
	assert.Error(t, schema(bytes.Replace(text, []byte(`"strength":42000`), []byte(`"strength":-1`), 1)))
	assert.Error(t, schema(bytes.Replace(text, []byte(`"kind":"spot"`), []byte(`"kind":"neon"`), 1)))
}

func setStrength(id string, v float64) level.Operation {
	return level.Set(id, map[string]any{"strength": v})
}
