package handover_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/handover"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

func parse(t *testing.T, text string) *handover.File {
	t.Helper()
	f, err := handover.Parse([]byte(text))
	require.NoError(t, err)
	return f
}

// oneOfEach is a level with one of each thing that a hand-over can write.
func oneOfEach() *level.Level {
	l := level.New("One of each")
	spot := level.NewLight("flood", level.Spot)
	spot.Name, spot.Strength, spot.Color, spot.RangeM = "Spot", 100, "#ff8000", 12
	spot.InnerDeg, spot.OuterDeg = 20, 30
	spot.Transform.Position = level.Vec{1, 2, 3}
	spot.Transform.Rotation = rotation(geom.Vec3{1, 0, 0}) // east
	point := level.NewLight("point", level.Point)
	point.Strength, point.Enabled = 50, false
	l.Lights = append(l.Lights, spot, point)
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux = 90, 30, 1000
	l.Environment.Sun = &sun
	return l
}

func rotation(forward geom.Vec3) [4]float64 {
	q := geom.LookRotation(forward)
	return [4]float64{q.V[0], q.V[1], q.V[2], q.W}
}

const feet = `format: grotta-handover/1
name: feet
title: Feet
space: {unit_m: 0.3048, axes: [x, -z, y]}
text: {shape: sections, begin: "[<class>]", pair: "<name> = <value>", decimals: 6}
rules:
  - of: spot
    class: flood
    fields:
      - {name: key, from: id}
      - {name: at, from: position}
      - {name: heading, from: azimuth, times: -1, plus: 90, wrap: 360}
      - {name: tilt, from: altitude, times: -1}
      - {name: cone, from: outer_deg, times: 2}
      - {name: lm, from: strength, unit: lumens}
      - {name: rgb, from: color}
  - of: sun
    class: sun
    fields:
      - {name: heading, from: azimuth, times: -1, plus: 90, wrap: 360}
      - {name: height, from: altitude}
      - {name: way, from: direction}
      - {name: lux, from: strength}
`

// The numbers are worked out by hand: feet, north as the second axis, heading from the east against
// the clock, and the lumens of a cone that fades between 20 and 30 degrees by the square of the
// share of cosines: 2π·100·((1 - cos 20°) + (cos 20° - cos 30°)/3).
func TestWrittenInTheTargetsTerms(t *testing.T) {
	got, err := handover.Write(oneOfEach(), parse(t, feet), nil)
	require.NoError(t, err)
	lumens := 2 * math.Pi * 100 * ((1 - math.Cos(20*math.Pi/180)) + (math.Cos(20*math.Pi/180)-math.Cos(30*math.Pi/180))/3)
	assert.Equal(t, fmt.Sprintf(`[sun]
heading = 0
height = 30
way = -0.866025 0 -0.5
lux = 1000

[flood]
key = flood
at = 3.28084 -9.84252 6.56168
heading = 0
tilt = 0
cone = 60
lm = %s
rgb = 255 128 0
`, strconv.FormatFloat(math.Round(lumens*1e6)/1e6, 'f', -1, 64)), string(got.Text))
	assert.Equal(t, "right", parse(t, feet).Space.Handed())
	text := strings.Join(got.Left, "\n")
	assert.Contains(t, text, "1 point light, for which Feet has no rule")
	assert.Contains(t, text, "name: Spot (Spot)")
	assert.Contains(t, text, "range_m: Spot (12)")
	assert.Contains(t, text, "inner_deg: Spot (20)", "the core of the cone is not said")
}

// A light that is off must not shine in a target that cannot say so.
func TestOffLightsAreLeftOutWhereTheTargetCannotSayIt(t *testing.T) {
	text := strings.Replace(feet, "of: spot", "of: point", 1)
	text = strings.Replace(text, "      - {name: cone, from: outer_deg, times: 2}\n", "", 1)
	got, err := handover.Write(oneOfEach(), parse(t, text), nil)
	require.NoError(t, err)
	assert.NotContains(t, string(got.Text), "key = point")
	assert.Contains(t, strings.Join(got.Left, "\n"), "point: it is off, and Feet has no way to say so")
}

// Values that come back as they went are not touched; those that the editor changed are taken.
func TestOnlyWhatTheEditorChangedIsTaken(t *testing.T) {
	l, f := oneOfEach(), parse(t, feet)
	written, err := handover.Write(l, f, nil)
	require.NoError(t, err)
	back, err := handover.Read(written.Text, f, l)
	require.NoError(t, err)
	assert.Empty(t, back.Operation.Steps)
	assert.Equal(t, 2, back.Same)

	text := strings.NewReplacer("tilt = 0", "tilt = 45", "255 128 0", "255 0 0", "heading = 0\nheight", "heading = 90\nheight").Replace(string(written.Text))
	text += "\n[flood]\nkey = other\nat = 0 10 0\nheading = 90\ntilt = 0\ncone = 40\nlm = 10\nrgb = 0 0 255\n\n[tree]\nkey = oak\n"
	back, err = handover.Read([]byte(text), f, l)
	require.NoError(t, err)
	assert.Equal(t, []string{"other"}, back.Added)
	assert.Equal(t, []string{"1 of the class tree, for which Feet has no rule"}, back.Passed)
	next, _, err := l.Apply(back.Operation)
	require.NoError(t, err)
	spot := next.Light("flood")
	world := next.World()
	assert.InDelta(t, -math.Sqrt2/2, world.Pose(&spot.Entity).Forward()[1], 1e-6, "45 degrees down")
	assert.Equal(t, "#ff0000", spot.Color)
	assert.Equal(t, 100.0, spot.Strength, "was not changed, so is exact")
	assert.Equal(t, level.Vec{1, 2, 3}, spot.Transform.Position)
	assert.InDelta(t, 0, math.Mod(next.Environment.Sun.AzimuthDeg+360, 360), 1e-6, "north")
	other := next.Light("other")
	require.NotNil(t, other)
	assert.InDelta(t, -3.048, other.Transform.Position[2], 1e-9)
	assert.InDelta(t, -1, facing(next, other)[2], 1e-6, "heading 90 from the east is north")
	assert.InDelta(t, 20, other.OuterDeg, 1e-9)
	assert.InDelta(t, 10, other.Lumens(), 1e-6)
}

func facing(l *level.Level, light *level.Light) geom.Vec3 {
	return l.World().Pose(&light.Entity).Forward()
}

func TestOnlyWhatIsAskedForIsWritten(t *testing.T) {
	f := parse(t, feet)
	got, err := handover.Write(oneOfEach(), f, []string{"sun"})
	require.NoError(t, err)
	assert.Equal(t, 1, got.Things)
	assert.Contains(t, string(got.Text), "[sun]")
	_, err = handover.Write(oneOfEach(), f, []string{"flood", "moon"})
	assert.ErrorContains(t, err, `nothing that a hand-over writes has the id "moon"`)
}

// A text that says only some values changes only these, also of a place in parts.
func TestWhatATextDoesNotSayStays(t *testing.T) {
	const parts = `format: grotta-handover/1
name: parts
title: Parts
space: {unit_m: 1, axes: [x, y, z]}
text: {shape: csv, class: what, decimals: 6}
rules:
  - of: spot
    class: spot
    fields: [{name: id, from: id}, {name: x, from: position, part: x}, {name: y, from: position, part: y}, {name: z, from: position, part: z},
      {name: turn, from: azimuth}, {name: tilt, from: altitude}, {name: reach, from: range_m}, {name: on, from: enabled}, {name: cd, from: strength}]
`
	l := oneOfEach()
	back, err := handover.Read([]byte("what,id,y,tilt\nspot,flood,7,-30\n"), parse(t, parts), l)
	require.NoError(t, err)
	assert.Equal(t, []string{"Spot: transform.position, transform.rotation"}, back.Changed)
	next, _, err := l.Apply(back.Operation)
	require.NoError(t, err)
	light := next.Light("flood")
	assert.InDeltaSlice(t, []float64{1, 7, 3}, light.Transform.Position[:], 1e-6)
	assert.InDeltaSlice(t, []float64{math.Sqrt(3) / 2, -0.5, 0}, facingOf(next, light), 1e-6, "still east, and down by 30 degrees")
	assert.Equal(t, 12.0, light.RangeM)
	assert.Equal(t, 100.0, light.Strength)
}

func facingOf(l *level.Level, light *level.Light) []float64 {
	f := facing(l, light)
	return f[:]
}

// A light of which the editor has made another kind stays that light.
func TestAnotherKindOfALight(t *testing.T) {
	f := parse(t, strings.Replace(feet, "rules:", "rules:\n  - of: point\n    class: lamp\n    fields: [{name: key, from: id}, {name: at, from: position}, {name: lm, from: strength, unit: lumens}]", 1))
	l := oneOfEach()
	back, err := handover.Read([]byte("[lamp]\nkey = flood\nat = 10 0 0\nlm = 1256.637\n"), f, l)
	require.NoError(t, err)
	assert.Empty(t, back.Added)
	next, _, err := l.Apply(back.Operation)
	require.NoError(t, err)
	require.Len(t, next.Lights, 2)
	light := next.Light("flood")
	assert.Equal(t, level.Point, light.Kind)
	assert.InDelta(t, 100, light.Strength, 1e-3)
	assert.InDelta(t, 3.048, light.Transform.Position[0], 1e-9)
	assert.Equal(t, 12.0, light.RangeM, "what the text does not say stays")
}

// A copy in the editor, with the id of the first, becomes a light of its own.
func TestACopyBecomesANewLight(t *testing.T) {
	l, f := oneOfEach(), parse(t, feet)
	written, err := handover.Write(l, f, []string{"flood"})
	require.NoError(t, err)
	twice := string(written.Text) + "\n" + strings.Replace(string(written.Text), "at = 3.28084", "at = 9", 1)
	back, err := handover.Read([]byte(twice), f, l)
	require.NoError(t, err)
	assert.Equal(t, 1, back.Same)
	assert.Len(t, back.Added, 1)
	next, _, err := l.Apply(back.Operation)
	require.NoError(t, err)
	assert.Len(t, next.Lights, 3)
}

// A light of another law of falloff is as bright at the distance that the file says.
func TestFalloffIsMatchedAtADistance(t *testing.T) {
	const tiles = `format: grotta-handover/1
name: tiles
title: Tiles
space: {unit_m: 0.5, axes: [x, y, z]}
text: {shape: csv, class: what, decimals: 8}
rules:
  - of: point
    class: lamp
    falloff: {law: linear, match_m: 2, range_m: 10}
    fields: [{name: id, from: id}, {name: power, from: strength}, {name: tiles, from: range_m}]
`
	l := level.New("l")
	lamp := level.NewLight("lamp", level.Point)
	lamp.Strength = 60
	l.Lights = append(l.Lights, lamp)
	got, err := handover.Write(l, parse(t, tiles), nil)
	require.NoError(t, err)
	// 60 cd at 2 m is 15 lx; linear to 10 m there is 0.8 of the strength, so 18.75.
	assert.Equal(t, "what,id,power,tiles\nlamp,lamp,18.75,20\n", string(got.Text))
	assert.Contains(t, strings.Join(got.Notes, "\n"), "inverse_square becomes linear, as bright at 2 m")
	back, err := handover.Read([]byte("what,id,power,tiles\nlamp,lamp,37.5,20\n"), parse(t, tiles), l)
	require.NoError(t, err)
	next, _, err := l.Apply(back.Operation)
	require.NoError(t, err)
	assert.InDelta(t, 120, next.Lights[0].Strength, 1e-9, "twice as bright there is twice as bright here")
	assert.Equal(t, level.InverseSquare, next.Lights[0].Falloff)
}

// Every setting of a field runs in both directions: what is written of a random light by a random
// rule is, read into an empty level, that light again; and is written as the same text.
func TestEveryRuleRunsInBothDirections(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	for round := range 400 {
		f := randomFile(r)
		require.NoError(t, f.Validate(), "round %d", round)
		l := level.New("l")
		light := randomLight(r, f.Rules[0].Of)
		l.Lights = append(l.Lights, light)
		written, err := handover.Write(l, f, nil)
		require.NoError(t, err)
		back, err := handover.Read(written.Text, f, level.New("empty"))
		require.NoError(t, err, "%s", written.Text)
		next, _, err := level.New("empty").Apply(back.Operation)
		require.NoError(t, err, "%s", written.Text)
		require.Len(t, next.Lights, 1)
		got := next.Lights[0]
		where := fmt.Sprintf("round %d, %s:\n%s", round, f.Text.Shape, written.Text)
		for i := range 3 {
			require.InDelta(t, light.Transform.Position[i], got.Transform.Position[i], 1e-4, where)
		}
		require.Less(t, facing(l, light).Sub(facing(next, got)).Len(), 2e-4, where)
		require.InEpsilon(t, light.Strength, got.Strength, 1e-3, where)
		want, err := color.ParseHex(light.Color)
		require.NoError(t, err)
		have := next.Color(got)
		for i := range 3 {
			require.InDelta(t, color.EncodeSRGB(want[i]), color.EncodeSRGB(have[i]), 1.01/255, where)
		}
		require.InDelta(t, light.RangeM, got.RangeM, 1e-3, where)
		require.Equal(t, light.Enabled, got.Enabled, where)
		require.Equal(t, light.Shadows.Cast, got.Shadows.Cast, where)
		require.Equal(t, light.Name, got.Name, where)
		require.Equal(t, light.Bake, got.Bake, where)
		again, err := handover.Write(next, f, nil)
		require.NoError(t, err)
		sameText(t, string(written.Text), string(again.Text), where)
	}
}

// sameText compares texts whose numbers may differ in the last digit that is written.
func sameText(t *testing.T, want, have, where string) {
	t.Helper()
	split := func(text string) []string {
		return strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" ,;|=:\"[]{}\n", r) })
	}
	a, b := split(want), split(have)
	require.Len(t, b, len(a), where)
	for i := range a {
		x, err := strconv.ParseFloat(a[i], 64)
		y, err2 := strconv.ParseFloat(b[i], 64)
		if err == nil && err2 == nil {
			require.InDelta(t, x, y, 2e-7*max(1, math.Abs(x)), where)
		} else {
			require.Equal(t, a[i], b[i], where)
		}
	}
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// randomFile has a field for each value of a light, written in a random way.
func randomFile(r *rand.Rand) *handover.File {
	number := func(name, from string) handover.Field {
		return handover.Field{Name: name, From: from, Times: pick(r, 1.0, -1, 0.01, 2.5), Plus: pick(r, 0.0, 90, -7), Join: " "}
	}
	turn := func(name, from string) handover.Field {
		f := number(name, from)
		f.Times, f.Unit = pick(r, 1.0, -1), pick(r, "", "degrees", "radians", "turns")
		if from == "azimuth" {
			f.Plus = pick(r, 0.0, 90) * map[string]float64{"": 1, "degrees": 1, "radians": math.Pi / 180, "turns": 1.0 / 360}[f.Unit]
			f.Wrap = pick(r, 0.0, map[string]float64{"": 360, "degrees": 360, "radians": 2 * math.Pi, "turns": 1}[f.Unit])
		}
		return f
	}
	plain := func(name, from string) handover.Field {
		return handover.Field{Name: name, From: from, Times: 1, Join: " "}
	}
	f := level.Default[handover.File]()
	f.Format, f.Name, f.Title = handover.Format, "random", "Random"
	f.Space.UnitM = pick(r, 1, 0.01, 0.3048, 2)
	f.Space.Axes = pick(r, []string{"x", "y", "z"}, []string{"x", "-z", "y"}, []string{"-z", "x", "y"}, []string{"x", "y", "-z"}, []string{"-y", "-x", "z"})
	f.Text.Shape, f.Text.Decimals, f.Text.Class = pick(r, "sections", "json", "csv"), 7, "what"
	f.Text.Begin, f.Text.Pair = "[<class>]", pick(r, "<name> = <value>", "<name>: <value>;", "\"<name>\" \"<value>\"")
	f.Text.Quote = "none"
	if f.Text.Pair == "<name> = <value>" {
		f.Text.Quote, f.Text.End = "double", "end"
	}
	kind := pick(r, level.Point, level.Spot, level.Rect, level.Tube, level.Dome)
	rule := handover.Rule{Of: kind, Class: "lamp"}
	name := plain("label", "name")
	name.Omit = ""
	on := plain("on", "enabled")
	on.Words, on.Omit = map[string]string{"true": "yes", "false": "no"}, "yes"
	rule.Fields = append(rule.Fields, name, on, plain("shadow", "shadows.cast"), number("reach", "range_m"))
	bake := plain("when", "bake")
	bake.Words = map[string]string{"baked": "never", "dynamic": "always"}
	rule.Fields = append(rule.Fields, bake)
	if r.IntN(2) == 0 {
		place := number("at", "position")
		place.Join = pick(r, " ", ", ", "|")
		rule.Fields = append(rule.Fields, place)
	} else {
		for _, part := range []string{"x", "y", "z"} {
			place := plain("at."+part, "position")
			place.Part, place.Unit = part, "metres"
			rule.Fields = append(rule.Fields, place)
		}
	}
	if r.IntN(2) == 0 {
		rule.Fields = append(rule.Fields, plain("toward", "direction"))
	} else {
		rule.Fields = append(rule.Fields, handover.Field{Name: "angles", Times: 1, Join: " ", Parts: []handover.Field{turn("", "altitude"), turn("", "azimuth"), turn("", "roll")}})
	}
	unit := pick(r, "", "lumens", "candela")
	if r.IntN(3) == 0 {
		lit := plain("rgb", "color")
		lit.Color, lit.Lit, lit.Unit, lit.Times = pick(r, "linear_1", "linear_255"), true, unit, pick(r, 1.0, 0.01)
		rule.Fields = append(rule.Fields, lit)
	} else {
		tint := plain("rgb", "color")
		tint.Color = pick(r, "", "srgb_255", "srgb_1", "linear_1", "linear_255", "hex")
		power := number("power", "strength")
		power.Unit, power.Plus = unit, 0
		rule.Fields = append(rule.Fields, tint, power)
	}
	f.Rules = []handover.Rule{rule}
	return &f
}

func randomLight(r *rand.Rand, kind string) *level.Light {
	l := level.NewLight("lamp", kind)
	l.Name = pick(r, "", "Lamp", `A "quoted" name`, "Lämpchen 2", "a = b")
	l.Enabled, l.Shadows.Cast = r.IntN(2) == 0, r.IntN(2) == 0
	l.Strength = math.Exp(r.Float64()*8 - 2)
	l.Color = color.Linear{1, r.Float64(), r.Float64()}.Hex()
	l.RangeM = math.Round(r.Float64()*100) / 4
	l.Bake = pick(r, "baked", "dynamic", "both")
	for i := range 3 {
		l.Transform.Position[i] = r.Float64()*40 - 20
	}
	l.Transform.Rotation = rotation(geom.Vec3{r.NormFloat64(), r.NormFloat64(), r.NormFloat64()})
	return l
}

// A platform and the hand-over of its name measure alike, as both are shown beside each other.
func TestShippedHandOversMeasureAsTheirPlatforms(t *testing.T) {
	all, err := handover.Shipped()
	require.NoError(t, err)
	platforms, err := platform.Shipped()
	require.NoError(t, err)
	require.Len(t, all, len(platforms), "one for each platform")
	for _, f := range all {
		p, err := platform.Named(f.Name)
		require.NoError(t, err)
		assert.Equal(t, p.Space.UnitM, f.Space.UnitM, f.Name)
		assert.Equal(t, p.Space.Handed, f.Space.Handed(), f.Name)
		up := map[string]int{"y": 1, "z": 2}[p.Space.Up]
		assert.Equal(t, "y", f.Space.Axes[up], f.Name)
	}
}

// The hand-overs that come with Grotta read back what they write of the demo, and say the rest.
func TestShippedHandOversKeepTheDemo(t *testing.T) {
	all, err := handover.Shipped()
	require.NoError(t, err)
	for _, f := range all {
		require.NotNil(t, handover.Source(f.Name))
		for _, l := range []*level.Level{demo.Saltmarsh(), demo.Noon(), demo.Night(), demo.Mill(), demo.Yard(), demo.Room()} {
			written, err := handover.Write(l, f, nil)
			require.NoError(t, err, f.Name)
			back, err := handover.Read(written.Text, f, l)
			require.NoError(t, err, f.Name)
			assert.Empty(t, back.Changed, "%s, %s", f.Name, l.Name)
			assert.Empty(t, back.Added, "%s, %s", f.Name, l.Name)
			assert.Equal(t, written.Things, back.Same)
			for _, d := range written.Differences {
				assert.NotContains(t, []string{"position", "direction", "strength", "color"}, d.Field, "%s, %s: %v", f.Name, l.Name, d)
			}
		}
	}
	assert.Nil(t, handover.Source("../file.go"))
}

// A thing without an optional part comes back without it, and one with it keeps it.
func TestPartsThatAThingMayBeWithout(t *testing.T) {
	all, err := handover.Shipped()
	require.NoError(t, err)
	cell := all[slices.IndexFunc(all, func(f *handover.File) bool { return f.Name == "cell-interior" })]
	l := level.New("two lamps")
	steady, candle := level.NewLight("steady", level.Point), level.NewLight("candle", level.Point)
	candle.Flicker = &level.Flicker{Pattern: "candle", RateHz: 4, Depth: 0.5}
	l.Lights = append(l.Lights, steady, candle)
	written, err := handover.Write(l, cell, nil)
	require.NoError(t, err)
	assert.Equal(t, 1, strings.Count(string(written.Text), "tremble:"))
	back, err := handover.Read(written.Text, cell, level.New("empty"))
	require.NoError(t, err)
	empty, _, err := level.New("empty").Apply(back.Operation)
	require.NoError(t, err)
	require.Len(t, empty.Lights, 2)
	for _, got := range empty.Lights {
		assert.Equal(t, l.Lights[slices.IndexFunc(l.Lights, func(v *level.Light) bool { return v.ID == got.ID })].Flicker, got.Flicker)
	}
}
