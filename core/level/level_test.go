package level_test

import (
	"encoding/json"
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/demo"
)

const small = `{"format":"grotta-level/1","name":"Shed",
 "materials":[{"id":"oak","color":"#806040"}],
 "solids":[{"id":"floor","size":[4,0.2,4],"surface":{"material":"oak"}}],
 "lights":[{"id":"bulb","strength":40,"transform":{"position":[0,2,0]}}]}`

func parse(t *testing.T, text string) *level.Level {
	t.Helper()
	l, _, err := level.Parse([]byte(text))
	require.NoError(t, err)
	return l
}

func encode(t *testing.T, v any) string {
	t.Helper()
	text, err := level.Encode(v)
	require.NoError(t, err)
	return string(text)
}

func TestWhatIsLeftOutHasItsDefault(t *testing.T) {
	l := parse(t, small)
	bulb := l.Light("bulb")
	assert.True(t, bulb.Enabled)
	assert.True(t, bulb.Shadows.Cast)
	assert.Equal(t, level.Point, bulb.Kind)
	assert.Equal(t, [4]float64{0, 0, 0, 1}, bulb.Transform.Rotation)
	assert.True(t, l.Solids[0].Surface.ReceivesLight)
	assert.Equal(t, 512, l.Lightmap.PageSize)
}

func TestReadingWhatWasWrittenGivesTheSame(t *testing.T) {
	for _, l := range []*level.Level{parse(t, small), demo.Saltmarsh(), demo.Room(), level.New("Empty")} {
		text := encode(t, l)
		again, unknown, err := level.Parse([]byte(text))
		require.NoError(t, err)
		assert.Empty(t, unknown)
		assert.Equal(t, text, encode(t, again))
	}
}

func TestUnknownFieldsAreKeptAndNamed(t *testing.T) {
	text := strings.Replace(small, `"strength":40`, `"strength":40,"shimmer":{"rate":3}`, 1)
	l, unknown, err := level.Parse([]byte(text))
	require.NoError(t, err)
	assert.Equal(t, []string{"/lights/0/shimmer"}, unknown)
	assert.Contains(t, encode(t, l), `"shimmer":{"rate":3}`)
	changed, _, err := l.Apply(level.Set("bulb", map[string]any{"strength": 50.0}))
	require.NoError(t, err)
	assert.Contains(t, encode(t, changed), `"shimmer":{"rate":3}`, "an edit keeps it too")
}

// Each fault names its place and what is allowed.
func TestWhatCannotBeIsRefused(t *testing.T) {
	swap := func(from, to string) string { return strings.Replace(small, from, to, 1) }
	for name, c := range map[string]struct{ text, want string }{
		"not JSON":            {`{"format":"grotta-level/1",`, "is not JSON"},
		"cut short":           {small[:len(small)/2], "is not JSON"},
		"a list":              {`[]`, "an object is needed"},
		"no format":           {`{"name":"x"}`, `/format is missing`},
		"newer format":        {swap("level/1", "level/2"), `/format is "grotta-level/2"; this Grotta reads "grotta-level/1"`},
		"doubled field":       {swap(`"name":"Shed"`, `"name":"Shed","name":"Shack"`), "duplicate"},
		"wrong type":          {swap(`"strength":40`, `"strength":"bright"`), "/lights/0/strength is text; a number is needed"},
		"negative":            {swap(`"strength":40`, `"strength":-1`), "/lights/0/strength is -1; allowed is 0 to 1e+09"},
		"huge number":         {swap(`"strength":40`, `"strength":1e999`), "/lights/0/strength"},
		"bad id":              {swap(`"id":"bulb"`, `"id":"Bulb 1"`), `/lights/0/id is "Bulb 1"; allowed are a-z`},
		"doubled id":          {swap(`"id":"bulb"`, `"id":"floor"`), `/lights/0/id is "floor", which one of the solids has already`},
		"dangling material":   {swap(`"material":"oak"`, `"material":"ash"`), `/solids/0/surface/material is "ash"`},
		"bad colour":          {swap(`#806040`, `brown`), "/materials/0/color"},
		"a slip deep within":  {swap(`"strength":40`, `"strength":40,"shadows":{"softnes":2}`), `/lights/0/shadows/softnes is no field here; did you mean "softness"? It has cast, softness`},
		"a slip in a list":    {swap(`"format":"grotta-level/1"`, `"format":"grotta-level/1","zones":[{"id":"z","boxes":[{"min":[0,0,0],"max":[1,1,1],"mid":[0,0,0]}]}]`), `/zones/0/boxes/0/mid is no field here; did you mean "min"? It has min, max`},
		"unknown kind":        {swap(`"strength":40`, `"kind":"neon"`), `/lights/0/kind is "neon"; allowed is point, spot, dome, directional, box, rect, tube`},
		"flat box":            {swap(`[4,0.2,4]`, `[4,0,4]`), "/solids/0/size/1 is 0"},
		"cone inside out":     {swap(`"strength":40`, `"kind":"spot","inner_deg":50,"outer_deg":20`), "/lights/0/inner_deg is 50; at most outer_deg, 20"},
		"two colours":         {swap(`"strength":40`, `"color":"#ffffff","kelvin":3000`), "/lights/0/kelvin stands beside a colour"},
		"own parent":          {swap(`"strength":40`, `"parent":"bulb"`), `leads back to "bulb"`},
		"page size":           {swap(`"name":"Shed"`, `"name":"Shed","lightmap":{"page_size":100}`), "/lightmap/page_size is 100; a multiple of 32"},
		"no unit quaternion":  {swap(`"position":[0,2,0]`, `"rotation":[0,0,0,2]`), "/lights/0/transform/rotation has length 2"},
		"open solid":          {swap(`"size":[4,0.2,4]`, `"planes":[{"normal":[1,0,0],"distance":1},{"normal":[0,1,0],"distance":1},{"normal":[0,0,1],"distance":1},{"normal":[-1,0,0],"distance":1}]`), "leave the solid open"},
		"inside-out solid":    {swap(`"size":[4,0.2,4]`, `"planes":[{"normal":[1,0,0],"distance":-1},{"normal":[-1,0,0],"distance":-1},{"normal":[0,1,0],"distance":-1},{"normal":[0,-1,0],"distance":-1}]`), "enclose no volume"},
		"vertex out of range": {swap(`"lights"`, `"meshes":[{"id":"m","positions":[0,0,0],"indices":[0,1,2]}],"lights"`), "/meshes/0/indices/1 is 1; the mesh has 1 vertices"},
		"linear, no range":    {swap(`"strength":40`, `"falloff":"linear"`), "/lights/0/range_m is 0; a linear falloff needs the range"},
		"empty custom":        {swap(`"strength":40`, `"falloff":"custom","falloff_terms":[0,0,0]`), "/lights/0/falloff_terms are all 0"},
		"rect with falloff":   {swap(`"strength":40`, `"kind":"rect","falloff":"smooth","range_m":5`), "/lights/0/falloff is \"smooth\"; a rect weakens as its size has it"},
		"gobo on a point":     {swap(`"strength":40`, `"gobo":{"image":"x"}`), "only a spot projects an image"},
		"gobo of nothing":     {swap(`"strength":40`, `"kind":"spot","gobo":{"image":""}`), "/lights/0/gobo/image is missing"},
		"gobo not there":      {swap(`"strength":40`, `"kind":"spot","gobo":{"image":"panes"}`), `/lights/0/gobo/image is "panes"`},
		"image not there":     {swap(`"color":"#806040"`, `"color":"#806040","image":"bark"`), `/materials/0/image is "bark"`},
		"sky without image":   {swap(`"name":"Shed"`, `"name":"Shed","environment":{"sky":{"kind":"image"}}`), "/environment/sky/image is missing"},
		"image that is none":  {swap(`"name":"Shed"`, `"name":"Shed","images":[{"id":"x","data":"aGVsbG8="}]`), "/images/0/data is no PNG, JPEG or Radiance HDR"},
		"sun of no such day":  {swap(`"name":"Shed"`, `"name":"Shed","environment":{"sun":{"place":{"at":"2026-02-30T12:00:00Z"}}}`), "/environment/sun/place/at"},
		"sun in words":        {swap(`"name":"Shed"`, `"name":"Shed","environment":{"sun":{"place":{"at":"noon"}}}`), "a time is written 2026-06-21T12:00:00Z"},
		"sun of two colours":  {swap(`"name":"Shed"`, `"name":"Shed","environment":{"moon":{"color":"#ffffff","kelvin":4000}}`), "/environment/moon/kelvin"},
		"too many probes":     {swap(`"name":"Shed"`, `"name":"Shed","probes":[{"id":"p","size":[100,10,100],"spacing_m":0.5}]`), "/probes/0/spacing_m gives 800000 probes; the most is 32768"},
		"odd uvs":             {swap(`"lights"`, `"meshes":[{"id":"m","positions":[0,0,0,1,0,0,0,1,0],"indices":[0,1,2],"uvs":[0,0,1]}],"lights"`), "/meshes/0/uvs has 3 numbers"},
		"shadow depth":        {swap(`"strength":40`, `"shadows":{"depth":1.5}`), "/lights/0/shadows/depth is 1.5; the most is 1"},
		"cone of nothing":     {swap(`"strength":40`, `"kind":"spot","inner_deg":0,"outer_deg":0`), "/lights/0/outer_deg is 0; more than 0 is needed"},
		"cone of 180":         {swap(`"strength":40`, `"kind":"spot","outer_deg":180`), "/lights/0/outer_deg is 180"},
		"too far away":        {swap(`[0,2,0]`, `[0,2e6,0]`), "/lights/0/transform/position/1"},
	} {
		_, _, err := level.Parse([]byte(c.text))
		var invalid *level.Invalid
		if assert.ErrorAs(t, err, &invalid, name) {
			assert.Contains(t, err.Error(), c.want, name)
		}
	}
}

func TestSizeLimitsHoldAtTheirEdge(t *testing.T) {
	l := level.New("Crowd")
	for i := range level.MaxEntities {
		l.Lights = append(l.Lights, level.NewLight(fmt.Sprintf("l%d", i), level.Point))
	}
	require.NoError(t, l.Validate())
	l.Lights = append(l.Lights, level.NewLight("last-straw", level.Point))
	assert.ErrorContains(t, l.Validate(), "/lights has 20001 entries; the most is 20000")
	_, _, err := level.Parse(make([]byte, level.MaxBytes+1))
	assert.ErrorContains(t, err, "the most is 67108864")
}

func TestNumbersThatAreNoneAreRefused(t *testing.T) {
	for _, x := range []float64{math.NaN(), math.Inf(1)} {
		l := parse(t, small)
		l.Lights[0].Strength = x
		assert.ErrorContains(t, l.Validate(), "/lights/0/strength")
		l = parse(t, small)
		l.Meshes = append(l.Meshes, &level.Mesh{Entity: level.Entity{ID: "m", Transform: level.Default[level.Transform]()}, Triangles: level.Triangles{Positions: []float64{0, x, 0}}})
		assert.ErrorContains(t, l.Validate(), "/meshes/0/positions/1")
	}
}

// Any run of edits, undone in the other order, leaves the level as it was.
func TestUndoTakesBackWhateverWasDone(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		l := demo.Saltmarsh()
		start, err := level.Encode(l)
		require.NoError(t, err)
		var inverses []level.Operation
		for range rapid.IntRange(1, 6).Draw(t, "edits") {
			next, inverse, err := l.Apply(drawOperation(t, l))
			require.NoError(t, err)
			// The inverse must also survive the wire.
			text, err := level.Encode(inverse)
			require.NoError(t, err)
			var back level.Operation
			require.NoError(t, level.Decode(text, &back))
			l, inverses = next, append(inverses, back)
		}
		for i := len(inverses) - 1; i >= 0; i-- {
			if l, _, err = l.Apply(inverses[i]); err != nil {
				t.Fatal(err)
			}
		}
		end, err := level.Encode(l)
		require.NoError(t, err)
		require.Equal(t, string(start), string(end))
	})
}

func drawOperation(t *rapid.T, l *level.Level) level.Operation {
	light := rapid.SampledFrom(l.Lights).Draw(t, "light").ID
	switch rapid.IntRange(0, 6).Draw(t, "kind") {
	case 0:
		return level.Set(light, map[string]any{"strength": rapid.Float64Range(0, 1000).Draw(t, "cd"), "shadows.cast": rapid.Bool().Draw(t, "cast")})
	case 1:
		return level.Set(light, map[string]any{"transform.position": []any{1.0, 2.0, 3.0}, "note": "moved"})
	case 2:
		return level.Set("", map[string]any{"look.exposure_ev": 3.0, "fog.haze.enabled": rapid.Bool().Draw(t, "haze")})
	case 3:
		return level.Remove(light)
	case 4:
		return level.Add("lights", level.NewLight(l.FreshID("extra"), level.Spot))
	case 5:
		// A material, zone or rig that others refer to: they must let go and get it back.
		return level.Remove(rapid.SampledFrom([]string{l.Materials[0].ID, l.Zones[0].ID, l.Rigs[0].ID}).Draw(t, "referred"))
	}
	return level.Batch("two", level.Set(light, map[string]any{"note": "a"}), level.Remove(light))
}

func TestOperationsThatCannotBe(t *testing.T) {
	l := parse(t, small)
	before := encode(t, l)
	for name, c := range map[string]struct {
		op   level.Operation
		want string
	}{
		"no such entity": {level.Set("lamp", map[string]any{"strength": 1}), `/id is "lamp"`},
		"no such field":  {level.Set("bulb", map[string]any{"strenth": 1}), `/fields/strenth is no field here; did you mean "strength"? It has name, `},
		"a far field":    {level.Set("bulb", map[string]any{"wattage": 1}), "/fields/wattage is no field here; it has name, "},
		"a near id":      {level.Remove("flour"), `the level has no such entity; did you mean "floor"?`},
		"through a leaf": {level.Set("bulb", map[string]any{"strength.x": 1}), "goes through"},
		"rename":         {level.Set("bulb", map[string]any{"id": "b"}), "an id stays as it is"},
		"a whole list":   {level.Set("", map[string]any{"lights": []any{}}), "is a list of entities"},
		"a bad value":    {level.Set("bulb", map[string]any{"strength": -1}), "allowed is 0 to"},
		"an id twice":    {level.Add("lights", level.NewLight("floor", level.Point)), "unique in a level"},
		"no such part":   {level.Operation{Op: "add", Part: "lamps"}, "/part"},
		"a half batch":   {level.Batch("", level.Set("bulb", map[string]any{"strength": 1}), level.Remove("x")), "/steps/1/id"},
		"no such op":     {level.Operation{Op: "rotate"}, "/op"},
	} {
		_, _, err := l.Apply(c.op)
		assert.ErrorContains(t, err, c.want, name)
	}
	assert.Equal(t, before, encode(t, l), "a refused operation changes nothing")
}

func TestNullPutsTheDefaultBack(t *testing.T) {
	l := parse(t, strings.Replace(small, `"strength":40`, `"strength":40,"range_m":7`, 1))
	next, _, err := l.Apply(level.Set("bulb", map[string]any{"range_m": nil, "strength": nil}))
	require.NoError(t, err)
	assert.Equal(t, 0.0, next.Light("bulb").RangeM)
	assert.Equal(t, 100.0, next.Light("bulb").Strength)
}

func TestParentsCarry(t *testing.T) {
	l := level.New("Boat")
	hull := level.NewLight("hull", level.Point)
	hull.Transform.Position = level.Vec{10, 0, 0}
	hull.Transform.Rotation = [4]float64{0, math.Sqrt2 / 2, 0, math.Sqrt2 / 2} // 90 degrees about +Y: +X goes to -Z
	lamp := level.NewLight("lamp", level.Spot)
	lamp.Parent, lamp.Transform.Position = "hull", level.Vec{1, 2, 0}
	l.Lights = []*level.Light{hull, lamp}
	require.NoError(t, l.Validate())
	pose := l.World().Pose(&lamp.Entity)
	assert.InDeltaSlice(t, []float64{10, 2, -1}, pose.Position[:], 1e-12)
	f := pose.Forward()
	assert.InDeltaSlice(t, []float64{-1, 0, 0}, f[:], 1e-12)

	apart, _, err := l.Apply(level.Remove("hull"))
	require.NoError(t, err)
	left := apart.World().Pose(&apart.Lights[0].Entity)
	assert.InDeltaSlice(t, pose.Position[:], left.Position[:], 1e-12, "what was carried stays where it stood")
}

func TestZonesHoldByPriorityThenSize(t *testing.T) {
	l := level.New("Rooms")
	box := func(r float64) []level.Box { return []level.Box{{Min: level.Vec{-r, -r, -r}, Max: level.Vec{r, r, r}}} }
	l.Zones = []*level.Zone{{ID: "yard", Boxes: box(10)}, {ID: "room", Boxes: box(3)}, {ID: "storm", Boxes: box(5), Priority: 2}}
	at := func(x float64) string {
		if z := l.ZoneAt(geom.Vec3{x, 0, 0}); z != nil {
			return z.ID
		}
		return ""
	}
	assert.Equal(t, []string{"storm", "yard", ""}, []string{at(0), at(7), at(11)})
	l.Zones[2].Priority = 0
	assert.Equal(t, "room", at(0))
}

func TestRigsKeyColourHoldsWhereALightHasNone(t *testing.T) {
	l := level.New("Rig")
	l.Rigs = []*level.Rig{{ID: "r", KeyColor: "#ff0000", KeyStrength: 2}}
	lamp := level.NewLight("lamp", level.Point)
	lamp.Rig = "r"
	l.Lights = []*level.Light{lamp}
	assert.Equal(t, color.Linear{200, 0, 0}, l.Radiant(lamp))
	lamp.Color = "#00ff00"
	assert.Equal(t, color.Linear{0, 200, 0}, l.Radiant(lamp))
	lamp.Enabled = false
	assert.Equal(t, color.Linear{}, l.Radiant(lamp))
}

func TestBoxFacesAreClosedAndFaceOutward(t *testing.T) {
	s := &level.Solid{Size: level.Vec{2, 4, 6}}
	var area float64
	for i, face := range s.FacePolygons() {
		require.Len(t, face, 4)
		n := face[1].Sub(face[0]).Cross(face[2].Sub(face[0])).Normalize()
		assert.InDelta(t, 1, n.Dot(s.FacePlanes()[i].Normal), 1e-12)
		area += 2 * geom.TriangleArea(face[0], face[1], face[2])
	}
	assert.InDelta(t, 2*(2*4+4*6+6*2), area, 1e-7)
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(small))
	f.Add([]byte(`{"format":"grotta-level/1","solids":[{"id":"a","planes":[{"normal":[0,0,0],"distance":0}]}]}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		l, _, err := level.Parse(text)
		if err != nil {
			return
		}
		again, err := level.Encode(l)
		require.NoError(t, err)
		require.True(t, json.Valid(again))
		_, _, err = level.Parse(again)
		require.NoError(t, err)
	})
}

// What is left out of new parts has its default, and what refers to an image lets
// go of it when it is removed; undo brings all of it back.
func TestImagesSunAndProbes(t *testing.T) {
	l := parse(t, strings.Replace(small, `"name":"Shed"`, `"name":"Shed","environment":{"sun":{"lux":900}},"probes":[{"id":"air"}]`, 1))
	require.NotNil(t, l.Environment.Sun)
	assert.Equal(t, 35.0, l.Environment.Sun.AltitudeDeg)
	assert.Equal(t, 1.0, l.Environment.Sun.Shadows.Depth)
	assert.Equal(t, level.Vec{4, 2, 4}, l.Probes[0].Size)
	assert.Nil(t, l.Environment.Moon)
	assert.Zero(t, l.Environment.Sky.Luminance, "a sky is dark until it is set")

	dot := []byte{0x89, 'P', 'N', 'G', 0xd, 0xa, 0x1a, 0xa, 0, 0, 0, 0xd, 'I', 'H', 'D', 'R', 0, 0, 0, 1, 0, 0, 0, 1, 8, 0, 0, 0, 0, 0x3a, 0x7e, 0x9b, 0x55,
		0, 0, 0, 0xa, 'I', 'D', 'A', 'T', 0x78, 0x9c, 0x63, 0x60, 0, 0, 0, 2, 0, 1, 0x48, 0xaf, 0xa4, 0x71, 0, 0, 0, 0, 'I', 'E', 'N', 'D', 0xae, 0x42, 0x60, 0x82}
	with, _, err := l.Apply(level.Batch("use an image",
		level.Add("images", &level.Image{ID: "dot", Data: dot, Credit: "me"}),
		level.Set("oak", map[string]any{"image": "dot"}),
		level.Set("bulb", map[string]any{"kind": "spot", "gobo.image": "dot"}),
		level.Set("", map[string]any{"environment.sky.kind": "image", "environment.sky.image": "dot"}),
	))
	require.NoError(t, err)
	require.NotNil(t, with.Image("dot").Picture())
	assert.Equal(t, 60.0, with.Light("bulb").Gobo.FovDeg, "a gobo has its defaults")

	without, back, err := with.Apply(level.Remove("dot"))
	require.NoError(t, err)
	assert.Empty(t, without.Materials[0].Image)
	assert.Nil(t, without.Light("bulb").Gobo)
	assert.Equal(t, level.SkySolid, without.Environment.Sky.Kind)
	again, _, err := without.Apply(back)
	require.NoError(t, err)
	assert.Equal(t, encode(t, with), encode(t, again))
	assert.Nil(t, l.Image("dot").Picture(), "an image that is not there shows nothing")
}

func TestPlacesHaveATime(t *testing.T) {
	for _, at := range []string{"2026-06-21T12:00:00Z", "2026-06-21T12:00Z"} {
		when, err := (&level.Place{At: at}).Time()
		require.NoError(t, err)
		assert.Equal(t, 12, when.Hour())
	}
}

// What is left out of a part that is there takes its default, whichever way it
// came in.
func TestAPartThatIsThereHasItsDefaults(t *testing.T) {
	l := level.New("Reeds")
	reed := level.Default[level.Mesh]()
	reed.ID, reed.Positions, reed.Indices = "reed", []float64{0, 0, 0, 1, 0, 0, 1, 1, 0}, []uint32{0, 1, 2}
	l.Meshes = append(l.Meshes, &reed)
	want := level.Default[level.Sway]()
	for _, fields := range []map[string]any{{"sways": map[string]any{}}, {"sways.reach_m": want.ReachM}} {
		next, _, err := l.Apply(level.Set("reed", fields))
		require.NoError(t, err)
		assert.Equal(t, &want, next.Meshes[0].Sways)
	}
	_, _, err := l.Apply(level.Set("reed", map[string]any{"sways": map[string]any{"period_s": 0}}))
	require.Error(t, err)
	assert.Contains(t, err.Error(), "period_s is 0; allowed is 0.1 to 600")
}

// A field that is not there is refused however deep it lies, and within an object
// that is set; what is there by an embedded part is found.
func TestUnknownFieldsOfEditsAreRefused(t *testing.T) {
	l := level.New("Names")
	lamp := level.NewLight("lamp", level.Spot)
	l.Lights = []*level.Light{lamp}
	for _, c := range []struct {
		id    string
		path  string
		value any
		want  string
	}{
		{"lamp", "foo", 1, "/fields/foo is no field here; it has name, enabled"},
		{"lamp", "shadows.foo", 1, "/fields/shadows/foo is no field here; it has cast, softness"},
		{"lamp", "shadows", map[string]any{"cast": true, "foo": 1}, "/fields/shadows/foo is no field here"},
		{"lamp", "flicker.speed", 1, "/fields/flicker/speed is no field here; it has pattern"},
		{"", "look.bloom.foo", 1, "/fields/look/bloom/foo is no field here"},
		{"", "environment.wind", map[string]any{"mps": 3}, "/fields/environment/wind/mps is no field here; it has from_deg, speed_mps"},
	} {
		_, _, err := l.Apply(level.Set(c.id, map[string]any{c.path: c.value}))
		require.Error(t, err, c.path)
		assert.Contains(t, err.Error(), c.want)
	}
	for path, value := range map[string]any{"transform.position": []any{1, 2, 3}, "shadows.near_m": 0.1, "flicker": map[string]any{"rate_hz": 3}, "kelvin": 2700, "name": nil} {
		_, _, err := l.Apply(level.Set("lamp", map[string]any{path: value}))
		require.NoError(t, err, path)
	}
}
