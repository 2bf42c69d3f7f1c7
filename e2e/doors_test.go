package e2e

import (
	"archive/zip"
	"bytes"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/level"
)

const hutOBJ = `mtllib parts/hut.mtl
o Floor
v 0 0 0
v 400 0 0
v 400 0 300
v 0 0 300
usemtl boards
f 1 4 3 2
o Wall
v 0 250 0
v 400 250 0
usemtl lime
f 1 2 6 5
`

// A file comes in from disk with those beside it, is taken in again when it has changed, and goes
// out with what is left out said.
func TestDoorsByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	maren := as(t, g, "maren")
	dir := t.TempDir()
	hut := filepath.Join(dir, "hut.obj")
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("hut.obj", hutOBJ)
	write("parts/hut.mtl", "newmtl boards\nKd 0.5 0.4 0.3\nnewmtl lime\nKd 0.9 0.9 0.9\n")

	out := s.ok("level", "import", hut)
	assert.Contains(t, out, "400 m across")
	assert.Contains(t, out, "cm makes it 4 m")
	s.ok("level", "delete", "hut", "--forever", "--yes")
	// By the unit and the axes of a target, and by axes of the user's own, which the level remembers.
	s.ok("level", "import", hut, "--platform", "room-decor", "--forward", "x", "--name", "turned")
	turned, err := maren.FindLevel(ctx, "turned")
	require.NoError(t, err)
	seen, err := maren.Level(ctx, turned.ID)
	require.NoError(t, err)
	require.Len(t, seen.Document.Imports, 1)
	read := seen.Document.Imports[0]
	assert.Equal(t, []any{0.25, "y", "x", "left"}, []any{read.UnitM, read.Up, read.Forward, read.Handed})
	assert.Contains(t, s.ok("level", "import", hut, "--into", "turned"), "2 as before")
	// A second file stands where it is put, and stays there.
	write("shed.obj", strings.ReplaceAll(hutOBJ, "Wall", "Shed"))
	assert.Contains(t, s.ok("level", "import", filepath.Join(dir, "shed.obj"), "--into", "turned", "--unit", "cm", "--at", "12,0,-3,90"), "added")
	assert.Contains(t, s.ok("level", "import", filepath.Join(dir, "shed.obj"), "--into", "turned"), "2 as before")
	seen, err = maren.Level(ctx, turned.ID)
	require.NoError(t, err)
	require.Len(t, seen.Document.Imports, 2)
	assert.Equal(t, []any{level.Vec{12, 0, -3}, 90.0}, []any{seen.Document.Imports[1].At, seen.Document.Imports[1].TurnDeg})
	for _, bad := range []string{"1,2", "1,2,east", "1,2,3,4,5"} {
		_, errs, code := s.run("", "level", "import", hut, "--at", bad)
		assert.Equal(t, 2, code)
		assert.Contains(t, errs, "--at")
	}
	_, errs, code := s.run("", "level", "import", hut, "--at", "0,99999,0")
	assert.NotZero(t, code)
	assert.Contains(t, errs, "allowed is -32000 to 32000")
	out = s.ok("level", "import", hut, "--unit", "cm")
	assert.Contains(t, out, "2 shapes")
	assert.NotContains(t, out, "left out")
	l, err := maren.FindLevel(ctx, "hut")
	require.NoError(t, err)
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	require.Len(t, doc.Document.Materials, 2)
	apply(t, maren, l.ID, level.Set("wall", map[string]any{"surface.density": 30}))

	// The file is saved with a higher wall.
	write("hut.obj", strings.ReplaceAll(hutOBJ, "250", "300"))
	out = s.ok("level", "import", hut, "--unit", "cm", "--into", "hut", "--dry-run")
	assert.Contains(t, out, "1 changed: Wall; 1 as before")
	assert.Equal(t, 2, current(t, maren, l.ID), "a dry run changes nothing")
	out = s.ok("level", "import", hut, "--into", "hut") // in the unit that it was read in
	assert.Contains(t, out, "revision 3: 1 changed: Wall")
	doc, err = maren.Level(ctx, l.ID)
	require.NoError(t, err)
	wall := level.ByID[level.Mesh](doc.Document, "wall")
	assert.Equal(t, 30.0, wall.Surface.Density, "what the level says of it stays")
	out = s.ok("level", "import", hut, "--unit", "cm", "--into", "hut")
	assert.Contains(t, out, "revision 3: 2 as before", "the same once more is no revision")
	s.ok("level", "undo", "hut")

	// Nothing outside of the folder is read.
	write("inner/evil.obj", strings.Replace(hutOBJ, "parts/hut.mtl", "../parts/hut.mtl", 1))
	out = s.ok("level", "import", filepath.Join(dir, "inner", "evil.obj"))
	assert.Contains(t, out, "leads out of the folder")

	out = s.ok("level", "export", saltmarsh, "-o", filepath.Join(dir, "out.glb"))
	assert.Contains(t, out, "left out: 11 glows")
	_, errOut, code := s.run("", "level", "export", saltmarsh, "--strict", "-o", filepath.Join(dir, "strict.glb"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, "11 glows")
	assert.NoFileExists(t, filepath.Join(dir, "strict.glb"))
	s.ok("level", "export", saltmarsh, "-o", filepath.Join(dir, "lights.csv"))
	text, err := os.ReadFile(filepath.Join(dir, "lights.csv"))
	require.NoError(t, err)
	assert.Contains(t, string(text), "great-lens,Great lens,spot,true")
}

// By the API: archives, and who may take a file in again.
func TestDoorsByTheAPI(t *testing.T) {
	t.Parallel()
	g := start(t)
	maren, ivo := as(t, g, "maren"), as(t, g, "ivo")
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for name, text := range map[string]string{"x/hut.obj": hutOBJ, "x/parts/hut.mtl": "newmtl boards\nKd 1 0 0\n"} {
		f, err := w.Create(name)
		require.NoError(t, err)
		_, err = f.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, w.Close())
	got, err := maren.ImportLevel(ctx, b.Bytes(), api.ImportOptions{File: "x.zip", UnitM: 0.01})
	require.NoError(t, err)
	assert.Equal(t, "hut", got.Level.Name)
	_, err = ivo.ImportAgain(ctx, got.Level.ID, b.Bytes(), api.ImportOptions{File: "x.zip"}, true)
	assert.Equal(t, 404, problemOf(t, err, "a stranger").Status)
	require.NoError(t, maren.ShareLevel(ctx, got.Level.ID, "ivo", "viewer"))
	_, err = ivo.ImportAgain(ctx, got.Level.ID, b.Bytes(), api.ImportOptions{File: "x.zip"}, false)
	assert.Equal(t, 403, problemOf(t, err, "a viewer").Status)
	merged, err := maren.ImportAgain(ctx, got.Level.ID, b.Bytes(), api.ImportOptions{File: "x.zip", UnitM: 0.02}, false)
	require.NoError(t, err)
	assert.Equal(t, []string{"Floor", "Wall"}, merged.Changed)
	assert.Equal(t, 2, merged.Revision)
	_, err = maren.ImportAgain(ctx, got.Level.ID, []byte("hello"), api.ImportOptions{}, false)
	assert.Equal(t, 422, problemOf(t, err, "text").Status)
	report, err := maren.ExportReport(ctx, got.Level.ID)
	require.NoError(t, err)
	assert.NotEmpty(t, report.Left)
}

// A light shines by an IES file, and by one that is no such file it does not.
func TestProfileByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	maren := as(t, g, "maren")
	l, err := maren.FindLevel(ctx, "Saltmarsh Light")
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "shade.ies")
	text := "IESNA:LM-63-2002\r\n[LUMINAIRE] Shade\r\nTILT=NONE\r\n1 -1 1 3 1 1 2 0 0 0 1 1 1\r\n0 45 90\r\n0\r\n250 100 0\r\n"
	require.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	assert.Contains(t, s.ok("light", "profile", l.Name, "sink-lamp", file, "--credit", "made up"), "250 cd at its brightest")
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	lamp := doc.Document.Light("sink-lamp")
	assert.Equal(t, "shade", lamp.Profile)
	assert.Equal(t, 250.0, lamp.Strength, "as strong as measured")
	assert.InDelta(t, -1, doc.Document.World().Pose(&lamp.Entity).Forward()[1], 1e-9, "it hangs")
	assert.Equal(t, "made up", doc.Document.Profile("shade").Credit)
	shape, err := maren.Profile(ctx, l.ID, "shade")
	require.NoError(t, err)
	assert.Equal(t, "Shade", shape.Luminaire)
	assert.InDelta(t, 100, shape.Planes[0].Candela[9], 1e-9, "at 45 degrees")
	s.ok("light", "profile", l.Name, "sink-lamp", "none")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(text, "3 1 1 2", "3 1 3 2", 1)), 0o600))
	_, errs, code := s.run("", "light", "profile", l.Name, "sink-lamp", file)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "line 4 has photometry of type A (3); only type C")
}

// Rules by name say what comes in: from a file beside the level, or from a preset.
func TestImportRulesByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	maren := as(t, g, "maren")
	dir := t.TempDir()
	hut := filepath.Join(dir, "hut.obj")
	require.NoError(t, os.WriteFile(hut, []byte(strings.ReplaceAll(hutOBJ, "mtllib parts/hut.mtl\n", "")), 0o600))
	rules := "format: grotta-import-rules/1\nname: huts\nrules:\n  - {thing: floor, density: 20}\n  - {thing: wall, blocker: true}\n  - {thing: \"lamp*\", light: {kind: point, strength: 100}}\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "grotta-rules.yaml"), []byte(rules), 0o600))
	levels, err := maren.Levels(ctx)
	require.NoError(t, err)
	said := s.ok("level", "import", hut, "--unit", "cm", "--dry-run")
	assert.Contains(t, said, "would come in:")
	assert.Contains(t, said, "rule: wall, a blocker: 1 caught: Wall")
	assert.Contains(t, said, "rule: lamp*, carries a point light: 0 caught")
	after, err := maren.Levels(ctx)
	require.NoError(t, err)
	assert.Len(t, after, len(levels), "a dry run stores nothing")
	s.ok("level", "import", hut, "--unit", "cm")
	l, err := maren.FindLevel(ctx, "hut")
	require.NoError(t, err)
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	for _, m := range doc.Document.Meshes {
		if m.Name == "Wall" {
			assert.False(t, m.Surface.Visible)
		} else {
			assert.Equal(t, 20.0, m.Surface.Density)
		}
	}
	// Kept on the service, for any file.
	require.NoError(t, os.Rename(filepath.Join(dir, "grotta-rules.yaml"), filepath.Join(dir, "mine.yaml")))
	assert.Contains(t, s.ok("preset", "add", filepath.Join(dir, "mine.yaml")), "maren/huts@1")
	assert.Contains(t, s.ok("level", "import", hut, "--unit", "cm", "--rules", "huts", "--dry-run"), "1 caught: Wall")
	assert.Contains(t, s.ok("level", "import", hut, "--unit", "cm", "--rules", filepath.Join(dir, "mine.yaml"), "--dry-run"), "1 caught: Wall")
	assert.NotContains(t, s.ok("level", "import", hut, "--unit", "cm", "--dry-run"), "rule:")
	assert.Contains(t, s.ok("level", "import", dir, "--unit", "cm", "--rules", filepath.Join(dir, "mine.yaml"), "--dry-run"), "1 caught: Wall", "of a folder")
	// Rules hold again where the file is taken again: a part that was left out stays left out.
	require.NoError(t, os.WriteFile(filepath.Join(dir, "floors.yaml"), []byte("format: grotta-import-rules/1\nname: floors\nrules: [{thing: wall, skip: true}]\n"), 0o600))
	s.ok("preset", "add", filepath.Join(dir, "floors.yaml"))
	s.ok("level", "import", hut, "--unit", "cm", "--rules", "floors", "--name", "Floors")
	l, err = maren.FindLevel(ctx, "Floors")
	require.NoError(t, err)
	assert.Contains(t, s.ok("level", "import", hut, "--into", "Floors"), "1 as before")
	require.NoError(t, maren.DeletePreset(ctx, "floors"))
	said = s.ok("level", "import", hut, "--into", "Floors")
	assert.Contains(t, said, "1 added: Wall")
	assert.Contains(t, said, "The import rules of maren/floors held before")
	s.ok("preset", "add", filepath.Join(dir, "floors.yaml"))
	assert.Contains(t, s.ok("level", "import", hut, "--into", "Floors"), "1 removed: Wall", "they stayed remembered")

	// A platform has rules of its own; others that are said, or lie beside the file, go first.
	profile, err := maren.PlatformFile(ctx, "pocket")
	require.NoError(t, err)
	own := strings.Replace(string(profile), "name: pocket\n", "name: mine\n", 1) + "import_rules: [{thing: wall, skip: true}]\n"
	require.NoError(t, os.WriteFile(filepath.Join(dir, "platform.yaml"), []byte(own), 0o600))
	s.ok("platform", "add", filepath.Join(dir, "platform.yaml"))
	assert.Contains(t, s.ok("level", "import", hut, "--platform", "mine", "--dry-run"), "rule: wall, left out: 1 caught: Wall")
	assert.Contains(t, s.ok("level", "import", hut, "--platform", "mine", "--rules", "huts", "--dry-run"), "rule: wall, a blocker: 1 caught")
	s.ok("level", "import", hut, "--platform", "mine", "--name", "Mine")
	assert.Contains(t, s.ok("level", "import", hut, "--into", "Mine"), "1 as before")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "platform.yaml"), []byte(strings.Replace(own, "skip: true", "skip: false", 1)), 0o600))
	_, errs, code := s.run("", "platform", "add", filepath.Join(dir, "platform.yaml"))
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "/import_rules/0 does nothing")

	_, errs, code = s.run("", "level", "import", hut, "--rules", "nothing")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "import rules maren/nothing")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "grotta-rules.yaml"), []byte(strings.Replace(rules, "density: 20", "density: many", 1)), 0o600))
	_, errs, code = s.run("", "level", "import", hut)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "/grotta-rules.yaml/rules/0/density is text; a number is needed")
}

// The lights go to another editor in its words, are changed there, and come back.
func TestHandOverByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	maren := as(t, g, "maren")
	l, err := maren.FindLevel(ctx, "Saltmarsh Light")
	require.NoError(t, err)
	out := filepath.Join(t.TempDir(), "lights.lit")

	assert.Contains(t, s.ok("hand-over", "list"), "baked-arena")
	said := s.ok("hand-over", l.Name, "--to", "baked-arena", "--out", out)
	assert.Contains(t, said, "36 things")
	assert.Contains(t, said, "left out: 6 viewpoints, for which Baked arena has no rule")
	text, err := os.ReadFile(out)
	require.NoError(t, err)
	assert.Contains(t, string(text), "[floodlamp]\nkey = great-lens\n")
	assert.Contains(t, s.ok("hand-back", l.Name, out, "--from", "baked-arena"), "0 added, 0 changed, 36 as before")
	assert.Equal(t, 1, current(t, maren, l.ID), "what is as before makes no revision")

	edited := strings.Replace(string(text), "key = great-lens\nlabel = Great lens", "key = great-lens\nlabel = Big lens", 1) + "\n[lamp]\nlabel = Hut lamp\nat = 10, 0, 6\nlumens = 1256.637\n"
	require.NoError(t, os.WriteFile(out, []byte(edited), 0o600))
	said = s.ok("hand-back", l.Name, out, "--from", "baked-arena", "--dry-run")
	assert.Contains(t, said, "added: Hut lamp")
	assert.Equal(t, 1, current(t, maren, l.ID), "a dry run changes nothing")
	s.ok("hand-back", l.Name, out, "--from", "baked-arena")
	doc, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	assert.Equal(t, "Big lens", doc.Document.Light("great-lens").Name)
	assert.Equal(t, 42000.0, doc.Document.Light("great-lens").Strength, "exact, as nobody changed it")
	lamp := doc.Document.Light("hut-lamp")
	require.NotNil(t, lamp)
	assert.InDelta(t, 100, lamp.Strength, 1e-3, "1256.637 lm to all sides are 100 cd")
	assert.InDelta(t, 3.048, lamp.Transform.Position[0], 1e-6)
	assert.InDelta(t, 6*0.3048, lamp.Transform.Position[1], 1e-6)

	// A file of one's own, shared as a preset is.
	own := filepath.Join(t.TempDir(), "own.yaml")
	file := strings.Replace(s.ok("hand-over", "show", "pocket"), "name: pocket", "name: own", 1)
	require.NoError(t, os.WriteFile(own, []byte(file), 0o600))
	s.ok("preset", "add", own)
	s.ok("preset", "share", "own", "--with", "ivo")
	names, err := as(t, g, "ivo").HandOvers(ctx)
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(names, func(h api.HandOver) bool { return h.Name == "maren/own" && h.Owner == "maren" }))

	_, errs, code := s.run("", "hand-over", l.Name, "--to", "nowhere")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "there are baked-arena, block-destruction, cell-interior, open-realtime, pocket")
	_, errs, code = s.run("", "hand-over", l.Name)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "--to NAME")
	_, errs, code = s.run("", "hand-over", l.Name, "--to", "pocket", "--strict")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "the hand-over leaves out")
	require.NoError(t, os.WriteFile(out, []byte("[lamp]\nlumens = many\n"), 0o600))
	_, errs, code = s.run("", "hand-back", l.Name, out, "--from", "baked-arena")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, `line 2 lumens is "many"; a number is needed`)
}

// kites is a file whose two nodes show one mesh, the second turned and twice as large.
const kites = `{"asset":{"version":"2.0"},"scenes":[{"nodes":[0,1]}],"nodes":[{"name":"Kite","mesh":0},
	{"name":"Far kite","mesh":0,"translation":[5,0,0],"rotation":[0,0.70710678,0,0.70710678],"scale":[2,2,2]}],
	"meshes":[{"name":"Kite","primitives":[{"attributes":{"POSITION":0}}]}],"accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3"}],
	"bufferViews":[{"buffer":0,"byteLength":36}],"buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]}`

// A mesh that a file shows twice is one geometry of the level, is edited in one place without the other, goes
// out once and comes in again as it was.
func TestASharedGeometryByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	maren := as(t, g, "maren")
	file := filepath.Join(t.TempDir(), "kites.gltf")
	require.NoError(t, os.WriteFile(file, []byte(kites), 0o600))
	s.ok("level", "import", file)
	assert.Contains(t, s.ok("level", "show", "kites"), "2 meshes (1 shared geometry)")
	l, err := maren.FindLevel(ctx, "kites")
	require.NoError(t, err)
	apply(t, maren, l.ID, level.Set("kite", map[string]any{"scale": []any{1, 3, 1}}))
	seen, err := maren.Level(ctx, l.ID)
	require.NoError(t, err)
	require.Len(t, seen.Document.Meshes, 2)
	assert.Equal(t, level.Vec{1, 3, 1}, seen.Document.Meshes[0].Scale)
	assert.InDeltaSlice(t, []float64{2, 2, 2}, seen.Document.Meshes[1].Scale[:], 1e-6)
	assert.Empty(t, seen.Document.Meshes[0].Positions, "they go over the wire once, with the geometry")
	assert.Len(t, seen.Document.Geometries[0].Positions, 9)
	assert.Contains(t, s.ok("level", "import", file, "--into", "kites"), "1 changed")
	out := filepath.Join(t.TempDir(), "out.glb")
	s.ok("level", "export", "kites", "-o", out)
	s.ok("level", "import", out, "--name", "back")
	assert.Contains(t, s.ok("level", "show", "back"), "2 meshes (1 shared geometry)")
	wrong := filepath.Join(t.TempDir(), "wrong.json")
	require.NoError(t, os.WriteFile(wrong, []byte(`{"op":"set","id":"kite","fields":{"scale":[1,0,1]}}`), 0o600))
	_, errs, code := s.run("", "level", "edit", "kites", wrong)
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "scale")
}
