// Package scene prepares a level for light: every enabled solid and mesh becomes
// triangles in the level's space, grouped into flat charts' worth of surface,
// with a ray hierarchy of what stops light and one of what is seen. It is built
// once for a revision and then only read.
package scene

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/trace"
)

// Surface is one nearly flat patch: a face of a solid, or connected triangles of
// a mesh whose normals lie within chartSpread of each other.
type Surface struct {
	Entity   string // id of the solid or mesh
	Face     int    // of a solid: its face; of a mesh: the patch's number
	Normal   geom.Vec3
	Outline  []geom.Vec3    // of a solid: the convex face, counter-clockwise
	Tris     [][3]geom.Vec3 // all of its triangles
	First    int            // its first triangle in Scene.Triangles
	Zone     string
	Material *level.Material // never nil
	Albedo   color.Linear
	level.Surface
	DensityM float64 // texels per metre, with the level's default in place
}

// Scene is a level made ready for rays.
type Scene struct {
	Level     *level.Level
	World     *level.World
	Surfaces  []Surface
	Triangles []trace.Triangle
	SurfaceOf []int32 // of each triangle
	Bounds    geom.Bounds
	blocks    []block
	shadow    *trace.Scene // what casts shadows
	shadowTri []int32      // its triangles, as indices of Triangles
	seen      *trace.Scene // what is visible
	seenTri   []int32
}

// block is a solid as half-spaces in the level's space, to tell inside from out.
type block struct {
	bounds geom.Bounds
	planes []geom.Plane
	id     string
}

var plainGrey = func() *level.Material {
	m := level.Default[level.Material]()
	return &m
}()

// Build prepares a validated level.
func Build(l *level.Level) *Scene {
	s := &Scene{Level: l, World: l.World(), Bounds: geom.NoBounds()}
	materials := map[string]*level.Material{"": plainGrey}
	for _, m := range l.Materials {
		materials[m.ID] = m
	}
	for _, solid := range l.Solids {
		if solid.Enabled {
			s.addSolid(solid, materials)
		}
	}
	for _, mesh := range l.Meshes {
		if mesh.Enabled {
			s.addMesh(mesh, materials)
		}
	}
	s.buildTracers()
	return s
}

func (s *Scene) addSolid(solid *level.Solid, materials map[string]*level.Material) {
	pose := s.World.Pose(&solid.Entity)
	zone := s.zoneName(&solid.Entity)
	blk := block{bounds: geom.NoBounds(), id: solid.ID}
	planes := solid.FacePlanes()
	for i, polygon := range solid.FacePolygons() {
		if len(polygon) < 3 {
			continue
		}
		for j := range polygon {
			polygon[j] = pose.Apply(polygon[j])
			blk.bounds.Grow(polygon[j])
		}
		normal := pose.Rotation.Rotate(planes[i].Normal)
		blk.planes = append(blk.planes, geom.Plane{Normal: normal, Distance: normal.Dot(polygon[0])})
		surface := Surface{Entity: solid.ID, Face: i, Normal: normal, Outline: polygon, Zone: zone, Surface: solid.FaceSurface(i)}
		for j := 2; j < len(polygon); j++ {
			surface.Tris = append(surface.Tris, [3]geom.Vec3{polygon[0], polygon[j-1], polygon[j]})
		}
		s.addSurface(surface, materials)
	}
	if solid.Surface.CastsShadow {
		s.blocks = append(s.blocks, blk)
	}
}

func (s *Scene) zoneName(e *level.Entity) string {
	if z := s.World.ZoneOf(e); z != nil {
		return z.ID
	}
	return ""
}

func (s *Scene) addSurface(surface Surface, materials map[string]*level.Material) {
	surface.Material = materials[surface.Surface.Material]
	surface.Albedo = surface.Material.Albedo()
	surface.DensityM = surface.Density
	if surface.DensityM == 0 {
		surface.DensityM = s.Level.Lightmap.Density
	}
	surface.First = len(s.Triangles)
	for _, t := range surface.Tris {
		s.Triangles = append(s.Triangles, trace.Triangle{A: f32(t[0]), B: f32(t[1]), C: f32(t[2])})
		s.SurfaceOf = append(s.SurfaceOf, int32(len(s.Surfaces)))
		for _, v := range t {
			s.Bounds.Grow(v)
		}
	}
	s.Surfaces = append(s.Surfaces, surface)
}

func (s *Scene) buildTracers() {
	var shadow, seen []trace.Triangle
	for i, t := range s.Triangles {
		surface := &s.Surfaces[s.SurfaceOf[i]]
		if surface.CastsShadow {
			shadow = append(shadow, t)
			s.shadowTri = append(s.shadowTri, int32(i))
		}
		if surface.Visible {
			seen = append(seen, t)
			s.seenTri = append(s.seenTri, int32(i))
		}
	}
	s.shadow, s.seen = trace.New(shadow), trace.New(seen)
}

// OffsetM is how far from a surface rays start, so that they do not meet it.
const OffsetM = 0.002

// Blocked tells whether anything that casts shadows lies between two points.
func (s *Scene) Blocked(from, to geom.Vec3) bool {
	return s.shadow.Occluded(segment(from, to))
}

// Ray is from the first point to the second.
func segment(from, to geom.Vec3) trace.Ray {
	o, t := f32(from), f32(to)
	return trace.Ray{Origin: o, Dir: trace.Vec{t[0] - o[0], t[1] - o[1], t[2] - o[2]}, Max: 1}
}

// Blockers are the ids of the entities between two points, nearest first, each
// once, with the point where the line first meets it.
func (s *Scene) Blockers(from, to geom.Vec3) []Blocker {
	var found []Blocker
	at := map[string]int{}
	s.shadow.Each(segment(from, to), func(h trace.Hit) {
		id := s.Surfaces[s.SurfaceOf[s.shadowTri[h.Triangle]]].Entity
		if i, ok := at[id]; ok {
			found[i].share = math.Min(found[i].share, float64(h.T))
			return
		}
		at[id] = len(found)
		found = append(found, Blocker{ID: id, share: float64(h.T)})
	})
	sortBlockers(found)
	for i := range found {
		found[i].Point = from.Add(to.Sub(from).Mul(found[i].share))
	}
	return found
}

// Blocker is what stands in the way of a light, and where.
type Blocker struct {
	ID    string
	Point geom.Vec3
	share float64
}

func sortBlockers(b []Blocker) {
	for i := 1; i < len(b); i++ {
		for j := i; j > 0 && (b[j].share < b[j-1].share || b[j].share == b[j-1].share && b[j].ID < b[j-1].ID); j-- {
			b[j], b[j-1] = b[j-1], b[j]
		}
	}
}

// Seen is what a camera ray meets.
type Seen struct {
	Surface  int
	Triangle int
	Point    geom.Vec3
	Distance float64
	U, V     float64 // weights of the triangle's second and third corner
}

// See finds the first visible surface along a unit direction.
func (s *Scene) See(from, dir geom.Vec3, far float64) (Seen, bool) {
	h, ok := s.seen.Closest(trace.Ray{Origin: f32(from), Dir: f32(dir), Max: float32(far)})
	if !ok {
		return Seen{}, false
	}
	t := int(s.seenTri[h.Triangle])
	return Seen{
		Surface:  int(s.SurfaceOf[t]),
		Triangle: t,
		Point:    from.Add(dir.Mul(float64(h.T))),
		Distance: float64(h.T),
		U:        float64(h.U), V: float64(h.V),
	}, true
}

// Inside is the id of a solid that holds a point deeper than OffsetM/2, or "".
func (s *Scene) Inside(p geom.Vec3) string {
	for i := range s.blocks {
		if b := &s.blocks[i]; b.bounds.Contains(p) && b.holds(p) {
			return b.id
		}
	}
	return ""
}

func (b *block) holds(p geom.Vec3) bool {
	for _, plane := range b.planes {
		if plane.Normal.Dot(p) > plane.Distance-OffsetM/2 {
			return false
		}
	}
	return true
}

func f32(v geom.Vec3) trace.Vec { return trace.Vec{float32(v[0]), float32(v[1]), float32(v[2])} }
