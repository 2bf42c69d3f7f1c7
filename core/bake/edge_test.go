package bake_test

import (
	"fmt"
	"math"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/level/leveltest"
)

// A wall that ends within a texel has the same light there as elsewhere, also where another block joins on: the
// part of the texel's square beyond the edge is inside of that block. The sun shines straight onto the wall.
func TestLightReachesTheEdgeOfAWall(t *testing.T) {
	const sunLux = 1000
	for _, heightM := range []float64{2.5, 2.46, 2.42, 2.4} {
		for _, turnDeg := range []float64{0, 30} {
			t.Run(fmt.Sprintf("%v m, %v degrees", heightM, turnDeg), func(t *testing.T) {
				l := level.New("Edge")
				l.Lightmap.Density, l.Lightmap.Bounces = 8, false
				half := turnDeg * math.Pi / 360
				leveltest.Block(l, "wall", level.Vec{0, heightM / 2, 0}, level.Vec{4, heightM, 0.2})
				leveltest.Block(l, "ceiling", level.Vec{0, heightM + 0.1, 0}, level.Vec{4, 0.2, 2})
				sun := level.NewLight("sun", level.Directional)
				sun.Strength = sunLux
				l.Lights = append(l.Lights, sun)
				for _, at := range []*level.Transform{&l.Solids[0].Transform, &l.Solids[1].Transform, &sun.Transform} {
					at.Rotation = [4]float64{0, math.Sin(half), 0, math.Cos(half)}
				}
				ahead := geom.Vec3{math.Sin(2 * half), 0, math.Cos(2 * half)} // of the wall
				p := prepare(t, l)
				for _, q := range []bake.Quality{bake.Draft, bake.Good} {
					m := mixOf(t, p, q)
					texels := 0
					for i := range p.Texels.List {
						x := &p.Texels.List[i]
						if x.Normal(p.Scene).Dot(ahead) > 0.99 && p.Scene.Surfaces[x.Surface(p.Scene)].Body().Entity == "wall" {
							texels++
							assert.InEpsilon(t, sunLux, m.Pix[3*x.Index], 1e-5, "%v at %v", q, x.Origin)
						}
					}
					assert.Greater(t, texels, 500)
				}
			})
		}
	}
}

// Where the edge of a shadow lies on the joint of two blocks that show one wall, the texels on either side keep their own light,
// and both charts read the same on the joint: what differs is in the padding.
func TestAShadowEndsAtAJoint(t *testing.T) {
	const sunLux = 1000
	l := level.New("Joint")
	l.Lightmap.Density, l.Lightmap.Bounces = 10, false
	leveltest.Block(l, "lit", level.Vec{-1, 1, 0}, level.Vec{2, 2, 0.2})
	leveltest.Block(l, "shaded", level.Vec{1, 1, 0}, level.Vec{2, 2, 0.2})
	leveltest.Block(l, "plate", level.Vec{2, 1, 1}, level.Vec{4, 4, 0.1})
	sun := level.NewLight("sun", level.Directional)
	sun.Strength = sunLux
	l.Lights = append(l.Lights, sun)
	p := prepare(t, l)
	m := mixOf(t, p, bake.Good)
	beside := map[string]int{}
	at := map[string]float64{}
	for i := range p.Texels.List {
		x := &p.Texels.List[i]
		entity := p.Scene.Surfaces[x.Surface(p.Scene)].Body().Entity
		if x.Normal(p.Scene)[2] < 0.99 || entity == "plate" {
			continue
		}
		c := &p.Layout.Charts[p.ChartOf(i)]
		u, v := c.At(geom.Vec3{0, 1, 0})
		at[entity] = float64(m.At(c.Page(), u, v)[0])
		if math.Abs(float64(x.Origin[0])) < 0.06 {
			beside[entity]++
			assert.InDelta(t, map[string]float64{"lit": sunLux, "shaded": 0}[entity], m.Pix[3*x.Index], 0.04*sunLux, "%s at %v", entity, x.Origin)
		}
	}
	assert.Equal(t, map[string]int{"lit": 20, "shaded": 20}, beside)
	assert.InDelta(t, at["lit"], at["shaded"], 0.002*sunLux)
	assert.InDelta(t, sunLux/2, at["lit"], 0.1*sunLux)
}
