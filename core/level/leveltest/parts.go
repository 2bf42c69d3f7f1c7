package leveltest

import (
	"fmt"
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// Plane is a white floor of 20 by 20 m, 4 texels a metre, with lights over it and a dark sky.
func Plane(lights ...*level.Light) *level.Level {
	l := level.New("Plane")
	floor := level.Default[level.Solid]()
	floor.ID, floor.Size, floor.Transform.Position = "floor", level.Vec{20, 0.2, 20}, level.Vec{0, -0.1, 0}
	l.Solids = []*level.Solid{&floor}
	l.Lights = lights
	l.Lightmap.Density = 4
	l.Environment.Sky.Luminance = 0
	return l
}

// Block adds a box by its middle and size.
func Block(l *level.Level, id string, at, size level.Vec) {
	s := level.Default[level.Solid]()
	s.ID, s.Size, s.Transform.Position = id, size, at
	l.Solids = append(l.Solids, &s)
}

// ClosedBox is a room of an inner size with its floor at 0 and its middle over the origin, 8 texels a metre. Its six walls
// are 0.2 m thick and send half of the light back.
func ClosedBox(inner level.Vec) *level.Level {
	const thick = 0.2
	l := Plane()
	l.Solids, l.Lightmap.Density = nil, 8
	Material(l, "wall", 0.5, 0)
	for axis := range 3 {
		for side := range 2 {
			at, size := level.Vec{0, inner[1] / 2, 0}, level.Vec{inner[0] + 2*thick, inner[1] + 2*thick, inner[2] + 2*thick}
			at[axis] += float64(2*side-1) * (inner[axis] + thick) / 2
			size[axis] = thick
			Block(l, fmt.Sprintf("wall-%d", 2*axis+side), at, size)
			l.Solids[len(l.Solids)-1].Surface.Material = "wall"
		}
	}
	return l
}

// OfMeshes puts a mesh in place of each block. All blocks of the level have to be boxes of one surface.
func OfMeshes(l *level.Level) *level.Level {
	for _, s := range l.Solids {
		m := level.Default[level.Mesh]()
		m.ID, m.Name, m.Surface, m.Transform = s.ID, s.Name, s.Surface, s.Transform
		for side := range 6 {
			along, across, up := side/2, (side/2+1)%3, (side/2+2)%3
			out, first := float64(side%2)*2-1, uint32(len(m.Positions)/3)
			for k := range 4 {
				var p level.Vec
				p[along], p[across], p[up] = out*s.Size[along]/2, out*(float64(k%2)-0.5)*s.Size[across], (float64(k/2)-0.5)*s.Size[up]
				m.Positions = append(m.Positions, p[0], p[1], p[2])
			}
			m.Indices = append(m.Indices, first, first+1, first+2, first+2, first+1, first+3)
		}
		l.Meshes = append(l.Meshes, &m)
	}
	l.Solids = nil
	return l
}

// Light is a light of a kind that looks along a direction.
func Light(id, kind string, strength float64, at level.Vec, aim geom.Vec3) *level.Light {
	l := level.NewLight(id, kind)
	l.Strength, l.Transform.Position = strength, at
	q := geom.LookRotation(aim)
	l.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
	return l
}

// Material adds a grey material of an albedo that sends out light, in nits.
func Material(l *level.Level, id string, grey, nits float64) {
	m := level.Default[level.Material]()
	m.ID, m.Color, m.Emission = id, color.Linear{grey, grey, grey}.Hex(), nits
	l.Materials = append(l.Materials, &m)
}

// Segment is the share of a disc of radius 1 past a straight edge, h from its middle: the
// area of a circular segment, and so what is seen of a round source past a straight edge.
func Segment(h float64) float64 {
	h = max(-1, min(1, h))
	return (math.Pi/2 + math.Asin(h) + h*math.Sqrt(1-h*h)) / math.Pi
}

// Huts adds two meshes that show one geometry, the second scaled.
func Huts(l *level.Level) *level.Level {
	hut := level.Geometry{ID: "hut", Triangles: level.Triangles{
		Positions: []float64{-0.6, 0, -0.6, 0.6, 0, -0.6, 0.6, 0, 0.6, -0.6, 0, 0.6, 0, 1, 0},
		Indices:   []uint32{0, 4, 1, 1, 4, 2, 2, 4, 3, 3, 4, 0},
	}}
	near, far := level.Default[level.Mesh](), level.Default[level.Mesh]()
	near.ID, near.Geometry, near.Transform.Position = "hut-near", hut.ID, level.Vec{1.8, 0, -1}
	far.ID, far.Geometry, far.Transform.Position, far.Scale = "hut-far", hut.ID, level.Vec{-1.6, 0, -1.2}, level.Vec{0.5, 1.5, 0.5}
	for _, m := range []*level.Mesh{&near, &far} {
		m.Triangles = hut.Triangles
	}
	l.Geometries, l.Meshes = append(l.Geometries, &hut), append(l.Meshes, &near, &far)
	return l
}
