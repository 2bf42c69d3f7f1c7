package bake_test

import (
	"fmt"
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
)

// slanted is a closed room that a wall of a thickness divides, turned by an angle from upright. A lamp
// is on one side.
func slanted(thickM, degrees, density float64) (l *level.Level, normal geom.Vec3) {
	l = level.New("A slanted wall")
	l.Environment.Sky.Luminance, l.Environment.Ambient.Strength = 0, 0
	l.Lightmap.Density = density
	block(l, "floor", level.Vec{0, -0.1, 0}, level.Vec{4.2, 0.2, 1.2})
	block(l, "roof", level.Vec{0, 2.1, 0}, level.Vec{4.2, 0.2, 1.2})
	block(l, "east", level.Vec{2.05, 1, 0}, level.Vec{0.1, 2.4, 1.2})
	block(l, "west", level.Vec{-2.05, 1, 0}, level.Vec{0.1, 2.4, 1.2})
	block(l, "north", level.Vec{0, 1, -0.55}, level.Vec{4.2, 2.4, 0.1})
	block(l, "south", level.Vec{0, 1, 0.55}, level.Vec{4.2, 2.4, 0.1})
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	block(l, "wall", level.Vec{0.03, 1, 0}, level.Vec{thickM, min(2.2/max(cos, 1e-9), 4.12/max(sin, 1e-9)), 1.1})
	half := degrees * math.Pi / 360
	l.Solids[len(l.Solids)-1].Transform.Rotation = [4]float64{0, 0, math.Sin(half), math.Cos(half)}
	normal = geom.Vec3{cos, sin, 0}
	l.Lights = []*level.Light{light("lamp", level.Point, 100, level.Vec{0.03 + 0.6*cos, 1 + 0.6*sin, 0}, down)}
	return l, normal
}

// No light goes through a thin wall at any angle, thickness and density: the room behind it stays
// black. The long form takes all of the grid, the short one a quarter.
func TestSlantedWallsKeepLightIn(t *testing.T) {
	long := os.Getenv("GROTTA_SOAK") != ""
	for i, thick := range []float64{0.002, 0.005, 0.01, 0.02, 0.04} {
		for j, degrees := range []float64{0, 15, 30, 45, 60, 75, 90} {
			for k, density := range []float64{1, 2.3, 5, 11, 24} {
				if density > 8 && (i+j+k)%5 != 0 || density == 2.3 && (i+j)%2 != 0 {
					continue // dense ones take long
				}
				if !long && (i+2*j+k)%4 != 0 {
					continue
				}
				l, normal := slanted(thick, degrees, density)
				p := prepare(t, l)
				for _, q := range []bake.Quality{bake.Draft, bake.Good} {
					m := mixOf(t, p, q)
					worst, at, bright, n := 0.0, geom.Vec3{}, 0.0, 0
					for i := range p.Texels.List {
						x := vec3(p.Texels.List[i].Origin)
						if math.Abs(x[0]) > 2 || x[1] < 0 || x[1] > 2 || math.Abs(x[2]) > 0.5 {
							continue // outside
						}
						v := float64(m.Pix[3*p.Texels.List[i].Index+1])
						if x.Sub(geom.Vec3{0.03, 1, 0}).Dot(normal) > 0 {
							bright = max(bright, v)
						} else if n++; v > worst {
							worst, at = v, x
						}
					}
					name := fmt.Sprintf("%g mm, %g°, %g texels a metre, %s", 1000*thick, degrees, density, q)
					assert.Positive(t, n, name)
					assert.Greater(t, bright, 20.0, name)
					assert.Zero(t, worst, "%s: at %v", name, at)
				}
			}
		}
	}
}
