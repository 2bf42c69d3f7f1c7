package change_test

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/change"
	"grotta/core/color"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/source"
)

// twoRooms is two closed rooms side by side, each with a lamp and a crate, and a
// door in the wall between them.
func twoRooms() *level.Level {
	l := level.New("Two rooms")
	l.Lightmap.Density = 8
	l.Lights = []*level.Light{light("left-lamp", level.Point, 60, level.Vec{-2, 2.2, 0}, down), light("right-lamp", level.Spot, 60, level.Vec{2, 2.6, 0}, down)}
	block(l, "floor", level.Vec{0, -0.1, 0}, level.Vec{8.4, 0.2, 4.4})
	block(l, "ceiling", level.Vec{0, 2.9, 0}, level.Vec{8.4, 0.2, 4.4})
	for i, x := range []float64{-4.1, 4.1} {
		block(l, fmt.Sprintf("end-%d", i), level.Vec{x, 1.4, 0}, level.Vec{0.2, 2.8, 4})
	}
	for i, z := range []float64{-2.1, 2.1} {
		block(l, fmt.Sprintf("side-%d", i), level.Vec{0, 1.4, z}, level.Vec{8.4, 2.8, 0.2})
	}
	block(l, "wall-north", level.Vec{0, 1.4, -1.2}, level.Vec{0.2, 2.8, 1.6})
	block(l, "wall-south", level.Vec{0, 1.4, 1.2}, level.Vec{0.2, 2.8, 1.6})
	block(l, "door", level.Vec{0, 1.4, 0}, level.Vec{0.2, 2.8, 0.8})
	block(l, "left-crate", level.Vec{-3, 0.4, 1}, level.Vec{0.8, 0.8, 0.8})
	block(l, "right-crate", level.Vec{3, 0.4, 1}, level.Vec{0.8, 0.8, 0.8})
	return l
}

func solid(l *level.Level, id string) *level.Solid {
	for _, s := range l.Solids {
		if s.ID == id {
			return s
		}
	}
	return nil
}

// What changes in one room leaves the layer of the other's lamp as it is; that is
// the same light as a fresh bake finds. A door that opens leaves none.
func TestAChangeReachesWhatItsLightReaches(t *testing.T) {
	was := prepare(t, twoRooms())
	layers, err := was.Bake(context.Background(), source.All(was.Sources), bake.Draft, nil)
	require.NoError(t, err)
	crate := func(edit func(*level.Solid)) func(*level.Level) {
		return func(l *level.Level) { edit(solid(l, "right-crate")) }
	}
	for name, c := range map[string]struct {
		edit func(*level.Level)
		kept []string
	}{
		"moved":  {crate(func(s *level.Solid) { s.Transform.Position[2] = -1 }), []string{"left-lamp"}},
		"turned": {crate(func(s *level.Solid) { s.Transform.Rotation = [4]float64{0, 0.38268343, 0, 0.92387953} }), []string{"left-lamp"}},
		"larger": {crate(func(s *level.Solid) { s.Size = level.Vec{1.2, 0.8, 0.8} }), []string{"left-lamp"}},
		"roles":  {crate(func(s *level.Solid) { s.Surface.CastsShadow = false }), []string{"left-lamp"}},
		"albedo": {func(l *level.Level) {
			material(l, "pale", 0.9, 0)
			solid(l, "right-crate").Surface.Material = "pale"
		}, []string{"left-lamp"}},
		"density":      {crate(func(s *level.Solid) { s.Surface.Density = 9 }), []string{"left-lamp"}},
		"gone":         {func(l *level.Level) { l.Solids = l.Solids[:len(l.Solids)-1] }, []string{"left-lamp"}},
		"added":        {func(l *level.Level) { block(l, "chest", level.Vec{3, 0.3, -1}, level.Vec{0.6, 0.6, 0.6}) }, []string{"left-lamp"}},
		"changes over": {crate(func(s *level.Solid) { s.Transform.Position[0] = -1 }), nil},
		"left crate":   {func(l *level.Level) { solid(l, "left-crate").Transform.Position[2] = -1 }, []string{"right-lamp"}},
		"door opened":  {func(l *level.Level) { solid(l, "door").Enabled = false }, nil},
		"door ajar":    {func(l *level.Level) { solid(l, "door").Transform.Position[0] = 0.3 }, nil},
		"bounces off": {func(l *level.Level) {
			l.Lightmap.Bounces = false
			solid(l, "right-crate").Transform.Position[2] = -1
		}, nil},
	} {
		l := twoRooms()
		c.edit(l)
		now := prepare(t, l)
		r := change.NewReach(was, now)
		var kept []string
		for i := range was.Sources {
			id := was.Sources[i].ID
			if r == nil || was.Sources[i].Kind == source.AmbientKind || r.Share(id, layers[i]) > change.Tolerance {
				continue
			}
			if was.Sources[i].Kind != source.SkyKind { // closed rooms have none of it
				kept = append(kept, id)
			}
			now := now
			fresh, err := now.Bake(context.Background(), []*source.Source{now.Source(id)}, bake.Draft, nil)
			require.NoError(t, err)
			carried := r.Carry(layers[i], fresh[0].Key)
			assert.Equal(t, fresh[0].Key, carried.Key)
			a, b := layer.NewImage(carried.PageSize, carried.Pages), layer.NewImage(carried.PageSize, carried.Pages)
			carried.AddTo(a, color.White)
			fresh[0].AddTo(b, color.White)
			brightest, most := 0.0, 0.0
			for k := range a.Pix {
				brightest = max(brightest, float64(b.Pix[k]))
				most = max(most, math.Abs(float64(a.Pix[k]-b.Pix[k])))
			}
			if brightest > 0 && carried.Pages == layers[i].Pages {
				bound := 1e-3
				if !assert.ObjectsAreEqual(was.Layout.Charts, now.Layout.Charts) {
					bound = 0.02 // texels elsewhere on the pages have other samples
				}
				assert.LessOrEqual(t, most/brightest, bound, "%s: %s, against a fresh bake", name, id)
			}
		}
		assert.Equal(t, c.kept, kept, name)
	}
}

// Reach is nothing where nothing changed, and cannot be told where the light
// itself is another.
func TestReachOfAMovedLight(t *testing.T) {
	was := prepare(t, twoRooms())
	layers, err := was.Bake(context.Background(), source.All(was.Sources), bake.Draft, nil)
	require.NoError(t, err)
	assert.Zero(t, change.NewReach(was, was).Share("left-lamp", layers[0]))
	l := twoRooms()
	l.Lights[0].Transform.Position[1] = 2
	assert.Equal(t, 1.0, change.NewReach(was, prepare(t, l)).Share("left-lamp", layers[0]))
	assert.Nil(t, change.NewReach(nil, was))
}
