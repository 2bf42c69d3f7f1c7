// Package demo builds Grotta's demo levels and presets by code. They stand
// nowhere else: what the tour shows is made here.
package demo

import (
	"fmt"
	"math"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
)

// builder puts a level together from blocks.
type builder struct{ l *level.Level }

func (b *builder) material(id, name, hex string) string {
	m := level.Default[level.Material]()
	m.ID, m.Name, m.Color = id, name, hex
	b.l.Materials = append(b.l.Materials, &m)
	return id
}

// polish makes a material mirror.
func (b *builder) polish(id string, roughness, metalness float64) {
	for _, m := range b.l.Materials {
		if m.ID == id {
			m.Roughness, m.Metalness = roughness, metalness
		}
	}
}

func (b *builder) zone(id, name, play, mode string, boxes ...level.Box) *level.Zone {
	z := level.Default[level.Zone]()
	z.ID, z.Name, z.Play, z.Mode, z.Boxes = id, name, play, mode, boxes
	b.l.Zones = append(b.l.Zones, &z)
	return &z
}

// box adds a block by its middle and size.
func (b *builder) box(id, material string, middle, size level.Vec) *level.Solid {
	s := level.Default[level.Solid]()
	s.ID, s.Size, s.Surface.Material = id, size, material
	s.Transform.Position = middle
	b.l.Solids = append(b.l.Solids, &s)
	return &s
}

// prism adds an upright many-sided block that narrows from one radius at its
// foot to another at its top.
func (b *builder) prism(id, material string, foot level.Vec, sides int, low, high, height float64) *level.Solid {
	s := level.Default[level.Solid]()
	s.ID, s.Surface.Material = id, material
	s.Transform.Position = foot
	lean := math.Atan2(low-high, height)
	for i := range sides {
		sin, cos := math.Sincos(2 * math.Pi * (float64(i) + 0.5) / float64(sides))
		n := geom.Vec3{cos * math.Cos(lean), math.Sin(lean), sin * math.Cos(lean)}
		s.Planes = append(s.Planes, level.Plane{Normal: level.Vec(n), Distance: low * math.Cos(lean)})
	}
	s.Planes = append(s.Planes,
		level.Plane{Normal: level.Vec{0, 1, 0}, Distance: height},
		level.Plane{Normal: level.Vec{0, -1, 0}, Distance: 0})
	b.l.Solids = append(b.l.Solids, &s)
	return &s
}

// gable adds a roof: a triangular block with its ridge along x.
func (b *builder) gable(id, material string, foot level.Vec, width, depth, height float64) *level.Solid {
	s := level.Default[level.Solid]()
	s.ID, s.Surface.Material = id, material
	s.Transform.Position = foot
	slope := geom.Vec3{0, depth / 2, height}.Normalize()
	s.Planes = []level.Plane{
		{Normal: level.Vec{0, slope[1], slope[2]}, Distance: slope[1] * height},
		{Normal: level.Vec{0, slope[1], -slope[2]}, Distance: slope[1] * height},
		{Normal: level.Vec{0, -1, 0}, Distance: 0},
		{Normal: level.Vec{1, 0, 0}, Distance: width / 2},
		{Normal: level.Vec{-1, 0, 0}, Distance: width / 2},
	}
	b.l.Solids = append(b.l.Solids, &s)
	return &s
}

// opening is a hole in a wall, from one place along it to another, between a
// sill and a head.
type opening struct{ from, to, sill, head float64 }

// wall adds upright blocks along x or z that leave the openings free. Openings
// go in order and do not overlap.
func (b *builder) wall(id, material string, alongX bool, start, end, at, base, height, thick float64, openings ...opening) {
	n := 0
	piece := func(from, to, low, high float64) {
		if to-from < 1e-6 || high-low < 1e-6 {
			return
		}
		n++
		middle, size := level.Vec{(from + to) / 2, (low + high) / 2, at}, level.Vec{to - from, high - low, thick}
		if !alongX {
			middle[0], middle[2] = middle[2], middle[0]
			size[0], size[2] = size[2], size[0]
		}
		b.box(fmt.Sprintf("%s-%d", id, n), material, middle, size)
	}
	from := start
	for _, o := range openings {
		piece(from, o.from, base, base+height)
		piece(o.from, o.to, base, base+o.sill)
		piece(o.from, o.to, base+o.head, base+height)
		from = o.to
	}
	piece(from, end, base, base+height)
}

func (b *builder) light(id, name, kind string, at level.Vec, strength, kelvin float64) *level.Light {
	l := level.NewLight(id, kind)
	l.Name, l.Strength, l.Kelvin = name, strength, kelvin
	l.Transform.Position = at
	b.l.Lights = append(b.l.Lights, l)
	return l
}

func aim(e *level.Entity, forward geom.Vec3) {
	q := geom.LookRotation(forward)
	e.Transform.Rotation = [4]float64{q.V[0], q.V[1], q.V[2], q.W}
}

func (b *builder) glow(id, name string, at level.Vec, size, nits float64, from string) *level.Glow {
	g := level.Default[level.Glow]()
	g.ID, g.Name, g.SizeM, g.Luminance, g.ColorFrom = id, name, size, nits, from
	g.Transform.Position = at
	b.l.Glows = append(b.l.Glows, &g)
	return &g
}

func (b *builder) viewpoint(id, name string, at, look level.Vec, fov float64) {
	v := level.Default[level.Viewpoint]()
	v.ID, v.Name, v.FovDeg = id, name, fov
	v.Transform.Position = at
	aim(&v.Entity, geom.Vec3(look).Sub(geom.Vec3(at)))
	b.l.Viewpoints = append(b.l.Viewpoints, &v)
}

func (b *builder) rig(id, name string, kelvin float64) *level.Rig {
	r := level.Default[level.Rig]()
	r.ID, r.Name, r.KeyKelvin = id, name, kelvin
	b.l.Rigs = append(b.l.Rigs, &r)
	return &r
}

// noLight lists faces of a block that nobody sees, so that they cost no texels.
func noLight(s *level.Solid, faces ...int) {
	for _, i := range faces {
		f := level.Face{Index: i, Surface: s.FaceSurface(i)}
		f.ReceivesLight = false
		s.Faces = append(s.Faces, f)
	}
}

func quatY(deg float64) mgl64.Quat { return mgl64.QuatRotate(deg*math.Pi/180, geom.Vec3{0, 1, 0}) }

func rotX(deg float64) mgl64.Quat { return mgl64.QuatRotate(deg*math.Pi/180, geom.Vec3{1, 0, 0}) }

func quatArray(q mgl64.Quat) [4]float64 { return [4]float64{q.V[0], q.V[1], q.V[2], q.W} }

// reeds adds a clump of blades that bend with the wind, as one mesh.
func (b *builder) reeds(id, name string, foot level.Vec, blades int, radius, height float64) *level.Mesh {
	m := level.Default[level.Mesh]()
	m.ID, m.Name, m.Surface.Material, m.Surface.Density = id, name, "reed", 6
	m.Transform.Position = foot
	m.Sways = &level.Sway{ReachM: 0.9 * height, PeriodS: 2.2}
	const parts = 4 // of a blade
	for i := range blades {
		turn, out := 2.4*float64(i), radius*math.Sqrt((float64(i)+0.5)/float64(blades)) // evenly over a disc
		sin, cos := math.Sincos(turn)
		tall := height * (0.7 + 0.3*math.Abs(math.Sin(3.7*float64(i))))
		first := uint32(len(m.Positions) / 3)
		for k := range parts + 1 {
			up := float64(k) / parts
			at := out + 0.16*tall*up*up // blades lean outward
			half := 0.022 * (1 - 0.9*up)
			for _, side := range []float64{-half, half} {
				m.Positions = append(m.Positions, at*cos-side*sin, tall*up, at*sin+side*cos)
			}
			if k > 0 {
				a := first + uint32(2*k)
				m.Indices = append(m.Indices, a-2, a, a-1, a-1, a, a+1)
			}
		}
	}
	b.l.Meshes = append(b.l.Meshes, &m)
	return &m
}
