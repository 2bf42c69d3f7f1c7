package check

import (
	"fmt"
	"math"
	"testing"

	"github.com/go-gl/mathgl/mgl64"
	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
	"grotta/core/level"
)

// The hall in other shapes: turned, of meshes, full of crates, in two storeys. Cracks are found in all of
// them, and nothing is found where all is closed.

// turned turns the hall about the vertical; its zone stays along the axes, so it is drawn with room about it.
func turned(deg float64, edit func(*plan)) *plan {
	p := hall()
	edit(p)
	q := mgl64.QuatRotate(deg*math.Pi/180, geom.Vec3{0, 1, 0})
	turn := func(t *level.Transform) {
		t.Position = level.Vec(q.Rotate(geom.Vec3(t.Position)))
		t.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	}
	for _, v := range p.Solids {
		turn(&v.Transform)
	}
	for _, v := range p.Lights {
		turn(&v.Transform)
	}
	p.Zones[0].Boxes[0] = level.Box{Min: level.Vec{-2.8, 0, -2.8}, Max: level.Vec{2.8, 3, 2.8}}
	return p
}

// meshBox is a box as a mesh; inward it is the shell of a room.
func (p *plan) meshBox(id string, low, high level.Vec, inward bool) *level.Mesh {
	m := level.Default[level.Mesh]()
	m.ID = id
	for i := range 8 {
		for axis := range 3 {
			m.Positions = append(m.Positions, [2]float64{low[axis], high[axis]}[i>>axis&1])
		}
	}
	for _, f := range [][4]uint32{{1, 3, 7, 5}, {0, 4, 6, 2}, {2, 6, 7, 3}, {0, 1, 5, 4}, {4, 5, 7, 6}, {0, 2, 3, 1}} {
		if inward {
			f[1], f[3] = f[3], f[1]
		}
		m.Indices = append(m.Indices, f[0], f[1], f[2], f[0], f[2], f[3])
	}
	p.Meshes = append(p.Meshes, &m)
	return &m
}

// meshHall is the hall with each block as a mesh, its north wall of some height.
func meshHall(north float64) *plan {
	p := hall()
	p.Solids = nil
	p.meshBox("floor", level.Vec{-4.2, -0.2, -4.2}, level.Vec{4.2, 0, 4.2}, false)
	p.meshBox("roof", level.Vec{-4.2, 3, -4.2}, level.Vec{4.2, 3.2, 4.2}, false)
	p.meshBox("west", level.Vec{-4.2, 0, -4.2}, level.Vec{-4, 3, 4.2}, false)
	p.meshBox("east", level.Vec{4, 0, -4.2}, level.Vec{4.2, 3, 4.2}, false)
	p.meshBox("north", level.Vec{-4, 0, -4.2}, level.Vec{4, north, -4}, false)
	p.meshBox("south", level.Vec{-4, 0, 4}, level.Vec{4, 3, 4.2}, false)
	return p
}

func shellHall() *plan {
	p := hall()
	p.Solids = nil
	p.meshBox("shell", level.Vec{-4, 0, -4}, level.Vec{4, 3, 4}, true)
	return p
}

func TestClosureInManyShapes(t *testing.T) {
	type shape struct {
		name string
		of   *plan
		rule string
		want int
	}
	var shapes []shape
	for _, deg := range []float64{0, 17, 45} {
		name := fmt.Sprintf(" turned by %g", deg)
		shapes = append(shapes,
			shape{"closed" + name, turned(deg, func(*plan) {}), "closure.gap", 0},
			shape{"5 mm under the roof" + name, turned(deg, func(p *plan) { p.Solids[4].Transform.Position[1] -= 0.005 }), "closure.gap", 1},
			shape{"roof lifted by 30 mm" + name, turned(deg, func(p *plan) { p.Solids[1].Transform.Position[1] += 0.03 }), "closure.gap", 4},
			shape{"walls still meet at the corner" + name, turned(deg, func(p *plan) { p.Solids[2].Size[2] -= 0.02 }), "closure.gap", 0},
		)
	}
	crates := hall()
	for i := range 250 {
		crates.block(fmt.Sprint("crate-", i), level.Vec{float64(i%16)*0.45 - 3.5, 0.1, float64(i/16)*0.45 - 3.5}, level.Vec{0.2, 0.2, 0.2})
	}
	open := shellHall()
	open.Environment.Mode, open.Meshes[0].Indices = "indoor", open.Meshes[0].Indices[6:]
	shapes = append(shapes,
		shape{"of meshes", meshHall(3), "closure.gap", 0},
		shape{"of meshes, 10 mm under the roof", meshHall(2.99), "closure.gap", 1},
		shape{"full of crates", crates, "closure.gap", 0},
		shape{"a shell", shellHall(), "closure.light-inside", 0},
		shape{"a shell, closed", shellHall(), "closure.void", 0},
		shape{"a shell without a wall", open, "closure.void", 1},
	)
	for _, s := range shapes {
		found := s.of.of(t, s.rule)
		assert.Len(t, found, s.want, "%s: %v", s.name, found)
	}
}

// Each crack's blocker closes it, at any turn, and casts shadows without being seen.
func TestBlockersCloseCracks(t *testing.T) {
	for _, deg := range []float64{0, 17, 45} {
		p := turned(deg, func(p *plan) { p.Solids[4].Transform.Position[1] -= 0.02 })
		found := p.of(t, "closure.gap")
		if !assert.Len(t, found, 1) {
			continue
		}
		next, _, err := p.Apply(*found[0].Fix)
		assert.NoError(t, err)
		v := next.Solids[len(next.Solids)-1]
		assert.True(t, v.Surface.CastsShadow)
		assert.False(t, v.Surface.Visible || v.Surface.ReceivesLight)
		assert.Empty(t, (&plan{next, p.profile}).of(t, "closure.gap"))
	}
}

// A document of many thousand zones, lights and blocks in one place is checked in bounded time: what is
// looked into is bounded, what is limited is counted.
func TestManyZonesAreBounded(t *testing.T) {
	p := hall()
	for i := range 4000 {
		z := level.Default[level.Zone]()
		z.ID, z.Play = fmt.Sprint("z", i), "compete"
		z.Boxes = []level.Box{{Min: level.Vec{-4, 0, -4}, Max: level.Vec{4, 3 - 0.0005*float64(i), 4}}}
		p.Zones = append(p.Zones, &z)
	}
	for i := range 300 {
		p.lamp(fmt.Sprint("l", i), level.Vec{float64(i%20)*0.3 - 3, 2, float64(i/20)*0.3 - 3}, 5)
	}
	p.profile.Limits.ZoneLights = p.limit(4)
	found := p.of(t, "limits.zone-lights")
	assert.NotEmpty(t, found)
	assert.LessOrEqual(t, len(p.of(t, "play.too-dark")), mostZones)
}
