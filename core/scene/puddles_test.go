package scene

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/geom"
	"grotta/core/level"
)

// street is wet ground of 12 by 12 m with a basin of 2 by 2 m and 8 cm in its middle, a trough of that depth that runs out
// to the west, a roof in a corner and a ramp in the east.
func street(wetness float64) *level.Level {
	l := level.New("Street")
	l.Environment.Mode, l.Environment.Wetness = "outdoor", wetness
	box := func(id string, low, high level.Vec) {
		s := level.Default[level.Solid]()
		s.ID = id
		for axis := range 3 {
			s.Size[axis], s.Transform.Position[axis] = high[axis]-low[axis], (low[axis]+high[axis])/2
		}
		l.Solids = append(l.Solids, &s)
	}
	box("bed", level.Vec{-6, -1, -6}, level.Vec{6, -0.08, 6})
	box("north", level.Vec{-6, -0.08, -6}, level.Vec{6, 0, -3.5})
	box("between", level.Vec{-6, -0.08, -3}, level.Vec{6, 0, -1}) // the trough is north of it
	box("south", level.Vec{-6, -0.08, 1}, level.Vec{6, 0, 6})
	box("west", level.Vec{-6, -0.08, -1}, level.Vec{-1, 0, 1})
	box("east", level.Vec{1, -0.08, -1}, level.Vec{6, 0, 1})
	box("end", level.Vec{3, -0.08, -3.5}, level.Vec{6, 0, -3}) // the trough's blind end
	box("roof", level.Vec{3, 2, 3}, level.Vec{6, 2.2, 6})
	ramp := level.Default[level.Mesh]()
	ramp.ID = "ramp"
	ramp.Positions = []float64{2, 0.01, 2, 6, 0.6, 2, 6, 0.6, -1, 2, 0.01, -1}
	ramp.Indices = []uint32{0, 1, 2, 0, 2, 3}
	l.Meshes = append(l.Meshes, &ramp)
	return l
}

func TestPuddlesStandInHollows(t *testing.T) {
	l := street(1)
	require.NoError(t, l.Validate())
	p := Build(l).Puddles()
	require.NotNil(t, p)
	share := func(p *Puddles, y, x0, z0, x1, z1 float64) float64 {
		sum, n := 0.0, 0
		for x := x0; x < x1; x += 0.05 {
			for z := z0; z < z1; z += 0.05 {
				sum, n = sum+p.At(geom.Vec3{x, y, z}), n+1
			}
		}
		return sum / float64(n)
	}
	assert.Greater(t, share(p, -0.08, -0.8, -0.8, 0.8, 0.8), 0.99, "the basin is full")
	trough := share(p, -0.08, -5, -3.35, 2.5, -3.15)
	flat := share(p, 0, -5.5, 1.5, 1.5, 5.5)
	assert.Less(t, trough, 0.6, "what stands in the trough runs out")
	assert.InDelta(t, 0.35, flat, 0.25, "flat ground holds some")
	assert.Less(t, share(p, 0.3, 2.5, -0.7, 5.5, 1.7), 0.1, "a ramp holds next to none")
	assert.Zero(t, share(p, 0, 3.3, 3.3, 5.7, 5.7), "no rain falls under a roof")
	assert.Zero(t, p.At(geom.Vec3{0, 1.5, 0}), "nor is there any in the air")
	assert.Zero(t, p.At(geom.Vec3{40, 0, 0}))

	damp := Build(street(0.7)).Puddles()
	assert.Less(t, share(damp, 0, -5.5, 1.5, 1.5, 5.5), 0.5*flat, "less of it where it is less wet")
	assert.Greater(t, share(damp, -0.08, -0.8, -0.8, 0.8, 0.8), 0.99)
	assert.Nil(t, Build(street(0.5)).Puddles())
	inside := street(1)
	inside.Environment.Mode = "indoor"
	assert.Nil(t, Build(inside).Puddles())
	var none *Puddles
	assert.Zero(t, none.At(geom.Vec3{}))
}

// Water stands level: within a hollow the ground and the water on it add up to one height, but for the relief.
func TestPuddlesAreLevel(t *testing.T) {
	p := &Puddles{CellM: 0.5, Width: 9, Height: 9, Ground: make([]float32, 81), Depth: make([]float32, 81)}
	share := make([]float32, 81)
	for i := range p.Ground {
		x, z := i%9-4, i/9-4
		p.Ground[i], share[i] = float32(x*x+z*z)/100, 1 // a bowl
		if x == 4 && z == 0 {
			p.Ground[i] = 0.095 // where it runs over
		}
	}
	p.fill(share)
	for i := range p.Ground {
		x, z := i%9-4, i/9-4
		if high := float32(x*x+z*z) / 100; high < 0.08 {
			assert.InDelta(t, 0.095-high, p.Depth[i], 0.013, "%d %d", x, z)
		} else if high > 0.12 {
			assert.LessOrEqual(t, p.Depth[i], float32(0), "%d %d", x, z)
		}
	}
}

// A yard with walls round it does not fill up to their tops: it is drained, and holds what flat ground holds.
func TestYardsAreDrained(t *testing.T) {
	l := street(1)
	for i, side := range []level.Vec{{6.1, 0, 0}, {-6.1, 0, 0}, {0, 0, 6.1}, {0, 0, -6.1}} {
		wall := level.Default[level.Solid]()
		wall.ID, wall.Transform.Position, wall.Size = string(rune('a'+i)), level.Vec{side[0], 1, side[2]}, level.Vec{0.2, 4, 12.4}
		if side[0] == 0 {
			wall.Size = level.Vec{12.4, 4, 0.2}
		}
		l.Solids = append(l.Solids, &wall)
	}
	require.NoError(t, l.Validate())
	p := Build(l).Puddles()
	wet, n := 0.0, 0
	for x := -5.5; x < 1.5; x += 0.05 {
		for z := 1.5; z < 5.5; z += 0.05 {
			wet, n = wet+p.At(geom.Vec3{x, 0, z}), n+1
		}
	}
	assert.InDelta(t, 0.35, wet/float64(n), 0.25)
	assert.Greater(t, p.At(geom.Vec3{0, -0.08, 0}), 0.99, "the basin in it is still full")
}

// BenchmarkPuddles finds the puddles of a wide yard, on a grid of the most cells.
func BenchmarkPuddles(b *testing.B) {
	l := street(1)
	l.Solids[0].Size, l.Solids[0].Transform.Position = level.Vec{90, 1, 90}, level.Vec{0, -0.58, 0}
	s := Build(l)
	for b.Loop() {
		s.findPuddles()
	}
}
