package cli

import (
	"bytes"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/platform"
)

// told is what a describing function writes.
func told(say func(w io.Writer)) string {
	var b bytes.Buffer
	say(&b)
	return b.String()
}

func TestBakesAreTold(t *testing.T) {
	begun := time.Date(2026, 3, 1, 10, 0, 0, 0, time.UTC)
	ended := begun.Add(12300 * time.Millisecond)
	done := told(func(w io.Writer) {
		describeBake(w, api.Bake{State: "done", Revision: 4, Quality: "good", Layers: 20, Reused: 17, Hash: "ab12", Created: begun, Ended: &ended})
	})
	assert.Equal(t, "revision 4 baked at good quality in 12.3 s: 20 layers, 17 of them were there already\nmix ab12\n", done)
	assert.Equal(t, "the bake failed: the disk is full\n", told(func(w io.Writer) { describeBake(w, api.Bake{State: "failed", Error: "the disk is full"}) }))
	assert.Equal(t, "bake b7 of revision 2 is queued\n", told(func(w io.Writer) { describeBake(w, api.Bake{State: "queued", ID: "b7", Revision: 2}) }))
}

func TestReportsAreTold(t *testing.T) {
	r := api.Report{
		Platform: "mill", Counts: map[string]int{"error": 1, "warning": 2}, Lightmap: api.LightmapSize{Pages: 2, PageSize: 1024, Texels: 1, Bytes: 8_400_000},
		Findings: []api.Finding{{Rule: "lights", Severity: "error", Message: "12 lights, 8 are allowed", Why: "it will not load", Entities: []string{"a", "b"},
			Fix: &level.Operation{Op: level.OpRemove, ID: "a"}}},
	}
	text := told(func(w io.Writer) { (&checking{}).describe(w, &r, nil) })
	for _, line := range []string{"error    lights", "12 lights, 8 are allowed", "at  a, b", "why it will not load", "fix ", "mill: 1 error, 2 warnings, 0 pieces of advice; lightmap 2 pages of 1024, 1 texel, 8.4 MB"} {
		assert.Contains(t, text, line)
	}
	assert.True(t, strings.HasPrefix(told(func(w io.Writer) { (&checking{}).describe(w, &api.Report{Platform: "mill"}, nil) }), "mill: 0 errors"), "no empty line before a clean report")
}

func TestLedgersAreTold(t *testing.T) {
	text := told(func(w io.Writer) {
		describeLedger(w, api.Ledger{Surface: "floor", Inside: "crate", StandardError: 123.4, Total: api.Irradiance{R: 1.23456, G: 2, B: 3, Luminance: 12345.6}, Sources: []api.Contribution{
			{ID: "lamp", Kind: "point", Direct: api.Irradiance{Luminance: 10}, Bounced: api.Irradiance{Luminance: 4}, StandardError: 0.0512, Share: 0.256, Visible: 0.5, Blocked: true, BlockedBy: []api.Blocker{{ID: "post"}, {ID: "wall"}}},
			{ID: "far", Kind: "spot", Why: "out of range", Blocked: true, BlockedBy: []api.Blocker{{ID: "post"}}},
		}})
	})
	assert.Contains(t, text, "12346 ± 120 lx  (r 1.235, g 2, b 3)  on floor  inside crate\n")
	assert.Regexp(t, `lamp +point +10 +4 ± 0.051 +25.6 % +50 % +blocked by post, wall`, text)
	assert.Contains(t, text, "out of range; blocked by post")
}

func TestLevelsAreTold(t *testing.T) {
	d := level.New("Pier")
	d.Note, d.Platform = "at dusk", "mill"
	d.Viewpoints = []*level.Viewpoint{{Entity: level.Entity{ID: "quay"}}, {Entity: level.Entity{ID: "tower"}}}
	d.Meshes = make([]*level.Mesh, 2)
	doc := api.Document{Level: api.LevelInfo{Name: "Pier", ID: "l1", Owner: "maren", Revision: 9, Changed: time.Now()}, Document: d, Members: []api.Member{{User: "tove", Role: "viewer"}}}
	text := told(func(w io.Writer) {
		describeLevel(w, doc, api.LightmapState{Texels: 5, Pages: 1, PageSize: 256, Stale: 2, Sources: make([]api.Source, 3)})
	})
	for _, line := range []string{"Pier  (l1)\nmaren's, revision 9, changed 0 s ago\nat dusk\n", "2 meshes", "1 page of 256; 2 of 3 layers need a bake", "platform: mill", "shared with tove as viewer", "viewpoints: quay, tower"} {
		assert.Contains(t, text, line)
	}
}

func TestPlatformsAreTold(t *testing.T) {
	text := told(func(w io.Writer) {
		describePlatform(w, &platform.Profile{Name: "mill", Title: "Mill", Note: "for tests", Space: platform.Space{UnitM: 0.5, Up: "z", Handed: "left"},
			Lights: platform.Lights{Kinds: []string{"point"}, Instead: map[string]string{"tube": "point"}},
			Limits: platform.Limits{Lights: &platform.Limit{Max: 64, Why: "one pass"}, ShadowOverlap: &platform.OverlapLimit{Max: 4, Reserve: 1, Why: "four maps"}}})
	})
	for _, line := range []string{"Mill  (mill)", "unit 0.5 m, +z up, left-handed", "for tube use point", "4, 1 kept for carried lamps"} {
		assert.Contains(t, text, line)
	}
	assert.Regexp(t, `lights +64 +one pass`, text)
	assert.Equal(t, "-", limit(nil))
}

func TestProbesAreTold(t *testing.T) {
	assert.Contains(t, told(func(w io.Writer) { describeProbes(w, &api.Probes{}) }), "no probe grids; --auto adds one")
	text := told(func(w io.Writer) {
		describeProbes(w, &api.Probes{Grids: []api.Grid{{ID: "hall", Count: [3]int{2, 1, 1}, Probes: []api.Probe{{}, {Inside: "wall"}}}},
			ServedBy: "hall", Serving: []api.Part{{Index: 0, Position: level.Vec{1, 2, 3}, Weight: 1}}, Reflection: "mirror"})
	})
	assert.Regexp(t, `hall +2 x 1 x 1 +1 +1 +0`, text)
	assert.Regexp(t, `0 +1.00, 2.00, 3.00 +100 %`, text)
	assert.Contains(t, text, "mirrors show mirror")
}

func TestWordsAndNumbers(t *testing.T) {
	assert.Equal(t, []string{"0 lights", "1 light", "2 meshes"}, []string{count(0, "light"), count(1, "light"), count(2, "mesh")})
	assert.Equal(t, []string{"yes", "no"}, []string{onOff(true), onOff(false)})
	assert.Equal(t, "0.3333", number(1.0/3))
	assert.Equal(t, "42000", number(42000))
	assert.Equal(t, []string{"0.051", "1200000"}, []string{uncertainty(0.0512), uncertainty(1234567)})
	for want, d := range map[string]time.Duration{"5 s ago": 5 * time.Second, "3 min ago": 3*time.Minute + 20*time.Second, "47 h ago": 47*time.Hour + time.Minute} {
		assert.Equal(t, want, ago(time.Now().Add(-d)))
	}
	assert.Regexp(t, `^\d{4}-\d\d-\d\d$`, ago(time.Now().Add(-49*time.Hour)))
}

func TestColoursOfLights(t *testing.T) {
	d := &level.Level{Rigs: []*level.Rig{{ID: "brass"}}}
	assert.Equal(t, "#ffcc00", colorText(d, &level.Light{Color: "#ffcc00", Kelvin: 2700}))
	assert.Equal(t, "2700 K", colorText(d, &level.Light{Entity: level.Entity{Rig: "brass"}, Kelvin: 2700}))
	assert.Equal(t, "key of brass", colorText(d, &level.Light{Entity: level.Entity{Rig: "brass"}}))
	assert.Equal(t, "white", colorText(d, &level.Light{Entity: level.Entity{Rig: "gone"}}))
}

// field=value arguments: JSON is taken as such, anything else is text, nothing is null.
func TestPairs(t *testing.T) {
	got, err := pairs([]string{"strength=120", "enabled=true", "color=#ffd0a0", "kelvin=", "name=a=b", `tags=["x"]`})
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"strength": 120.0, "enabled": true, "color": "#ffd0a0", "kelvin": nil, "name": "a=b", "tags": []any{"x"}}, got)
	for _, bad := range []string{"strength", "=3"} {
		_, err := pairs([]string{bad})
		assert.IsType(t, usageError{}, err, bad)
	}
}

// A file is replaced whole; where that fails the old one stays and nothing else is left.
func TestFilesAreWhole(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "pier.json")
	var out bytes.Buffer
	a := &app{out: &out}
	require.NoError(t, a.writeFile(name, []byte("old")))
	require.NoError(t, a.saved(name, []byte("newer"), map[string]any{"views": 2}, func(w io.Writer) { io.WriteString(w, "two views\n") }))
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.Equal(t, "newer", string(data))
	assert.Equal(t, name+", 5 bytes\ntwo views\n", out.String())
	require.Error(t, a.writeFile(filepath.Join(dir, "no", "such.json"), []byte("x")))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "folder"), 0o700))
	require.Error(t, a.writeFile(filepath.Join(dir, "folder"), []byte("x")), "a folder stands there")
	names, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, names, 2, "no temporary file is left")
	out.Reset()
	require.NoError(t, a.saved("-", []byte("raw"), nil, nil))
	assert.Equal(t, "raw", out.String(), "nothing else goes to standard output")
}

// Text for people shows control and bidirectional characters; JSON escapes them itself.
func TestTextIsVisible(t *testing.T) {
	var out bytes.Buffer
	a := &app{out: &out}
	require.NoError(t, a.show("x", func(w io.Writer) { io.WriteString(w, "a\x1b[31mb\u202ec\n") }))
	assert.NotContains(t, out.String(), "\x1b")
	assert.NotContains(t, out.String(), "\u202e")
	out.Reset()
	a.json = true
	require.NoError(t, a.show(map[string]any{"b": 1, "a": "x"}, nil))
	assert.Equal(t, "{\n  \"a\": \"x\",\n  \"b\": 1\n}\n", out.String())
}
