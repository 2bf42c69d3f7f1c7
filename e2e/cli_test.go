package e2e

import (
	"bytes"
	"encoding/json"
	"image/png"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/e2e/harness"
)

const binary = "../bin/grotta"

// shell runs the built program with its own configuration.
type shell struct {
	t      *testing.T
	server string
	dir    string
}

func newShell(t *testing.T, server string) *shell {
	t.Helper()
	if _, err := os.Stat(binary); err != nil {
		t.Fatal("bin/grotta is not built; run make test")
	}
	return &shell{t, server, t.TempDir()}
}

func (s *shell) run(stdin string, args ...string) (out, errOut string, code int) {
	s.t.Helper()
	cmd := exec.Command(binary, args...)
	cmd.Env = append(os.Environ(), "GROTTA_CONFIG="+filepath.Join(s.dir, "config.yaml"), "GROTTA_SERVER="+s.server, "GROTTA_TOKEN=")
	if token, err := os.ReadFile(filepath.Join(s.dir, "config.yaml")); err == nil && len(token) > 0 {
		cmd.Env = cmd.Env[:len(cmd.Env)-1] // an empty variable would hide the file's token
	}
	cmd.Stdin = strings.NewReader(stdin)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	err := cmd.Run()
	if _, exited := err.(*exec.ExitError); err != nil && !exited {
		require.NoError(s.t, err)
	}
	return o.String(), e.String(), cmd.ProcessState.ExitCode()
}

// ok runs what must go well and returns its output.
func (s *shell) ok(args ...string) string {
	s.t.Helper()
	out, errOut, code := s.run("", args...)
	require.Zero(s.t, code, "%v: %s%s", args, out, errOut)
	return out
}

func decode[T any](t *testing.T, text string) T {
	t.Helper()
	var v T
	require.NoError(t, json.Unmarshal([]byte(text), &v), text)
	return v
}

func signedIn(t *testing.T) (*shell, *harness.Grotta) {
	t.Helper()
	g := start(t)
	_, _, err := g.Demo(ctx)
	require.NoError(t, err)
	s := newShell(t, g.URL)
	out, errOut, code := s.run(harness.Password+"\n", "login", "maren", "--password-stdin")
	require.Zero(t, code, errOut)
	require.Contains(t, out, "signed in")
	return s, g
}

const saltmarsh = "Saltmarsh Light"

// The tour by the command line: find what is wrong, mend it, bake, look, share.
func TestTourByCommandLine(t *testing.T) {
	t.Parallel()
	s, _ := signedIn(t)
	assert.Contains(t, s.ok("level", "list"), saltmarsh)
	assert.Contains(t, s.ok("level", "show", saltmarsh), "24 of 24 layers need a bake")
	assert.Contains(t, s.ok("light", "list", saltmarsh), "key of lantern-1")

	out, _, code := s.run("", "check", saltmarsh)
	assert.Equal(t, 4, code, "errors end with 4")
	for _, rule := range []string{"limits.shadow-overlap", "links.glow-without-light", "play.too-dark"} {
		assert.Contains(t, out, rule)
	}
	s.ok("light", "set", saltmarsh, "hatch-lamp", "shadows.cast=false")
	s.ok("light", "set", saltmarsh, "work-lamp-1", "shadows.cast=false")
	_, _, code = s.run("", "check", saltmarsh)
	assert.Equal(t, 3, code, "warnings end with 3")
	s.ok("light", "set", saltmarsh, "bunk-bulb", "enabled=true")
	s.ok("light", "add", saltmarsh, "--id", "net-shed-lamp-2", "--at", "-1.5,1.9,30.2", "strength=25", "kelvin=2200", "range_m=6", "shadows.cast=false")
	report := decode[api.Report](t, s.ok("check", saltmarsh, "--json"))
	assert.True(t, report.Clean)

	bake := decode[api.Bake](t, s.ok("bake", saltmarsh, "--quality", "draft", "--json"))
	assert.Equal(t, "done", bake.State)
	assert.Regexp(t, regexp.MustCompile(`^[0-9a-f]{64}$`), bake.Hash)
	again := decode[api.Bake](t, s.ok("bake", saltmarsh, "--quality", "draft", "--json"))
	assert.Equal(t, bake.Hash, again.Hash)

	shot := filepath.Join(s.dir, "shot.png")
	s.ok("shot", saltmarsh, "--view", "kitchen-table", "--size", "320x180", "--samples", "1", "-o", shot)
	f, err := os.Open(shot)
	require.NoError(t, err)
	defer f.Close()
	picture, err := png.Decode(f)
	require.NoError(t, err)
	assert.Equal(t, 320, picture.Bounds().Dx())

	assert.Contains(t, s.ok("preset", "save", "station-dusk", "--level", saltmarsh, "--tag", "dusk", "--credit", "Maren"), "maren/station-dusk@1, a mood")
	assert.Contains(t, s.ok("preset", "save", "lamp", "--level", saltmarsh, "--rig", "lantern-1"), "a rig")
	s.ok("preset", "share", "station-dusk", "--with", "ivo")
	assert.Contains(t, s.ok("preset", "list", "--tag", "dusk"), "ivo")
	s.ok("level", "create", "Hut", "--from", "room")
	assert.Contains(t, s.ok("preset", "apply", "station-dusk", "--to", "Hut"), "revision 2: Apply maren/station-dusk@1")
	s.ok("preset", "apply", "ivo/pier-lantern", "--to", "Hut", "--at", "1,2.4,0")
	hut := decode[api.Document](t, s.ok("level", "show", "Hut", "--json"))
	assert.Equal(t, 2.5, hut.Document.Look.ExposureEV)
	s.ok("level", "undo", "Hut")
	s.ok("level", "undo", "Hut")
	hut = decode[api.Document](t, s.ok("level", "show", "Hut", "--json"))
	assert.Equal(t, 4.0, hut.Document.Look.ExposureEV)
	assert.Contains(t, s.ok("level", "history", "Hut"), "undo: Apply maren/station-dusk@1")

	glb := filepath.Join(s.dir, "out.glb")
	s.ok("level", "export", saltmarsh, "-o", glb)
	assert.Contains(t, s.ok("level", "import", glb, "--name", "Back"), "Back")
	assert.Contains(t, s.ok("platform", "list"), "pocket")
	assert.Contains(t, s.ok("platform", "show", "pocket"), "for spot use point")
}

func TestCheckFixesWhatItCan(t *testing.T) {
	t.Parallel()
	s, _ := signedIn(t)
	out := s.ok("check", saltmarsh, "--fix")
	assert.Contains(t, out, "0 errors, 0 warnings")
	s.ok("level", "undo", saltmarsh)
	_, _, code := s.run("", "check", saltmarsh)
	assert.Equal(t, 4, code, "all fixes were one change")
}

// The stable output: irradiance by the command line against closed forms.
func TestLedgerByCommandLine(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren := as(t, g, "maren")
	plane := func(name string, lights ...*level.Light) {
		l := level.New(name)
		floor := level.Default[level.Solid]()
		floor.ID, floor.Size, floor.Transform.Position = "floor", level.Vec{20, 0.2, 20}, level.Vec{0, -0.1, 0}
		l.Solids, l.Lights = []*level.Solid{&floor}, lights
		_, err := harness.Import(ctx, maren, l)
		require.NoError(t, err)
	}
	down := [4]float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2} // -Z turned to -Y
	point := level.NewLight("lamp", level.Point)
	point.Strength, point.Color, point.Transform.Position = 120, "#ff8000", level.Vec{0, 2, 0}
	spot := level.NewLight("lamp", level.Spot)
	spot.Strength, spot.InnerDeg, spot.OuterDeg = 300, 10, 40
	spot.Transform = level.Transform{Position: level.Vec{0, 3, 0}, Rotation: down}
	sun := level.NewLight("lamp", level.Directional)
	sun.Strength, sun.Transform.Rotation = 1000, down
	plane("point", point)
	plane("spot", spot)
	plane("sun", sun)

	s := newShell(t, g.URL)
	_, errOut, code := s.run(harness.Password+"\n", "login", "maren", "--password-stdin")
	require.Zero(t, code, errOut)
	type answer struct {
		Total   struct{ R, G, B, Luminance float64 }
		Sources []struct {
			ID              string
			Direct, Bounced struct{ Luminance float64 }
			Share, Visible  float64
			Blocked         bool
			BlockedBy       []struct{ ID string } `json:"blocked_by"`
		}
	}
	ask := func(name, at string) answer {
		return decode[answer](t, s.ok("ledger", name, "--point", at, "--normal", "0,1,0", "--json"))
	}
	got := ask("point", "1.5,0,0")
	want := 120 * 2 / math.Pow(1.5*1.5+4, 1.5)
	assert.InEpsilon(t, want, got.Total.R, 0.001)
	assert.InEpsilon(t, want*0.2158605, got.Total.G, 0.001) // 0x80 decoded
	assert.InDelta(t, 0, got.Total.B, 1e-12)
	assert.InEpsilon(t, 0.2126*got.Total.R+0.7152*got.Total.G, got.Total.Luminance, 1e-6)
	require.Equal(t, "lamp", got.Sources[0].ID)
	assert.InDelta(t, 1, got.Sources[0].Share, 1e-9)
	assert.Zero(t, got.Sources[0].Bounced.Luminance)

	d := math.Sqrt(1.2*1.2 + 9)
	inner, outer := math.Cos(10*math.Pi/180), math.Cos(40*math.Pi/180)
	a := (3/d - outer) / (inner - outer)
	assert.InEpsilon(t, 300*a*a*3/(d*d*d), ask("spot", "1.2,0,0").Total.Luminance, 0.001)
	assert.Zero(t, ask("spot", "4,0,0").Total.Luminance)
	assert.InEpsilon(t, 1000, ask("sun", "2,0,3").Total.Luminance, 0.001)

	under := ask("point", "1.5,-0.2,0") // beneath the floor
	assert.Zero(t, under.Total.Luminance)
	require.True(t, under.Sources[0].Blocked)
	assert.Equal(t, "floor", under.Sources[0].BlockedBy[0].ID)
}

func TestCommandLineErrors(t *testing.T) {
	t.Parallel()
	s, _ := signedIn(t)
	stray := filepath.Join(s.dir, "stray.json")
	require.NoError(t, os.WriteFile(stray, []byte(`{"op":"batch","operations":[{"op":"remove","id":"hatch-lamp"}]}`), 0o600))
	for name, c := range map[string]struct {
		args []string
		code int
		want string
	}{
		"stray field":     {[]string{"level", "edit", saltmarsh, stray}, 1, "/operations is no field here"},
		"no such command": {[]string{"glow"}, 2, "unknown command"},
		"no such flag":    {[]string{"bake", saltmarsh, "--fast"}, 2, "--fast"},
		"missing value":   {[]string{"light", "set", saltmarsh}, 2, "takes other arguments"},
		"no pair":         {[]string{"light", "set", saltmarsh, "hatch-lamp", "bright"}, 2, "field=value"},
		"no such level":   {[]string{"check", "Atlantis"}, 1, `no level is called "Atlantis"; there are "Saltmarsh Light"`},
		"no such field":   {[]string{"light", "set", saltmarsh, "hatch-lamp", "brightness=3"}, 1, "/fields/brightness is no field here"},
		"out of range":    {[]string{"light", "set", saltmarsh, "hatch-lamp", "strength=-3"}, 1, "/lights/13/strength is -3; allowed is 0 to"},
		"no such view":    {[]string{"shot", saltmarsh, "--view", "moon"}, 1, "pier-dusk"},
		"no such file":    {[]string{"level", "import", "nowhere.glb"}, 1, "nowhere.glb"},
		"no such axis":    {[]string{"level", "import", "nowhere.glb", "--forward", "north"}, 2, "there are x, -x"},
		"bad quality":     {[]string{"bake", saltmarsh, "--quality", "best"}, 2, `--quality is "best"; there are draft, good, final`},
		"really delete":   {[]string{"level", "delete", saltmarsh, "--forever"}, 2, "--yes"},
		"aim at nothing":  {[]string{"light", "add", saltmarsh, "--id", "x", "--aim", "0,0,0"}, 2, "points nowhere"},
	} {
		out, errOut, code := s.run("", c.args...)
		assert.Equal(t, c.code, code, "%s: %s", name, errOut)
		assert.Contains(t, errOut, c.want, name)
		assert.Empty(t, out, name)
	}
	_, errOut, _ := s.run("", "check", saltmarsh, "--platform", "moon", "--json")
	assert.Equal(t, "not-found", decode[api.Problem](t, errOut).Code, "errors are JSON too")
	s.server = "http://127.0.0.1:1"
	_, errOut, code := s.run("", "level", "list")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, "does not answer")
}

func TestSettingsSayWhereTheyComeFrom(t *testing.T) {
	t.Parallel()
	s := newShell(t, "http://127.0.0.1:9")
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "config.yaml"), []byte("listen: 127.0.0.1:7000\ntoken: secret\n"), 0o600))
	out := s.ok("config", "--server", "http://127.0.0.1:8")
	assert.Regexp(t, `server +http://127.0.0.1:8 +flag`, out)
	assert.Regexp(t, `listen +127.0.0.1:7000 +.*config.yaml`, out)
	assert.Regexp(t, `data +grotta-data +default`, out)
	assert.NotContains(t, out, "secret")
	require.NoError(t, os.WriteFile(filepath.Join(s.dir, "config.yaml"), []byte("liste: x\n"), 0o600))
	_, errOut, code := s.run("", "config")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, `"liste" is no setting; there are bake-here, blobs, cache, data`)
}

func TestCompletionKnowsLevelsAndLights(t *testing.T) {
	t.Parallel()
	s, _ := signedIn(t)
	assert.Contains(t, s.ok("__complete", "check", ""), saltmarsh)
	assert.Contains(t, s.ok("__complete", "light", "set", saltmarsh, ""), "hatch-lamp")
	assert.Contains(t, s.ok("completion", "bash"), "grotta")
}

// Materials are tinted together in one step, by the level's name; the bakes of the service are listed. What is
// wrong is said, and changes nothing.
func TestTintAndBakesByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	maren := as(t, g, "maren")
	for _, wrong := range [][]string{
		{"level", "tint", saltmarsh},
		{"level", "tint", saltmarsh, "--materials", "turf,mos", "--toward", "#b0762e"},
		{"level", "tint", saltmarsh, "--materials", "turf", "--toward", "red"},
		{"level", "tint", saltmarsh, "--materials", "turf", "--toward", "#b0762e", "--share", "2"},
		{"serve", "--replica", "nats"}, {"serve", "--replica-every", "0"}, {"serve", "--traces", "collector:4318"}, {"serve", "--nats-replicas", "2"}, {"worker"}, {"restore"}, {"restore", "x", "--at", "yesterday"},
	} {
		_, errOut, code := s.run("", wrong...)
		assert.Equal(t, 2, code, "%v: %s", wrong, errOut)
	}
	assert.Contains(t, s.ok("level", "tint", saltmarsh, "--materials", "turf,reed", "--toward", "#b0762e", "--share", "0.4"), "revision 2: Tint materials")
	levels, err := maren.Levels(ctx)
	require.NoError(t, err)
	doc, err := maren.Level(ctx, levels[0].ID)
	require.NoError(t, err)
	for _, m := range doc.Document.Materials {
		switch m.ID {
		case "turf", "reed":
			assert.NotContains(t, []string{"#5a6044", "#7d8054"}, m.Color)
		case "lime":
			assert.Equal(t, "#d9d2c4", m.Color)
		}
	}
	s.ok("level", "undo", saltmarsh)
	s.ok("bake", saltmarsh, "--quality", "draft")
	assert.Regexp(t, saltmarsh+` +3 +draft +done +24 of 24`, s.ok("bakes"))
	assert.Contains(t, s.ok("workers"), "the service bakes by itself")
	_, errOut, code := s.run("", "workers", "drain", "nobody")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, `no worker "nobody"`)
}
