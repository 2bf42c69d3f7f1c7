package scene

import (
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/trace"
)

// Meshes that show one geometry share its patches and its hierarchy. A placed mesh has its surfaces, which
// light falls on, and no triangles of its own: they are those of its geometry, turned and scaled where they
// are asked for.

// leastShared is how many triangles a geometry has at least for that; below it, rays that meet it cost more
// than its triangles take.
const leastShared = 64

// forms are what the meshes of one geometry share, by how they stretch it: the same for all that only scale it.
type forms struct {
	geometry *level.Geometry
	by       map[geom.Vec3]*form
}

// form is the patches of a geometry and its hierarchy, in its own space.
type form struct {
	order, starts []int32 // triangles that have a normal, patch after patch, and where each patch begins
	tracer        *trace.Scene
	space         level.Mesh // the geometry, stretched and not scaled
}

// placed is what a mesh has that shows a geometry which others show too.
type placed struct {
	form *form
	pose geom.Pose
	box  trace.Box
	size float64 // times the form
}

// shared are the forms of those geometries of a level that several meshes share, by their ids.
type shared map[string]*forms

func sharedOf(l *level.Level) shared {
	shown := map[string]int{}
	for _, m := range l.Meshes {
		if m.Enabled && m.Sways == nil {
			shown[m.Geometry]++
		}
	}
	all := shared{}
	for _, g := range l.Geometries {
		if shown[g.ID] > 1 && len(g.Indices)/3 >= leastShared {
			all[g.ID] = &forms{g, map[geom.Vec3]*form{}}
		}
	}
	return all
}

// of is the form that a mesh shares; nil for one that has triangles of its own. So has what sways, as each
// bends in its own way.
func (s shared) of(m *level.Mesh) *form {
	f := s[m.Geometry]
	if f == nil || m.Sways != nil {
		return nil
	}
	stretch := m.ScaleOf().Mul(1 / m.ScaleOf()[0])
	for axis := range stretch {
		stretch[axis] = float64(float32(stretch[axis])) // scales differ by rounding
	}
	known := f.by[stretch]
	if known == nil {
		known = newForm(f.geometry, stretch)
		f.by[stretch] = known
	}
	return known
}

func newForm(g *level.Geometry, stretch geom.Vec3) *form {
	f := &form{space: level.Mesh{Triangles: g.Triangles, Scale: level.Vec(stretch)}}
	corners := func(t int32) (a, b, c geom.Vec3) {
		at := g.Indices[3*t:]
		return f.space.Vertex(at[0]), f.space.Vertex(at[1]), f.space.Vertex(at[2])
	}
	f.order, f.starts = patchesOf(&f.space, corners)
	triangles := make([]trace.Triangle, len(f.order))
	for k, t := range f.order {
		a, b, c := corners(t)
		triangles[k] = trace.Triangle{A: f32(a), B: f32(b), C: f32(c)}
	}
	f.tracer = trace.New(triangles)
	return f
}

// addPlaced adds the surfaces of a mesh that shows a form.
func (s *Scene) addPlaced(mesh *level.Mesh, f *form, alike *alike) {
	p := &placed{form: f, pose: s.World.Pose(&mesh.Entity), size: mesh.ScaleOf()[0]}
	bounds := geom.NoBounds()
	for v := range mesh.Vertices() {
		bounds.Grow(p.pose.Apply(v))
	}
	if !bounds.Empty() {
		s.Bounds.Grow(bounds.Min)
		s.Bounds.Grow(bounds.Max)
		p.box = trace.Around(bounds.Min, bounds.Max)
	}
	body := s.addBody(Body{Entity: mesh.ID, Mesh: mesh, placed: p, source: &f.order})
	if len(mesh.Normals) > 0 {
		body.shading = &shading{p.pose.Rotation}
	}
	part := &Part{body, alike.finish(mesh.Surface, s.World.ZoneOf(&mesh.Entity), false)}
	s.addPatches(part, f.order, f.starts, func(int32, bool) { s.shared++ })
}

// placedTriangle is one of the scene's triangles that is of this body, which is placed.
func (b *Body) placedTriangle(i int) trace.Triangle {
	var t [3]trace.Vec
	for k := range t {
		vertex, _ := b.corner(i, k)
		t[k] = f32(b.placed.pose.Apply(b.Mesh.Vertex(uint32(vertex))))
	}
	return trace.Triangle{A: t[0], B: t[1], C: t[2]}
}

// placedScenes are the hierarchies of those placed meshes whose surfaces a function takes.
func (s *Scene) placedScenes(takes func(*Surface) bool) (list []trace.Placed) {
	var last *Body
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		b := f.Body()
		if b == last || b.placed == nil {
			continue
		}
		last = b
		if !takes(f) {
			continue
		}
		at := trace.Placed{Scene: b.placed.form.tracer, Box: b.placed.box, First: b.first}
		back := b.placed.pose.Rotation.Inverse()
		for axis := range 3 {
			unit := geom.Vec3{}
			unit[axis] = 1
			column := back.Rotate(unit).Mul(1 / b.placed.size)
			for row := range 3 {
				at.From[row][axis] = float32(column[row])
			}
		}
		origin := back.Rotate(b.placed.pose.Position).Mul(-1 / b.placed.size)
		for row := range 3 {
			at.From[row][3] = float32(origin[row])
		}
		list = append(list, at)
	}
	return list
}
