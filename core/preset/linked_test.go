package preset_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/demo"
)

// Rigs that stand in a level already follow a preset that was made from one of them.
func TestRigsAreLinkedToAPreset(t *testing.T) {
	l := demo.Saltmarsh()
	p, err := preset.FromRig(l, "lantern-1")
	require.NoError(t, err)
	for _, rig := range []string{"lantern-1", "lantern-3"} {
		taking, err := p.Link(l, rig)
		require.NoError(t, err)
		assert.Equal(t, rig, taking.Rig(p))
		assert.Empty(t, since(t, p, l, taking), rig)
	}
	// One that was changed follows, with what it has of its own.
	own := changed(t, l, level.Set("lantern-3-light", map[string]any{"strength": 3.0}))
	taking, err := p.Link(own, "lantern-3")
	require.NoError(t, err)
	over := since(t, p, own, taking)
	require.Len(t, over, 1)
	assert.Equal(t, "strength", over[0].Path)

	// What is not like the preset is refused, with the difference.
	less := changed(t, l, level.Remove("lantern-3-glow"))
	_, err = p.Link(less, "lantern-3")
	assert.ErrorContains(t, err, "it has 0 glows, and the preset 1")
	other := changed(t, l, level.Set("lantern-3-light", map[string]any{"kind": "spot"}))
	_, err = p.Link(other, "lantern-3")
	assert.ErrorContains(t, err, "lantern-3-light is a spot light")
	_, err = p.Link(l, "nobody")
	assert.ErrorContains(t, err, "no rig of the level")
	_, err = preset.FromMood(l).Link(l, "lantern-1")
	assert.ErrorContains(t, err, "rigs follow presets of the kind rig")
}

// A change of one rig goes to the others by the next version: fields, moved parts and new parts, in each one's own place,
// under the ids that they have. What another has of its own stays.
func TestTheNextVersionOfARigThatFollows(t *testing.T) {
	p, err := preset.FromRig(demo.Saltmarsh(), "lantern-1")
	require.NoError(t, err)
	room, takings := take(t, demo.Room(), p, preset.Place{At: &level.Vec{1, 2, 0}, More: []preset.Spot{{At: level.Vec{-2, 2, 0}, Normal: &level.Vec{1, 0, 0}}, {At: level.Vec{0, 1, 1}, Normal: &level.Vec{0, 0, -1}}}})
	rig := func(i int) string { return takings[i].Rig(p) }
	lamp := func(l *level.Level, i int) *level.Light { return l.Light(takings[i].Names[p.Parts.Lights[0].ID]) }

	// Nothing changed: the next version is this one, also of a rig that was turned.
	for i := range takings {
		same, _, err := p.Next(room, takings[i])
		require.NoError(t, err)
		require.NoError(t, same.Validate())
		was, err := p.Hash()
		require.NoError(t, err)
		is, err := same.Hash()
		require.NoError(t, err)
		assert.Equal(t, was, is, "rig %d", i)
	}

	// The second one, which is turned, gets another lamp that sits a hand lower, and a hook. The third has its own strength.
	low := lamp(room, 1).Transform.Position
	low[1] -= 0.1
	hook := level.Default[level.Solid]()
	hook.ID, hook.Rig, hook.Size, hook.Transform.Position = "hook", rig(1), level.Vec{0.1, 0.1, 0.1}, level.Vec{low[0] + 0.3, low[1], low[2]}
	hook.Surface.Material = room.Solids[0].Surface.Material
	room = changed(t, room,
		level.Set(lamp(room, 1).ID, map[string]any{"radius_m": 0.21, "strength": 77.0, "transform.position": low}),
		level.Add("solids", &hook), level.Set(lamp(room, 2).ID, map[string]any{"strength": 5.0}))
	next, follows, err := p.Next(room, takings[1])
	require.NoError(t, err)
	require.NoError(t, next.Validate())

	host := preset.In(room)
	var steps []level.Operation
	before := make([]*level.Light, len(takings))
	for i, taking := range takings {
		if before[i] = lamp(room, i); i == 1 {
			takings[i] = follows
			continue
		}
		op, to, clashes, err := p.Update(host, next, taking, nil)
		require.NoError(t, err)
		assert.Len(t, clashes, map[int]int{2: 1}[i], "rig %d", i)
		steps, takings[i] = append(steps, op), to
	}
	after := changed(t, room, steps...)
	assert.Len(t, after.Solids, len(room.Solids)+2, "the first and the third get the hook")
	for i := range takings {
		now := lamp(after, i)
		require.NotNil(t, now, "it keeps its id")
		assert.Equal(t, 0.21, now.RadiusM)
		assert.Equal(t, map[int]float64{0: 77, 1: 77, 2: 5}[i], now.Strength)
		if i != 1 {
			assert.InDelta(t, before[i].Transform.Position[1]-0.1, now.Transform.Position[1], 1e-9)
			assert.InDelta(t, before[i].Transform.Position[0], now.Transform.Position[0], 1e-9)
		}
	}
	assert.Empty(t, since(t, next, after, takings[0]))
	assert.Empty(t, since(t, next, after, takings[1]))
	// The hook is 0.3 m to the second one's world x, so off the lamp by as much in each one's own axes.
	for i := range takings {
		var own *level.Solid
		for _, s := range after.Solids {
			if s.Rig == rig(i) && s.Size == hook.Size {
				own = s
			}
		}
		require.NotNil(t, own, "rig %d", i)
		off := geom.Vec3(own.Transform.Position).Sub(geom.Vec3(lamp(after, i).Transform.Position))
		assert.InDelta(t, 0.3, off.Len(), 1e-9)
	}
}
