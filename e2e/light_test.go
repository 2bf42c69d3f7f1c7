package e2e

import (
	"bytes"
	bits "encoding/binary"
	"encoding/csv"
	"fmt"
	"image/png"
	"io"
	"math"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/client"
	"grotta/core/level"
	"grotta/core/picture"
	"grotta/e2e/harness"
)

// room is a level of maren's to light: the plain room.
func room(t *testing.T) (*client.Client, api.LevelInfo, *harness.Grotta) {
	t.Helper()
	g := start(t)
	maren := as(t, g, "maren")
	l, err := maren.CreateLevel(ctx, api.NewLevel{From: "room"})
	require.NoError(t, err)
	return maren, l, g
}

func apply(t *testing.T, c *client.Client, id string, op level.Operation) {
	t.Helper()
	_, err := c.Apply(ctx, id, op, 0)
	require.NoError(t, err)
}

// What changes in a closed room leaves the light of another alone: the plan says
// so, and the bake does.
func TestBakeKeepsWhatAChangeDoesNotReach(t *testing.T) {
	t.Parallel()
	g := start(t)
	c := as(t, g, "maren")
	l := level.New("Cellars")
	l.Lightmap.Density = 8
	box := func(id string, at, size level.Vec) {
		s := level.Default[level.Solid]()
		s.ID, s.Transform.Position, s.Size = id, at, size
		l.Solids = append(l.Solids, &s)
	}
	for i, x := range []float64{-3, 3} { // two cellars of 2 m, walled all round
		for axis := range 3 {
			for j, side := range []float64{-1.1, 1.1} {
				at, size := level.Vec{x, 0, 0}, level.Vec{2.4, 2.4, 2.4}
				at[axis] += side
				size[axis] = 0.2
				box(fmt.Sprintf("wall-%d%d%d", i, axis, j), at, size)
			}
		}
		box(fmt.Sprintf("crate-%d", i), level.Vec{x, -0.8, 0.3}, level.Vec{0.4, 0.4, 0.4})
		lamp := level.NewLight(fmt.Sprintf("lamp-%d", i), level.Point)
		lamp.Strength, lamp.Transform.Position = 20, level.Vec{x, 0.6, 0}
		l.Lights = append(l.Lights, lamp)
	}
	text, err := level.Encode(l)
	require.NoError(t, err)
	in, err := c.ImportLevel(ctx, text, api.ImportOptions{})
	require.NoError(t, err)
	id := in.Level.ID
	_, err = harness.BakeAndWait(ctx, c, id, "good")
	require.NoError(t, err)

	apply(t, c, id, level.Set("crate-1", map[string]any{"transform.position": []float64{3, -0.8, -0.4}}))
	plan, err := c.PlanBake(ctx, id, "good")
	require.NoError(t, err)
	stale, kept := map[string][]string{}, map[string]float64{}
	for _, s := range plan.Stale {
		stale[s.ID] = s.Why
	}
	for _, k := range plan.Kept {
		kept[k.ID] = k.Share
	}
	assert.Equal(t, []string{"crate-1 moved or reshaped"}, stale["lamp-1"])
	assert.NotContains(t, stale, "lamp-0")
	assert.Contains(t, kept, "lamp-0")
	assert.Less(t, kept["lamp-0"], 3.1e-4)
	sh := newShell(t, g.URL)
	_, _, code := sh.run(harness.Password+"\n", "login", "maren", "--password-stdin")
	require.Zero(t, code)
	assert.Contains(t, sh.ok("bake", id, "--explain"), "stay, because almost no light of theirs reaches what changed: lamp-0")
	final, err := c.PlanBake(ctx, id, "final")
	require.NoError(t, err)
	assert.Empty(t, final.Kept, "at final quality everything is baked again")

	was, err := c.Lightmap(ctx, id, true)
	require.NoError(t, err)
	done, err := harness.BakeAndWait(ctx, c, id, "good")
	require.NoError(t, err)
	assert.Equal(t, len(kept), done.Reused)
	now, err := c.Lightmap(ctx, id, true)
	require.NoError(t, err)
	assert.Zero(t, now.Stale)
	assert.NotEqual(t, was.Hash, now.Hash)
}

// A bake says beforehand what it will make and why; afterwards nothing is left.
func TestBakePlanTellsWhy(t *testing.T) {
	t.Parallel()
	c, l, _ := room(t)
	plan, err := c.PlanBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	require.Len(t, plan.Stale, plan.Layers)
	assert.Equal(t, []string{"never baked"}, plan.Stale[0].Why)
	_, err = harness.BakeAndWait(ctx, c, l.ID, "draft")
	require.NoError(t, err)
	plan, err = c.PlanBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	assert.Empty(t, plan.Stale)

	apply(t, c, l.ID, setStrength("lamp", 12))
	plan, err = c.PlanBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	assert.Empty(t, plan.Stale, "strength is a mix")
	apply(t, c, l.ID, level.Set("lamp", map[string]any{"transform.position": []float64{1, 2, 0}}))
	plan, err = c.PlanBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	require.Len(t, plan.Stale, 1)
	assert.Equal(t, "lamp", plan.Stale[0].ID)
	assert.Equal(t, []string{"moved"}, plan.Stale[0].Why)
	apply(t, c, l.ID, level.Set("crate", map[string]any{"transform.position": []float64{1, 0.4, 0}}))
	plan, err = c.PlanBake(ctx, l.ID, "draft")
	require.NoError(t, err)
	assert.Contains(t, plan.Stale[0].Why, "crate moved or reshaped")
	require.Len(t, plan.Kept, 1, "the level's ambient does not hold where the crate is")
	assert.Equal(t, "ambient:level", plan.Kept[0].ID)
	assert.Len(t, plan.Stale, plan.Layers-1)
}

// A plan of densities is an operation like any other: it is applied, and undone.
func TestDensityPlanIsAppliedAndUndone(t *testing.T) {
	t.Parallel()
	c, l, _ := room(t)
	_, err := harness.BakeAndWait(ctx, c, l.ID, "good")
	require.NoError(t, err)
	before, err := c.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	plan, err := c.PlanDensity(ctx, l.ID, api.Budget{Texels: 6000})
	require.NoError(t, err)
	require.NotNil(t, plan.Operation)
	assert.LessOrEqual(t, plan.After.Texels, 6000)
	assert.Less(t, plan.After.Error, plan.Uniform.Error)
	apply(t, c, l.ID, *plan.Operation)
	after, err := c.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	assert.Less(t, after.Texels, before.Texels)
	_, err = c.Undo(ctx, l.ID)
	require.NoError(t, err)
	back, err := c.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	assert.Equal(t, before.Texels, back.Texels)
	assert.Zero(t, back.Stale, "its layers are there still")

	_, err = c.PlanDensity(ctx, l.ID, api.Budget{})
	p := problem(t, err, 422, "invalid")
	assert.Equal(t, "/texels", p.Faults[0].Path)
}

// Contact sheets are pictures of the size that was asked for, and a day's sun moves.
func TestSheets(t *testing.T) {
	t.Parallel()
	c, l, _ := room(t)
	_, _, err := c.Sheet(ctx, l.ID, api.NewSheet{Kind: "lights", Variant: api.Variant{NoBake: true}})
	problem(t, err, 409, "conflict")
	_, light, err := c.Sheet(ctx, l.ID, api.NewSheet{Kind: "lights", Width: 16, Height: 16})
	require.NoError(t, err)
	assert.Positive(t, light.Drafted, "what has no light gets a draft first")
	_, err = harness.BakeAndWait(ctx, c, l.ID, "draft")
	require.NoError(t, err)
	for _, s := range []api.NewSheet{
		{Kind: "views", Width: 64, Height: 40},
		{Kind: "lights", Width: 64, Height: 40},
		{Kind: "day", Width: 64, Height: 40, Columns: 2, Times: []string{"09:00", "15:00", "2026-12-21T12:00Z"}},
	} {
		data, _, err := c.Sheet(ctx, l.ID, s)
		require.NoError(t, err, s.Kind)
		img, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		columns := 1
		if s.Kind == "day" {
			columns = 2
		}
		assert.Equal(t, columns*70+6, img.Bounds().Dx(), s.Kind)
	}
	_, _, err = c.Sheet(ctx, l.ID, api.NewSheet{Kind: "day", Times: []string{"noonish"}})
	p := problem(t, err, 422, "invalid")
	assert.Contains(t, p.Faults[0].Message, "noonish")
}

func TestProbesByTheService(t *testing.T) {
	t.Parallel()
	c, l, g := room(t)
	got, err := c.Probes(ctx, l.ID, "")
	require.NoError(t, err)
	assert.Empty(t, got.Grids)
	apply(t, c, l.ID, level.Operation{Op: level.OpAdd, Part: "probes", Entity: map[string]any{
		"id": "air", "size": []float64{4, 2, 3}, "spacing_m": 1, "transform": map[string]any{"position": []float64{0, 1.4, 0}},
	}})
	got, err = c.Probes(ctx, l.ID, "0.2,1.3,0.1")
	require.NoError(t, err)
	require.Len(t, got.Grids, 1)
	assert.Equal(t, [3]int{4, 2, 3}, got.Grids[0].Count)
	assert.Equal(t, "air", got.ServedBy)
	sum := 0.0
	for _, s := range got.Serving {
		sum += s.Weight
	}
	assert.InDelta(t, 1, sum, 1e-9)
	bright := 0
	for i := range got.Grids[0].Probes {
		if got.Grids[0].Probes[i].SH[0][1] > 0 {
			bright++
		}
	}
	assert.Greater(t, bright, 15)
	_, err = as(t, g, "ivo").Probes(ctx, l.ID, "")
	problem(t, err, 404, "not-found")
}

// The sky that the console draws is the sky of the core.
func TestSkyByTheService(t *testing.T) {
	t.Parallel()
	c, l, g := room(t)
	apply(t, c, l.ID, level.Set("", map[string]any{"environment.sky.kind": "overcast", "environment.sky.color": "#ffffff", "environment.sky.luminance": 500}))
	req, err := http.NewRequest("GET", g.URL+"/api/v1/levels/"+l.ID+"/sky", nil)
	require.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+c.Token)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	data, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	width, height := int(bits.LittleEndian.Uint32(data)), int(bits.LittleEndian.Uint32(data[4:]))
	require.Len(t, data, 8+width*height*8)
	half := func(row int) uint16 { return bits.LittleEndian.Uint16(data[8+row*width*8:]) }
	assert.Equal(t, uint16(0x3c00), half(0), "1 at the zenith")
	assert.InDelta(t, 0x3555, half(height/2-1), 24, "a third at the horizon")
}

// Every kind of light is baked, seen and asked through the service.
func TestEveryKindOfLight(t *testing.T) {
	t.Parallel()
	c, l, _ := room(t)
	apply(t, c, l.ID, level.Set("lamp", map[string]any{"enabled": false}))
	for _, kind := range []string{"point", "spot", "dome", "directional", "box", "rect", "tube"} {
		apply(t, c, l.ID, level.Operation{Op: level.OpAdd, Part: "lights", Entity: map[string]any{
			"id": "try-" + kind, "kind": kind, "strength": 200,
			"transform": map[string]any{"position": []float64{0, 2.5, 0}, "rotation": []float64{-math.Sqrt2 / 2, 0, 0, math.Sqrt2 / 2}},
		}})
	}
	b, err := harness.BakeAndWait(ctx, c, l.ID, "draft")
	require.NoError(t, err)
	assert.Equal(t, "done", b.State)
	book, err := c.Ledger(ctx, l.ID, "0.2,0,0.1", "0,1,0")
	require.NoError(t, err)
	lux := map[string]float64{}
	for _, s := range book.Sources {
		lux[s.ID] = s.Direct.Luminance
	}
	for _, kind := range []string{"point", "spot", "dome", "box", "rect", "tube"} {
		assert.Positive(t, lux["try-"+kind], kind)
	}
	assert.Zero(t, lux["try-directional"], "the roof is in the way")
}

func TestLightByCommandLine(t *testing.T) {
	t.Parallel()
	s, g := signedIn(t)
	s.ok("level", "create", "Room", "--from", "room")

	// Where the sun stands, against an independent table.
	f, err := os.Open("../core/solar/testdata/sun_positions.csv")
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	for _, row := range rows[1:6] {
		got := decode[map[string]any](t, s.ok("sun", "--latitude="+row[0], "--longitude="+row[1], "--at", row[2], "--json"))
		want, err := strconv.ParseFloat(row[4], 64)
		require.NoError(t, err)
		assert.InDelta(t, want, got["altitude_deg"], 0.1)
	}
	_, errOut, code := s.run("", "sun", "--at", "yesterday")
	assert.Equal(t, 2, code)
	assert.Contains(t, errOut, "yesterday")
	_, errOut, code = s.run("", "sun", "Room")
	assert.Equal(t, 2, code)
	assert.Contains(t, errOut, "say where")

	// The sun through the door: it strikes the spot, and the ledger says so.
	s.ok("sun", "Room", "--strike", "0,0,0.9", "--from", "0,1.6,2.1", "--lux", "5000")
	book := decode[api.Ledger](t, s.ok("ledger", "Room", "--point", "0,0,0.9", "--json"))
	sun := entryOf(t, book, "sun")
	assert.InEpsilon(t, 5000*1.6/math.Hypot(1.6, 1.2), sun.Direct.Luminance, 0.02)
	s.ok("level", "undo", "Room")

	s.ok("bake", "Room", "--quality", "draft")
	assert.Contains(t, s.ok("bake", "Room", "--quality", "draft", "--explain"), "0 of 5 layers")
	assert.Contains(t, s.ok("bake", "Room", "--explain"), "64 texels held against path tracing")
	measured := decode[struct {
		State    string       `json:"state"`
		Accuracy api.Accuracy `json:"accuracy"`
	}](t, s.ok("bake", "Room", "--quality", "draft", "--measure", "--json"))
	assert.Equal(t, "done", measured.State)
	assert.Equal(t, "draft", measured.Accuracy.Quality)
	assert.Positive(t, measured.Accuracy.MedianLux)
	assert.Less(t, measured.Accuracy.RMS, 0.2)
	s.ok("light", "set", "Room", "lamp", "flicker.pattern=pulse", "flicker.rate_hz=1", "flicker.depth=1")
	shots := map[string][]byte{}
	for _, at := range []string{"1", "1.5"} {
		file := filepath.Join(s.dir, at+".png")
		s.ok("shot", "Room", "--size", "64x40", "--time", at, "-o", file)
		shots[at], err = os.ReadFile(file)
		require.NoError(t, err)
	}
	assert.NotEqual(t, shots["1"], shots["1.5"], "half a beat later it is dark")
	s.ok("shot", "Room", "--size", "64x40", "--meter", "-o", filepath.Join(s.dir, "m.png"))

	plan := decode[api.Plan](t, s.ok("density", "Room", "--texels", "5000", "--steps", "2,4,8,16", "--json"))
	for _, c := range plan.Surfaces {
		assert.Contains(t, []float64{2, 4, 8, 16}, c.After)
	}
	assert.Contains(t, s.ok("density", "Room", "--texels", "5000", "--apply"), "Plan texels")
	assert.Contains(t, s.ok("probes", "Room"), "no probe grids")
	assert.Contains(t, s.ok("probes", "Room", "--auto", "--spacing", "1.5", "--point", "0,1,0"), "served by probes-room")
	file := filepath.Join(s.dir, "mirror.hdr")
	s.ok("reflection", "Room", "reflection-room", "-o", file)
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	cube, err := picture.Decode(data)
	require.NoError(t, err)
	assert.Equal(t, 6*64, cube.Width)
	assert.Positive(t, cube.Mean().Luminance())
	_, errOut, code = s.run("", "reflection", "Room", "nothing")
	assert.Equal(t, 1, code)
	assert.Contains(t, errOut, `no reflection "nothing"`)
	s.ok("sheet", "Room", "--kind", "day", "--time", "10:00,16:00", "--size", "64x40", "-o", filepath.Join(s.dir, "day.png"))

	// Old layers go by command; what the newest bakes use stays.
	for i := range 7 {
		s.ok("light", "set", "Room", "lamp", fmt.Sprintf("transform.position=[%g,2.2,0]", float64(i)/10))
		s.ok("bake", "Room", "--quality", "draft")
	}
	cleaned := decode[api.Cleaned](t, s.ok("clean", "--data", g.Data, "--json"))
	assert.Positive(t, cleaned.Layers)
	assert.Positive(t, cleaned.Bytes)
	assert.Zero(t, decode[api.Cleaned](t, s.ok("clean", "--data", g.Data, "--json")).Layers, "once is enough")
	again := decode[api.Bake](t, s.ok("bake", "Room", "--quality", "draft", "--json"))
	assert.Equal(t, again.Layers, again.Reused, "nothing that is in use was deleted")
}

func entryOf(t *testing.T, b api.Ledger, id string) api.Contribution {
	t.Helper()
	for _, s := range b.Sources {
		if s.ID == id {
			return s
		}
	}
	t.Fatalf("the ledger has no %q", id)
	return api.Contribution{}
}

// Many layers come in one answer, the same as one by one; what is not of the level is left out.
func TestManyLayersAtOnce(t *testing.T) {
	t.Parallel()
	maren, l, g := room(t)
	_, err := harness.BakeAndWait(ctx, maren, l.ID, "draft")
	require.NoError(t, err)
	m, err := maren.Lightmap(ctx, l.ID, false)
	require.NoError(t, err)
	var want []api.LayerOf
	for _, s := range m.Sources {
		want = append(want, api.LayerOf{Source: s.ID, Key: s.Layer})
	}
	require.NotEmpty(t, want)
	want = append(want, api.LayerOf{Source: want[0].Source, Key: strings.Repeat("0", 64)}, api.LayerOf{Source: "nobody", Key: want[0].Key})
	head, light, err := maren.Layers(ctx, l.ID, want)
	require.NoError(t, err)
	assert.Empty(t, head.Later)
	require.Len(t, head.Layers, len(m.Sources))
	for i, part := range head.Layers {
		assert.Equal(t, want[i], api.LayerOf{Source: part.Source, Key: part.Key})
		r, err := http.NewRequestWithContext(ctx, http.MethodGet, g.URL+"/api/v1/levels/"+l.ID+"/layers/"+part.Key, nil)
		require.NoError(t, err)
		r.Header.Set("Authorization", "Bearer "+maren.Token)
		answer, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		one, err := io.ReadAll(answer.Body)
		require.NoError(t, err)
		require.NoError(t, answer.Body.Close())
		assert.Equal(t, one, light[:part.Bytes])
		light = light[part.Bytes:]
	}
	assert.Empty(t, light)
	_, _, err = as(t, g, "ivo").Layers(ctx, l.ID, want)
	assert.Equal(t, 404, problemOf(t, err, "a stranger").Status)
}
