// Package scene prepares a level for light. Every enabled solid and mesh becomes triangles in
// the level's space. Triangles are grouped into nearly flat surfaces. There is a ray hierarchy
// of what stops light and one of what is seen. A scene is built once for a revision and then
// only read.
package scene

import (
	"cmp"
	"hash/maphash"
	"iter"
	"math"
	"slices"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lists"
	"grotta/core/picture"
	"grotta/core/trace"
)

// Surface is one nearly flat patch: a face of a solid, or connected triangles of
// a mesh whose normals lie within chartSpread of each other.
type Surface struct {
	part  *Part
	Face  int32 // of a solid: its face; of a mesh: the patch's number
	First int32 // its first triangle; they end where the next one's begin
}

// Body is the solid or the mesh that it is of.
func (f *Surface) Body() *Body { return f.part.Body }

// Finish is its look and its roles.
func (f *Surface) Finish() *Finish { return f.part.Finish }

// Part is what surfaces of a body with one finish have in common.
type Part struct {
	Body   *Body
	Finish *Finish
}

// Body is what the surfaces of a solid or a mesh have in common.
type Body struct {
	Entity string
	Solid  *level.Solid // one of these
	Mesh   *level.Mesh
	Bend   *Bend // of a mesh that sways
	filled bool  // a block that water fills
	first  int32 // triangle
	// Of a mesh with two sides: how many triangles its front has. Those of its back come after, in the
	// same order, and face the other way. 0 for none.
	front int32
	// For a solid: the index in the scene's lists at which its entries begin.
	normals, distances  int32
	corners, cornersEnd int32
	source              *[]int32 // of a mesh with an image laid by its corners or with normals, or placed: which triangle of it each is
	shading             *shading // of a mesh with normals
	placed              *placed  // of a mesh whose triangles several share
}

// Base is what it has in common with all that has a place.
func (b *Body) Base() *level.Entity {
	if b.Solid != nil {
		return &b.Solid.Entity
	}
	return &b.Mesh.Entity
}

// Finish is what many surfaces have alike: the document's roles, and what they look up.
type Finish struct {
	Roles    level.Surface // as the document has them
	Zone     string
	Material *level.Material // never nil
	Albedo   color.Linear    // its mean, where an image varies it
	Image    *picture.Picture
	DensityM float64 // texels per metre, with the level's default in place
}

// Scene is a level made ready for rays.
type Scene struct {
	Level     *level.Level
	World     *level.World
	Surfaces  []Surface
	SurfaceOf []int32 // of each triangle
	Bounds    geom.Bounds
	Waters    []Water // blocks that water fills
	bodies    []Body
	normals   []geom.Vec3      // of solids' planes; many solids share them
	distances []float64        // of each of their planes, how far out along its normal it is
	corners   []trace.Vec      // of solids
	cornersOf [][3]uint16      // of each triangle of a solid, among the corners of that
	loose     []trace.Triangle // of meshes, which come after
	shared    int              // triangles of placed meshes, which come last
	blocks    []int32          // of the bodies: solids that cast shadows
	blocksAt  *trace.Boxes     // of the blocks
	meshes    []int32          // of the surfaces: those of meshes that cast shadows
	meshBoxes []trace.Box      // of those
	meshesAt  *trace.Boxes     // of those
	// Each triangle is in one of these at most.
	shadow  *trace.Scene   // what always stops light
	careful *trace.Scene   // what stops it here and not there: cut-outs, and backs that pass
	clear   *trace.Scene   // what is visible and never stops it, but for water
	water   *trace.Scene   // visible surfaces of water
	dry     []*trace.Scene // where what is visible is but for water, maybe among other things
	seen    []*trace.Scene // that and water

	lean    Lean // by which light falls on surfaces; see lean.go
	puddles *lazyPuddles
}

var plainGrey = func() *level.Material {
	m := level.Default[level.Material]()
	return &m
}()

// Build prepares a validated level.
func Build(l *level.Level) *Scene {
	s := &Scene{Level: l, World: l.World(), Bounds: geom.NoBounds(), puddles: &lazyPuddles{}}
	s.bodies = make([]Body, 0, len(l.Solids)+len(l.Meshes)) // surfaces point into it
	shared, triangles := sharedOf(l), 0
	for _, mesh := range l.Meshes {
		if shared.of(mesh) == nil {
			triangles += len(mesh.Indices) / 3
		}
	}
	s.cornersOf = make([][3]uint16, 0, 12*len(l.Solids)) // as if they were boxes
	s.loose = make([]trace.Triangle, 0, triangles)
	s.Surfaces = make([]Surface, 0, 6*len(l.Solids)+len(l.Meshes))
	alike := s.newAlike()
	for _, solid := range l.Solids {
		if solid.Enabled {
			s.addSolid(solid, alike)
		}
	}
	for _, mesh := range l.Meshes {
		if mesh.Enabled && shared.of(mesh) == nil {
			s.addMesh(mesh, alike)
		}
	}
	for _, mesh := range l.Meshes {
		if form := shared.of(mesh); mesh.Enabled && form != nil {
			s.addPlaced(mesh, form, alike)
		}
	}
	s.Surfaces, s.cornersOf, s.loose = lists.Exact(s.Surfaces), lists.Exact(s.cornersOf), lists.Exact(s.loose)
	s.normals, s.distances, s.corners = lists.Exact(s.normals), lists.Exact(s.distances), lists.Exact(s.corners)
	s.SurfaceOf = make([]int32, s.Triangles())
	for i := range s.Surfaces {
		for t := s.Surfaces[i].First; t < s.end(i); t++ {
			s.SurfaceOf[t] = int32(i)
		}
	}
	s.buildTracers()
	s.findBlocks()
	s.findWaters()
	return s
}

// MemoryBytes is what it takes in memory beside its level.
func (s *Scene) MemoryBytes() int {
	sum := lists.MemoryBytes(s.Surfaces) + lists.MemoryBytes(s.SurfaceOf) + lists.MemoryBytes(s.bodies) +
		lists.MemoryBytes(s.normals) + lists.MemoryBytes(s.distances) + lists.MemoryBytes(s.corners) +
		lists.MemoryBytes(s.cornersOf) + lists.MemoryBytes(s.loose) + lists.MemoryBytes(s.blocks) + s.blocksAt.MemoryBytes() +
		lists.MemoryBytes(s.meshes) + lists.MemoryBytes(s.meshBoxes) + s.meshesAt.MemoryBytes()
	sources := map[*int32]bool{} // placed meshes share theirs
	for i := range s.bodies {
		if source := s.bodies[i].source; source != nil && len(*source) > 0 && !sources[&(*source)[0]] {
			sources[&(*source)[0]] = true
			sum += lists.MemoryBytes(*source)
		}
	}
	for _, t := range []*trace.Scene{s.shadow, s.careful, s.clear, s.water} {
		sum += t.MemoryBytes()
	}
	return sum
}

// alike gives surfaces that look alike one Finish, and solids whose faces look the same
// ways the same normals.
type alike struct {
	level     *level.Level
	materials map[string]paint
	finishes  map[finishKey]*Finish
	seed      maphash.Seed
	normals   map[uint64]int32 // where those of a solid begin, by their hash
}

type finishKey struct {
	level.Surface
	zone   string
	wet    float64
	filled bool // it is a block's, which its material may fill with water
}

// paint is a material with its image at hand.
type paint struct {
	*level.Material
	albedo color.Linear
	image  *picture.Picture
}

func (s *Scene) newAlike() *alike {
	all := &alike{s.Level, map[string]paint{"": {plainGrey, plainGrey.Albedo(), nil}}, map[finishKey]*Finish{}, maphash.MakeSeed(), map[uint64]int32{}}
	for _, m := range s.Level.Materials {
		all.materials[m.ID] = paintOf(m, s.Level.Image(m.Image).Picture())
	}
	return all
}

func paintOf(m *level.Material, image *picture.Picture) paint {
	p := paint{m, m.Albedo(), image}
	if image != nil {
		p.albedo = p.albedo.Mul(image.Mean())
	}
	return p
}

func (a *alike) finish(surface level.Surface, zone *level.Zone, filled bool) *Finish {
	key := finishKey{Surface: surface, wet: a.level.Wetness(zone), filled: filled}
	if zone != nil {
		key.zone = zone.ID
	}
	if known := a.finishes[key]; known != nil {
		return known
	}
	m := a.materials[surface.Material]
	m = paint{m.Filled(filled), m.albedo, m.image}
	if key.wet > 0 {
		m = paintOf(m.Material.Wet(key.wet), m.image)
	}
	made := &Finish{Roles: surface, Zone: key.zone, Material: m.Material, Albedo: m.albedo, Image: m.image,
		DensityM: cmp.Or(surface.Density, a.level.Lightmap.Density)}
	if m.Lighting == "dynamic" {
		made.Roles.ReceivesLight = false
	}
	if filled && m.IsWater() {
		made.Roles.CastsShadow = false
	}
	a.finishes[key] = made
	return made
}

func (s *Scene) addSolid(solid *level.Solid, alike *alike) {
	zone := s.World.ZoneOf(&solid.Entity)
	body := s.addBody(Body{Entity: solid.ID, Solid: solid})
	planes, part := solid.FacePlanes(), &Part{}
	body.filled = alike.materials[solid.Surface.Material].IsWater()
	body.normals, body.distances, body.corners = s.addNormals(solid, planes, alike), int32(len(s.distances)), int32(len(s.corners))
	for i := range planes {
		normal, distance := s.normalOf(body, i), math.Inf(1) // of one that other faces leave nothing of
		polygon := s.face(solid, planes, i)
		if len(polygon) >= 3 {
			distance = normal.Dot(polygon[0])
		}
		if s.distances = append(s.distances, distance); len(polygon) < 3 {
			continue
		}
		surface := solid.FaceSurface(i)
		if body.filled {
			surface.Material = solid.Surface.Material // water has one on all sides
		}
		if finish := alike.finish(surface, zone, body.filled); part.Finish != finish {
			part = &Part{body, finish}
		}
		s.addSurface(part, i)
		at := make([]uint16, len(polygon))
		for k, v := range polygon {
			s.Bounds.Grow(v)
			at[k] = s.addCorner(body, f32(v))
		}
		for j := 2; j < len(at); j++ {
			s.cornersOf = append(s.cornersOf, [3]uint16{at[0], at[j-1], at[j]})
		}
	}
	body.cornersEnd = int32(len(s.corners))
}

// addNormals adds the normals of a solid's planes in the level's space, unless an earlier
// solid has added the same ones. It returns the index of the first.
func (s *Scene) addNormals(solid *level.Solid, planes []geom.Plane, alike *alike) (first int32) {
	turn, count, hash := s.World.Pose(&solid.Entity).Rotation, len(s.normals), maphash.Hash{}
	hash.SetSeed(alike.seed)
	for i := range planes {
		s.normals = append(s.normals, turn.Rotate(planes[i].Normal))
		maphash.WriteComparable(&hash, s.normals[count+i])
	}
	first, known := alike.normals[hash.Sum64()]
	if own := s.normals[count:]; known && slices.Equal(own, s.normals[first:][:min(len(own), count-int(first))]) {
		s.normals = s.normals[:count]
		return first
	}
	alike.normals[hash.Sum64()] = int32(count)
	return int32(count)
}

// normalOf is the normal of one of a solid's planes.
func (s *Scene) normalOf(b *Body, plane int) geom.Vec3 { return s.normals[int(b.normals)+plane] }

// addCorner adds a corner to the newest body, unless it has one at that place, and returns
// its number.
func (s *Scene) addCorner(b *Body, at trace.Vec) uint16 {
	k := slices.Index(s.corners[b.corners:], at)
	if k < 0 {
		k = len(s.corners) - int(b.corners)
		s.corners = append(s.corners, at)
	}
	return uint16(k)
}

// face is the outline of a solid's face in the level's space.
func (s *Scene) face(solid *level.Solid, planes []geom.Plane, face int) []geom.Vec3 {
	polygon, pose := geom.ConvexFace(planes, face), s.World.Pose(&solid.Entity)
	for i := range polygon {
		polygon[i] = pose.Apply(polygon[i])
	}
	return polygon
}

// Outline is the convex face that a surface of a solid is, counter-clockwise. It is cut
// each time, which costs less than keeping it.
func (s *Scene) Outline(f *Surface) []geom.Vec3 {
	return s.face(f.Body().Solid, f.Body().Solid.FacePlanes(), int(f.Face))
}

// addBody adds a solid or mesh, without surfaces at first.
func (s *Scene) addBody(body Body) *Body {
	body.first = int32(s.Triangles())
	s.bodies = append(s.bodies, body)
	return &s.bodies[len(s.bodies)-1]
}

// addSurface adds a surface to the newest body.
func (s *Scene) addSurface(part *Part, face int) {
	s.Surfaces = append(s.Surfaces, Surface{part, int32(face), int32(s.Triangles())})
}

// addTriangle adds a triangle to the newest surface, which is a mesh's.
func (s *Scene) addTriangle(a, b, c geom.Vec3) {
	s.loose = append(s.loose, trace.Triangle{A: f32(a), B: f32(b), C: f32(c)})
	for _, v := range []geom.Vec3{a, b, c} {
		s.Bounds.Grow(v)
	}
}

// end is where the triangles of a surface end.
func (s *Scene) end(surface int) int32 {
	if surface+1 < len(s.Surfaces) {
		return s.Surfaces[surface+1].First
	}
	return int32(s.Triangles())
}

// DrawnTriangles is how many triangles are drawn: without backs, whose fronts are drawn from both sides.
func (s *Scene) DrawnTriangles() (count int) {
	count = s.Triangles()
	for i := range s.bodies {
		count -= int(s.bodies[i].front)
	}
	return count
}

// Triangles is how many there are.
func (s *Scene) Triangles() int { return len(s.cornersOf) + len(s.loose) + s.shared }

// Triangle returns triangle i, in the level's space.
func (s *Scene) Triangle(i int) trace.Triangle {
	if i >= len(s.cornersOf)+len(s.loose) {
		return s.Surfaces[s.SurfaceOf[i]].Body().placedTriangle(i)
	}
	if i >= len(s.cornersOf) {
		return s.loose[i-len(s.cornersOf)]
	}
	at, corners := &s.cornersOf[i], s.corners[s.Surfaces[s.SurfaceOf[i]].Body().corners:]
	return trace.Triangle{A: corners[at[0]], B: corners[at[1]], C: corners[at[2]]}
}

// TrianglesOf returns the index of the first triangle of a surface and the index after the last.
func (s *Scene) TrianglesOf(f *Surface) (first, end int) {
	return int(f.First), int(s.end(int(s.SurfaceOf[f.First])))
}

// Corners are the corners of each triangle of a surface, to float32's precision.
func (s *Scene) Corners(f *Surface) iter.Seq[[3]geom.Vec3] {
	return func(yield func([3]geom.Vec3) bool) {
		for i, end := s.TrianglesOf(f); i < end; i++ {
			if !yield(s.CornersOf(i)) {
				return
			}
		}
	}
}

// CornersOf returns the corners of a triangle.
func (s *Scene) CornersOf(triangle int) [3]geom.Vec3 {
	t := s.Triangle(triangle)
	return [3]geom.Vec3{vec(t.A), vec(t.B), vec(t.C)}
}

func (s *Scene) buildTracers() {
	s.shadow = s.tracer(nil, func(f *Surface) bool { return f.Finish().Roles.CastsShadow && !s.isCareful(f) })
	s.careful = s.tracer(nil, func(f *Surface) bool { return f.Finish().Roles.CastsShadow && s.isCareful(f) })
	s.clear = s.tracer(nil, func(f *Surface) bool {
		return f.Finish().Roles.Visible && !f.Finish().Roles.CastsShadow && !s.isWater(f)
	})
	s.water = s.tracer(nil, func(f *Surface) bool { return f.Finish().Roles.Visible && s.isWater(f) })
	s.findSeen(s.shadow, s.careful, s.clear)
}

// findSeen takes where what is visible is, but for water.
func (s *Scene) findSeen(dry ...*trace.Scene) {
	s.dry = slices.DeleteFunc(dry, (*trace.Scene).Empty)
	if s.seen = s.dry; !s.water.Empty() {
		s.seen = append(slices.Clone(s.dry), s.water)
	}
}

// isCareful tells whether a hit on a surface has to be looked at before it
// counts: it is cut out by its image, or its back lets light pass.
func (s *Scene) isCareful(f *Surface) bool {
	return f.cutOut() || s.Level.Lightmap.Backs == "pass" && f.Body().Mesh != nil && !f.Finish().Material.HasTwoSides()
}

func (f *Surface) cutOut() bool {
	return f.Finish().Material.Cutoff > 0 && f.Finish().Image != nil && f.Finish().Image.Alpha != nil
}

// IsBack tells whether a surface is the back of a mesh with two sides. Rays that meet its front from
// behind meet it. It has light of its own.
func (f *Surface) IsBack() bool {
	b := f.Body()
	return b.front > 0 && f.First >= b.first+b.front
}

// OtherSide is the triangle of the same place on the other side of a mesh with two sides, or -1. The
// second and the third corner change places.
func (s *Scene) OtherSide(triangle int) int {
	b := s.Surfaces[s.SurfaceOf[triangle]].Body()
	switch {
	case b.front == 0:
		return -1
	case triangle < int(b.first+b.front):
		return triangle + int(b.front)
	}
	return triangle - int(b.front)
}

// Translucency is the share of the light that a surface scatters that leaves on its other side: 0 but
// on meshes with two sides.
func (s *Scene) Translucency(f *Surface) float64 {
	if f.Body().front == 0 {
		return 0
	}
	return f.Finish().Material.Translucency
}

// tracer builds a hierarchy over the triangles of those surfaces that a function accepts, without
// backs: fronts stand for them. moved are the triangles where they are not at rest; nil where they are.
func (s *Scene) tracer(moved func(i int) trace.Triangle, accepts func(*Surface) bool) *trace.Scene {
	var placed []trace.Placed
	triangle, takes := moved, func(f *Surface) bool { return !f.IsBack() && accepts(f) }
	if moved == nil {
		placed = s.placedScenes(takes)
		triangle, takes = s.Triangle, func(f *Surface) bool { return f.Body().placed == nil && !f.IsBack() && accepts(f) }
	}
	count := 0
	for i := range s.Surfaces {
		if f := &s.Surfaces[i]; takes(f) {
			count += int(s.end(i) - f.First)
		}
	}
	return trace.NewWith(trace.List{
		Len: s.Triangles(), At: triangle, Count: count,
		Takes: func(i int) bool { return takes(&s.Surfaces[s.SurfaceOf[i]]) },
	}, placed)
}

// facing is the direction in which a triangle faces, of any length.
func (s *Scene) facing(triangle int) geom.Vec3 {
	if f := &s.Surfaces[s.SurfaceOf[triangle]]; f.Body().Solid != nil {
		return s.normalOf(f.Body(), int(f.Face))
	}
	return across(s.CornersOf(triangle))
}

// across returns the direction that a triangle faces, by three counter-clockwise corners.
func across(c [3]geom.Vec3) geom.Vec3 { return c[1].Sub(c[0]).Cross(c[2].Sub(c[0])) }

// NormalOf is the normal of a triangle, of unit length.
func (s *Scene) NormalOf(triangle int) geom.Vec3 {
	if f := &s.Surfaces[s.SurfaceOf[triangle]]; f.Body().Solid != nil {
		return s.normalOf(f.Body(), int(f.Face))
	}
	return s.facing(triangle).Normalize()
}

// Normal is the normal of a surface's first triangle.
func (s *Scene) Normal(f *Surface) geom.Vec3 { return s.NormalOf(int(f.First)) }

// uv is where in its image a hit lies.
func (s *Scene) uv(f *Surface, triangle int, h trace.Hit) (u, v float64) {
	if f.Body().isLaid() {
		a, b, c := 1-float64(h.U)-float64(h.V), float64(h.U), float64(h.V)
		for k, weight := range [3]float64{a, b, c} {
			x, y := f.Body().cornerUV(triangle, k)
			u, v = u+weight*x, v+weight*y
		}
		return u, v
	}
	c := s.CornersOf(triangle)
	e1, e2 := c[1].Sub(c[0]), c[2].Sub(c[0])
	return s.flatUV(f, c[0].Add(e1.Mul(float64(h.U))).Add(e2.Mul(float64(h.V))))
}

// isLaid tells whether the body's image is laid by its corners.
func (b *Body) isLaid() bool { return b.Mesh != nil && len(b.Mesh.UVs) > 0 }

// corner is the vertex of the mesh at a corner of one of the scene's triangles, and whether the
// triangle is of the back.
func (b *Body) corner(triangle, corner int) (vertex int, isBack bool) {
	of := triangle - int(b.first)
	if front := int(b.front); front > 0 && of >= front {
		of, corner, isBack = of-front, (3-corner)%3, true
	}
	return int(b.Mesh.Indices[3*int((*b.source)[of])+corner]), isBack
}

// cornerUV is where in its image a corner of one of the scene's triangles lies.
func (b *Body) cornerUV(triangle, corner int) (u, v float64) {
	at, _ := b.corner(triangle, corner)
	return b.Mesh.UVs[2*at], b.Mesh.UVs[2*at+1]
}

// flatUV lays the image by metres along the surface's own axes.
func (s *Scene) flatUV(f *Surface, p geom.Vec3) (u, v float64) {
	n := s.Normal(f)
	if f.IsBack() { // holes of the image go through
		n = n.Mul(-1)
	}
	x, y := geom.Axes(n)
	return x.Dot(p) / f.Finish().Material.ImageM, -y.Dot(p) / f.Finish().Material.ImageM
}

// CornerUV is where in its image a corner of one of a surface's triangles lies, or for an
// image that lies by metres, any point.
func (s *Scene) CornerUV(f *Surface, triangle, corner int, p geom.Vec3) (u, v float64) {
	if f.Body().isLaid() {
		return f.Body().cornerUV(int(f.First)+triangle, corner)
	}
	return s.flatUV(f, p)
}

// AlbedoAt is the albedo at a point of one of its triangles.
func (s *Scene) AlbedoAt(triangle int, p geom.Vec3, u, v float64) color.Linear {
	f := &s.Surfaces[s.SurfaceOf[triangle]]
	if f.Finish().Image == nil {
		return f.Finish().Albedo
	}
	x, y := s.uv(f, triangle, trace.Hit{U: float32(u), V: float32(v)})
	return f.Finish().Material.Albedo().Mul(f.Finish().Image.At(x, y))
}

func vec(v trace.Vec) geom.Vec3 { return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])} }

func f32(v geom.Vec3) trace.Vec { return trace.Vec{float32(v[0]), float32(v[1]), float32(v[2])} }
