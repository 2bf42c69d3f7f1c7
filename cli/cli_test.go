package cli

import (
	"io"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

func TestVectorsAreRead(t *testing.T) {
	v, err := vector("--at", "1.5, 0,-2e-1")
	require.NoError(t, err)
	assert.Equal(t, level.Vec{1.5, 0, -0.2}, v)
	for _, bad := range []string{"", "1,2", "a,b,c", "1;2;3", "1,2,3x", "1,2,3,4", "NaN,0,0", "0,Inf,0"} {
		_, err := vector("--at", bad)
		assert.ErrorContains(t, err, "--at is", bad)
		assert.ErrorContains(t, err, "write x,y,z", bad)
		assert.IsType(t, usageError{}, err, bad)
	}
}

// A call that is not written as it must be ends with 2 before the service is asked, and
// names the flag.
func TestWrongUsageEndsWith2(t *testing.T) {
	for want, args := range map[string][]string{
		`--point is "1,2"; write x,y,z`:                  {"ledger", "Pier", "--point", "1,2"},
		`--point is "NaN,0,0"`:                           {"probes", "Pier", "--point", "NaN,0,0"},
		`--normal is "0,0,0", which points nowhere`:      {"ledger", "Pier", "--point", "0,0,0", "--normal", "0,0,0"},
		`at least one of the flags`:                      {"preset", "share", "dusk"},
		`--point is missing; write x,y,z`:                {"ledger", "Pier"},
		`at least one of the flags in the group [texels`: {"density", "Pier"},
		`unknown command "find" for "grotta preset"`:     {"preset", "find", "fog"},
		`did you mean "list"?`:                           {"level", "lst"},
		`"b" is too much: grotta shot LEVEL`:             {"shot", "a", "b"},
		`unknown command "lamp"`:                         {"lamp"},
		`unknown flag: --colour`:                         {"bake", "Pier", "--colour"},
		`invalid argument "many" for "--texels" flag`:    {"density", "Pier", "--texels", "many"},
	} {
		var out, errOut strings.Builder
		assert.Equal(t, exitUsage, Main(args, Host{}, strings.NewReader(""), &out, &errOut), want)
		assert.Contains(t, errOut.String(), want)
		assert.Empty(t, out.String(), want)
	}
}

// What the flags of "sun" set in a level, and what the change is called.
func TestSunFlags(t *testing.T) {
	fields := func(args ...string) (map[string]any, string, error) {
		var f sunFlags
		a := &app{}
		cmd := a.sunCommand()
		require.NoError(t, cmd.ParseFlags(args))
		get := func(name string) float64 { v, err := cmd.Flags().GetFloat64(name); require.NoError(t, err); return v }
		text := func(name string) string { v, err := cmd.Flags().GetString(name); require.NoError(t, err); return v }
		f = sunFlags{get("latitude"), get("longitude"), get("azimuth"), get("altitude"), get("lux"), text("at"), text("strike"), text("from")}
		return f.fields(cmd)
	}
	got, label, err := fields("--azimuth", "250", "--altitude", "12", "--lux", "20000")
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"environment.sun.lux": 20000.0, "environment.sun.azimuth_deg": 250.0, "environment.sun.altitude_deg": 12.0, "environment.sun.place": nil}, got)
	assert.Equal(t, "Sun at 250, 12 high", label)

	got, _, err = fields("--strike", "0,0,0", "--from", "1,1,0")
	require.NoError(t, err)
	assert.InDelta(t, 90, got["environment.sun.azimuth_deg"], 1e-9)
	assert.InDelta(t, 45, got["environment.sun.altitude_deg"], 1e-9)

	got, label, err = fields("--at", "2026-06-21T18:00Z", "--latitude", "10")
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"latitude_deg": 10.0, "longitude_deg": 8.7, "at": "2026-06-21T18:00:00Z"}, got["environment.sun.place"])
	assert.Equal(t, "Sun of 21 June, 18:00 UTC", label)

	for want, args := range map[string][]string{
		"say where":        nil,
		"--from is":        {"--strike", "0,0,0"},
		"are one point":    {"--strike", "1,1,1", "--from", "1,1,1"},
		"--at is \"soon\"": {"--at", "soon"},
	} {
		_, _, err := fields(args...)
		assert.ErrorContains(t, err, want)
		assert.IsType(t, usageError{}, err)
	}
}

func TestPlansReadAsTables(t *testing.T) {
	var b strings.Builder
	plan := &api.Plan{Before: api.Size{Texels: 900, Pages: 2, Error: 1.5}, After: api.Size{Texels: 400, Pages: 1, Error: 1.25}}
	for range 20 {
		plan.Surfaces = append(plan.Surfaces, api.Choice{Entity: "wall", Face: 2, Before: 4, After: 8})
	}
	plan.Surfaces[0].Face = -1
	describePlan(&b, plan)
	for _, want := range []string{"now", "900", "planned", "1.25", "wall", "and 8 more"} {
		assert.Contains(t, b.String(), want)
	}
}

// Every command says what it is, and none shares a name.
func TestCommandsAreDescribed(t *testing.T) {
	a := &app{in: strings.NewReader(""), out: io.Discard, err: io.Discard}
	root := a.root()
	names := map[string]bool{}
	for _, c := range root.Commands() {
		assert.NotEmpty(t, c.Short, c.Name())
		assert.NotEmpty(t, c.GroupID, c.Name())
		assert.False(t, names[c.Name()], c.Name())
		names[c.Name()] = true
	}
	for _, want := range []string{"sun", "density", "sheet", "probes", "clean", "bake", "ledger"} {
		assert.True(t, names[want], want)
	}
}
