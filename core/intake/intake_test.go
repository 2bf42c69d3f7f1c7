package intake_test

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/intake"
	"grotta/core/level"
)

const rules = `format: grotta-import-rules/1
name: mine
rules:
  - {thing: "trigger*", skip: true}
  - {material: "*CLIP", blocker: true}
  - {thing: "floor?", density: 12}
  - {thing: floor2, density: 24, collides: false}
  - {material: water, lighting: dynamic, visible: true}
  - thing: lamp*
    light: {kind: spot, strength: 300, kelvin: 2700, outer_deg: 50, offset: [0, -0.1, 0]}
  - {thing: door, material: wood, moves: true, breakable: true}
`

func imported() *level.Level {
	l := level.New("l")
	for _, name := range []string{"player_clip", "water", "wood", "unused"} {
		m := level.Default[level.Material]()
		m.ID, m.Name = name, strings.ToUpper(name[:1])+name[1:]
		l.Materials = append(l.Materials, &m)
	}
	for _, thing := range [][2]string{{"Trigger_1", "wood"}, {"Wall", "player_clip"}, {"Floor1", "wood"}, {"Floor2", "wood"}, {"Pond", "water"}, {"Lamp.001", "wood"}, {"Door", "wood"}, {"Door", "water"}} {
		m := level.Default[level.Mesh]()
		m.ID, m.Name = l.FreshID(thing[0]), thing[0]
		m.Surface.Material = thing[1]
		m.Positions, m.Indices = []float64{-0.2, 0, 0, 0.2, 0, 0, 0, 0.4, 0}, []uint32{0, 1, 2}
		m.Transform.Position = level.Vec{1, 2, 3}
		l.Meshes = append(l.Meshes, &m)
	}
	return l
}

func TestRulesSayWhatThingsAre(t *testing.T) {
	f, err := intake.Parse([]byte(rules))
	require.NoError(t, err)
	l := imported()
	caught := f.Apply(l)
	require.NoError(t, l.Validate())
	var said []string
	for _, c := range caught {
		said = append(said, c.Rule+": "+c.Does+": "+strings.Join(c.Names, " "))
	}
	assert.Equal(t, []string{
		"trigger*: left out: Trigger_1",
		"material *CLIP: a blocker: Wall",
		"floor?: 12 texels a metre: Floor1 Floor2",
		"floor2: is passed through, 24 texels a metre: Floor2",
		"material water: visible, dynamic: Pond Door",
		"lamp*: carries a spot light: Lamp.001",
		"door of wood: moves, can be broken: Door",
	}, said)
	by := map[string]*level.Mesh{}
	for _, m := range l.Meshes {
		by[m.ID] = m
	}
	assert.Len(t, l.Meshes, 7)
	wall := by["wall"].Surface
	assert.Equal(t, []bool{false, true, false, false}, []bool{wall.Visible, wall.CastsShadow, wall.Collides, wall.ReceivesLight})
	assert.Equal(t, 24.0, by["floor2"].Surface.Density, "the later rule has the last word")
	assert.True(t, by["door"].Moves)
	assert.False(t, by["door-2"].Moves, "its material is another")
	assert.Equal(t, "dynamic", level.ByID[level.Material](l, "water").Lighting)
	assert.Nil(t, level.ByID[level.Material](l, "unused"))
	require.Len(t, l.Lights, 1)
	light := l.Lights[0]
	assert.Equal(t, "Lamp.001 light", light.Name)
	pose := l.World().Pose(&light.Entity)
	assert.InDeltaSlice(t, []float64{1, 2.1, 3}, pose.Position[:], 1e-9, "off the fixture's middle, and with it")
	assert.InDelta(t, -1, pose.Forward()[1], 1e-9)
	assert.Greater(t, light.Shadows.NearM, 0.28, "its own fixture stops none of it")
}

func TestRulesThatCannotBe(t *testing.T) {
	swap := func(from, to string) string { return strings.Replace(rules, from, to, 1) }
	for name, c := range map[string]struct{ text, want string }{
		"not YAML":    {"a: [", "is not YAML"},
		"format":      {swap("rules/1", "rules/2"), "/format"},
		"unknown":     {swap("skip: true", "omit: true"), "omit"},
		"no pattern":  {swap(`thing: "trigger*", `, ""), "/rules/0 has neither a thing nor a material"},
		"nothing":     {swap(", skip: true", ""), "/rules/0 does nothing"},
		"no material": {swap("{material: water, ", "{thing: pond, "), "/rules/4/lighting is of a material"},
		"dense":       {swap("density: 12", "density: 999"), "/rules/2/density"},
		"light kind":  {swap("kind: spot", "kind: sun"), "/rules/5/light/kind"},
		"cold":        {swap("kelvin: 2700", "kelvin: 27"), "/rules/5/light/kelvin"},
		"dark":        {swap("strength: 300", "strength: 0"), "/rules/5/light/strength"},
	} {
		_, err := intake.Parse([]byte(c.text))
		assert.ErrorContains(t, err, c.want, name)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(rules))
	f.Fuzz(func(_ *testing.T, text []byte) {
		if rules, err := intake.Parse(text); err == nil {
			rules.Apply(imported())
		}
	})
}

// The offset and the direction of a fixture's light are the level's, however the thing is turned.
func TestAFixtureOnATurnedMesh(t *testing.T) {
	l := level.New("Yard")
	m := level.Default[level.Mesh]()
	m.ID, m.Name = "lamp", "lamp_1"
	m.Positions, m.Indices = []float64{0, 0, 0, 1, 0, 0, 0, 1, 0}, []uint32{0, 1, 2}
	m.Transform = level.Transform{Position: level.Vec{5, 0, 0}, Rotation: [4]float64{0, 0, math.Sqrt2 / 2, math.Sqrt2 / 2}} // x becomes y
	m.Scale = level.Vec{2, 2, 2}
	l.Meshes = append(l.Meshes, &m)
	own, err := intake.Parse([]byte("format: grotta-import-rules/1\nname: x\nrules:\n  - { thing: \"lamp_*\", light: { kind: spot, strength: 300, offset: [0, -0.5, 0] } }\n"))
	require.NoError(t, err)
	own.Apply(l)
	require.Len(t, l.Lights, 1)
	pose := l.World().Pose(&l.Lights[0].Entity)
	assert.InDelta(t, 0, pose.Position.Sub(geom.Vec3{4, 1 - 0.5, 0}).Len(), 1e-9, "%v", pose.Position)
	assert.InDelta(t, 0, pose.Rotation.Rotate(geom.Vec3{0, 0, -1}).Sub(geom.Vec3{0, -1, 0}).Len(), 1e-6)
}
