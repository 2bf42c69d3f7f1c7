// Package scene prepares a level for light: every enabled solid and mesh becomes
// triangles in the level's space, grouped into flat charts' worth of surface,
// with ray hierarchies of what stops light and what is seen. It is built
// once for a revision and then only read.
package scene

import (
	"cmp"
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
	*Part
	Face  int32 // of a solid: its face; of a mesh: the patch's number
	First int32 // its first triangle; they end where the next one's begin
}

// Part is what surfaces of a body with one finish have in common.
type Part struct {
	*Body
	*Finish
}

// Body is what the surfaces of a solid or a mesh have in common.
type Body struct {
	Entity string
	Solid  *level.Solid // one of these
	Mesh   *level.Mesh
	Bend   *Bend // of a mesh that sways
	first  int32 // triangle
	// Of a solid, in the level's space: the planes of its faces, and its corners.
	planes  []geom.Plane
	corners []trace.Vec
	source  []int32 // of a mesh with an image laid by its corners: which triangle of it each is
}

// Finish is what many surfaces have alike: the document's roles, and what they look up.
type Finish struct {
	level.Surface
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
	bodies    []Body
	cornersOf [][3]uint16      // of each triangle of a solid, among the corners of that
	loose     []trace.Triangle // of meshes, which come after
	blocks    []int32          // of the bodies: solids that cast shadows
	blocksAt  *trace.Boxes     // of the blocks
	// Each triangle is in one of these at most.
	shadow  *trace.Scene   // what always stops light
	careful *trace.Scene   // what stops it here and not there: cut-outs, and backs that pass
	clear   *trace.Scene   // what is visible and never stops it
	seen    []*trace.Scene // where what is visible is, maybe among other things
}

var plainGrey = func() *level.Material {
	m := level.Default[level.Material]()
	return &m
}()

// Build prepares a validated level.
func Build(l *level.Level) *Scene {
	s := &Scene{Level: l, World: l.World(), Bounds: geom.NoBounds()}
	s.bodies = make([]Body, 0, len(l.Solids)+len(l.Meshes)) // surfaces point into it
	triangles := 0
	for _, mesh := range l.Meshes {
		triangles += len(mesh.Indices) / 3
	}
	s.cornersOf, s.loose = make([][3]uint16, 0, 12*len(l.Solids)), make([]trace.Triangle, 0, triangles) // of boxes
	s.Surfaces = make([]Surface, 0, 6*len(l.Solids)+len(l.Meshes))
	finishes := s.newFinishes()
	for _, solid := range l.Solids {
		if solid.Enabled {
			s.addSolid(solid, finishes)
		}
	}
	for _, mesh := range l.Meshes {
		if mesh.Enabled {
			s.addMesh(mesh, finishes)
		}
	}
	s.Surfaces, s.cornersOf, s.loose = lists.Exact(s.Surfaces), lists.Exact(s.cornersOf), lists.Exact(s.loose)
	s.SurfaceOf = make([]int32, s.Triangles())
	for i := range s.Surfaces {
		for t := s.Surfaces[i].First; t < s.end(i); t++ {
			s.SurfaceOf[t] = int32(i)
		}
	}
	s.buildTracers()
	s.findBlocks()
	return s
}

// MemoryBytes is what it takes in memory beside its level.
func (s *Scene) MemoryBytes() int {
	sum := lists.MemoryBytes(s.Surfaces) + lists.MemoryBytes(s.cornersOf) + lists.MemoryBytes(s.loose) + lists.MemoryBytes(s.SurfaceOf) +
		lists.MemoryBytes(s.bodies) + lists.MemoryBytes(s.blocks) + s.blocksAt.MemoryBytes()
	for i := range s.bodies {
		sum += lists.MemoryBytes(s.bodies[i].planes) + lists.MemoryBytes(s.bodies[i].corners) + lists.MemoryBytes(s.bodies[i].source)
	}
	for _, t := range []*trace.Scene{s.shadow, s.careful, s.clear} {
		sum += t.MemoryBytes()
	}
	return sum
}

// finishes gives surfaces that are alike one Finish.
type finishes struct {
	level     *level.Level
	materials map[string]paint
	known     map[finishKey]*Finish
}

type finishKey struct {
	level.Surface
	zone string
}

// paint is a material with its image at hand.
type paint struct {
	*level.Material
	albedo color.Linear
	image  *picture.Picture
}

func (s *Scene) newFinishes() *finishes {
	all := &finishes{s.Level, map[string]paint{"": {plainGrey, plainGrey.Albedo(), nil}}, map[finishKey]*Finish{}}
	for _, m := range s.Level.Materials {
		p := paint{m, m.Albedo(), s.Level.Image(m.Image).Picture()}
		if p.image != nil {
			p.albedo = p.albedo.Mul(p.image.Mean())
		}
		all.materials[m.ID] = p
	}
	return all
}

func (f *finishes) of(surface level.Surface, zone string) *Finish {
	key := finishKey{surface, zone}
	if known := f.known[key]; known != nil {
		return known
	}
	m := f.materials[surface.Material]
	made := &Finish{Surface: surface, Zone: zone, Material: m.Material, Albedo: m.albedo, Image: m.image,
		DensityM: cmp.Or(surface.Density, f.level.Lightmap.Density)}
	if m.Lighting == "dynamic" {
		made.ReceivesLight = false
	}
	f.known[key] = made
	return made
}

func (s *Scene) addSolid(solid *level.Solid, finishes *finishes) {
	zone := s.zoneName(&solid.Entity)
	body := s.addBody(Body{Entity: solid.ID, Solid: solid})
	planes, part := solid.FacePlanes(), &Part{}
	body.planes = make([]geom.Plane, len(planes))
	for i := range planes {
		normal := s.World.Pose(&solid.Entity).Rotation.Rotate(planes[i].Normal)
		body.planes[i] = geom.Plane{Normal: normal, Distance: math.Inf(1)} // of one that other faces leave nothing of
		polygon := s.face(solid, planes, i)
		if len(polygon) < 3 {
			continue
		}
		body.planes[i].Distance = normal.Dot(polygon[0])
		if finish := finishes.of(solid.FaceSurface(i), zone); part.Finish != finish {
			part = &Part{body, finish}
		}
		s.addSurface(part, i)
		at := make([]uint16, len(polygon))
		for k, v := range polygon {
			s.Bounds.Grow(v)
			at[k] = body.corner(f32(v))
		}
		for j := 2; j < len(at); j++ {
			s.cornersOf = append(s.cornersOf, [3]uint16{at[0], at[j-1], at[j]})
		}
	}
	body.corners = lists.Exact(body.corners)
}

// corner is which of a solid's corners is at a place; a new one if there was none.
func (b *Body) corner(at trace.Vec) uint16 {
	k := slices.Index(b.corners, at)
	if k < 0 {
		k = len(b.corners)
		b.corners = append(b.corners, at)
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
// anew, which costs less than to keep it.
func (s *Scene) Outline(f *Surface) []geom.Vec3 {
	return s.face(f.Solid, f.Solid.FacePlanes(), int(f.Face))
}

func (s *Scene) zoneName(e *level.Entity) string {
	if z := s.World.ZoneOf(e); z != nil {
		return z.ID
	}
	return ""
}

// addBody adds a solid or mesh of which no surface is there yet.
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

// Triangles is how many there are.
func (s *Scene) Triangles() int { return len(s.cornersOf) + len(s.loose) }

// Triangle is one of them.
func (s *Scene) Triangle(i int) trace.Triangle {
	if i >= len(s.cornersOf) {
		return s.loose[i-len(s.cornersOf)]
	}
	at, corners := &s.cornersOf[i], s.Surfaces[s.SurfaceOf[i]].corners
	return trace.Triangle{A: corners[at[0]], B: corners[at[1]], C: corners[at[2]]}
}

// TrianglesOf is where those of a surface begin, and where they end.
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

// CornersOf are those of one triangle.
func (s *Scene) CornersOf(triangle int) [3]geom.Vec3 {
	t := s.Triangle(triangle)
	return [3]geom.Vec3{vec(t.A), vec(t.B), vec(t.C)}
}

func (s *Scene) buildTracers() {
	s.shadow = s.tracer(s.Triangle, func(f *Surface) bool { return f.CastsShadow && !s.isCareful(f) })
	s.careful = s.tracer(s.Triangle, func(f *Surface) bool { return f.CastsShadow && s.isCareful(f) })
	s.clear = s.tracer(s.Triangle, func(f *Surface) bool { return f.Visible && !f.CastsShadow })
	for _, t := range []*trace.Scene{s.shadow, s.careful, s.clear} {
		if !t.Empty() {
			s.seen = append(s.seen, t)
		}
	}
}

// isCareful tells whether a hit on a surface has to be looked at before it
// counts: it is cut out by its image, or its back lets light pass.
func (s *Scene) isCareful(f *Surface) bool {
	return f.cutOut() || s.Level.Lightmap.Backs == "pass" && f.Mesh != nil && !f.Material.TwoSided
}

func (f *Surface) cutOut() bool {
	return f.Material.Cutoff > 0 && f.Image != nil && f.Image.Alpha != nil
}

// tracer is over those triangles whose surface it takes, wherever they are now.
func (s *Scene) tracer(triangle func(i int) trace.Triangle, takes func(*Surface) bool) *trace.Scene {
	count := 0
	for i := range s.Surfaces {
		if f := &s.Surfaces[i]; takes(f) {
			count += int(s.end(i) - f.First)
		}
	}
	return trace.NewOf(trace.List{
		Len: s.Triangles(), At: triangle, Count: count,
		Takes: func(i int) bool { return takes(&s.Surfaces[s.SurfaceOf[i]]) },
	})
}

// OffsetM is how far from a surface rays start, so that they do not meet it.
const OffsetM = 0.002

// Blocked tells whether anything that casts shadows lies between two points. The
// ray goes from the lit point to the light.
func (s *Scene) Blocked(from, to geom.Vec3) bool { return s.blocked(segment(from, to)) }

// BlockedAlong is Blocked from a point along a direction for a length, which may
// be infinite.
func (s *Scene) BlockedAlong(from, dir geom.Vec3, length float64) bool {
	return s.blocked(Along(from, dir, length))
}

// Along is the ray from a point along a direction for a length, which may be infinite.
func Along(from, dir geom.Vec3, length float64) trace.Ray {
	return trace.Ray{Origin: f32(from), Dir: f32(dir), Max: float32(length)}
}

// BlockedOf is Blocked along the first n rays of a packet, a bit for each.
func (s *Scene) BlockedOf(p *trace.Packet, n int) (rays uint8) {
	const few = 3 // are no slower one by one
	blocked := s.blocked
	if n >= few {
		p.Fill(n)
		rays, blocked = s.shadow.OccludedOf(p)&(1<<n-1), s.blockedCarefully
	}
	for i := range n {
		if rays>>i&1 == 0 && blocked(p.Ray(i)) {
			rays |= 1 << i
		}
	}
	return rays
}

func (s *Scene) blocked(ray trace.Ray) bool {
	if s.shadow.Occluded(ray) {
		return true
	}
	return s.blockedCarefully(ray)
}

func (s *Scene) blockedCarefully(ray trace.Ray) bool {
	if s.careful.Empty() {
		return false
	}
	h, ok := s.careful.Closest(ray)
	stops := ok && s.stops(h, ray.Dir, true)
	if stops || !ok { // else it passes a hole, and what is behind counts
		return stops
	}
	s.careful.Each(ray, func(h trace.Hit) { stops = stops || s.stops(h, ray.Dir, true) })
	return stops
}

// stops tells whether a hit on a careful surface stops light. A ray goes against
// its light, so where it leaves through the front, the light comes in by it.
func (s *Scene) stops(h trace.Hit, dir trace.Vec, direct bool) bool {
	i := int(h.Triangle)
	f := &s.Surfaces[s.SurfaceOf[i]]
	if f.cutOut() {
		u, v := s.uv(f, i, h)
		if !f.Image.Opaque(u, v, f.Material.Cutoff) {
			return false
		}
	}
	backPasses := direct && s.Level.Lightmap.Backs == "pass" && f.Mesh != nil && !f.Material.TwoSided
	return !backPasses || s.facing(i).Dot(vec(dir)) > 0
}

// facing is the direction in which a triangle faces, of any length.
func (s *Scene) facing(triangle int) geom.Vec3 {
	if f := &s.Surfaces[s.SurfaceOf[triangle]]; f.Solid != nil {
		return f.planes[f.Face].Normal
	}
	return across(s.CornersOf(triangle))
}

// across is the direction in which three corners face that go counter-clockwise.
func across(c [3]geom.Vec3) geom.Vec3 { return c[1].Sub(c[0]).Cross(c[2].Sub(c[0])) }

// NormalOf is that direction, of unit length.
func (s *Scene) NormalOf(triangle int) geom.Vec3 {
	if f := &s.Surfaces[s.SurfaceOf[triangle]]; f.Solid != nil {
		return f.planes[f.Face].Normal
	}
	return s.facing(triangle).Normalize()
}

// Normal is that of a surface's first triangle.
func (s *Scene) Normal(f *Surface) geom.Vec3 { return s.NormalOf(int(f.First)) }

// uv is where in its image a hit lies.
func (s *Scene) uv(f *Surface, triangle int, h trace.Hit) (u, v float64) {
	if f.source != nil {
		a, b, c := 1-float64(h.U)-float64(h.V), float64(h.U), float64(h.V)
		for k, weight := range [3]float64{a, b, c} {
			x, y := f.cornerUV(triangle, k)
			u, v = u+weight*x, v+weight*y
		}
		return u, v
	}
	c := s.CornersOf(triangle)
	e1, e2 := c[1].Sub(c[0]), c[2].Sub(c[0])
	return s.flatUV(f, c[0].Add(e1.Mul(float64(h.U))).Add(e2.Mul(float64(h.V))))
}

// cornerUV is where in its image a corner of one of the scene's triangles lies.
func (b *Body) cornerUV(triangle, corner int) (u, v float64) {
	at := b.Mesh.Indices[3*int(b.source[triangle-int(b.first)])+corner]
	return b.Mesh.UVs[2*at], b.Mesh.UVs[2*at+1]
}

// flatUV lays the image by metres along the surface's own axes.
func (s *Scene) flatUV(f *Surface, p geom.Vec3) (u, v float64) {
	x, y := geom.Axes(s.Normal(f))
	return x.Dot(p) / f.Material.ImageM, -y.Dot(p) / f.Material.ImageM
}

// CornerUV is where in its image a corner of one of a surface's triangles lies, or for an
// image that lies by metres, any point.
func (s *Scene) CornerUV(f *Surface, triangle, corner int, p geom.Vec3) (u, v float64) {
	if f.source != nil {
		return f.cornerUV(int(f.First)+triangle, corner)
	}
	return s.flatUV(f, p)
}

// AlbedoAt is the albedo at a point of one of its triangles.
func (s *Scene) AlbedoAt(triangle int, p geom.Vec3, u, v float64) color.Linear {
	f := &s.Surfaces[s.SurfaceOf[triangle]]
	if f.Image == nil {
		return f.Albedo
	}
	x, y := s.uv(f, triangle, trace.Hit{U: float32(u), V: float32(v)})
	return f.Material.Albedo().Mul(f.Image.At(x, y))
}

// Meeting is what a ray of light meets.
type Meeting struct {
	Surface, Triangle int
	T                 float64
	Front             bool
	Normal            geom.Vec3 // in which it faces, of any length
}

// Meet finds what first stops light along a ray, from whichever side.
func (s *Scene) Meet(ray trace.Ray) (Meeting, bool) {
	h, _ := s.shadow.Closest(ray)
	return s.meeting(ray, h)
}

// Trace finds what stops the rays of a packet; Met is Meet of one of them then.
func (s *Scene) Trace(p *trace.Packet) { s.shadow.ClosestOf(p) }

// Met tells what a ray of a traced packet meets.
func (s *Scene) Met(p *trace.Packet, i int) (Meeting, bool) { return s.meeting(p.Ray(i), p.Hit(i)) }

// meeting is what a ray meets whose first hit in the main hierarchy is known.
func (s *Scene) meeting(ray trace.Ray, h trace.Hit) (Meeting, bool) {
	if !s.careful.Empty() {
		h = s.meetCarefully(ray, h)
	}
	i := int(h.Triangle)
	if i < 0 {
		return Meeting{}, false
	}
	normal := s.facing(i)
	return Meeting{int(s.SurfaceOf[i]), i, float64(h.T), normal.Dot(vec(ray.Dir)) <= 0, normal}, true
}

// meetCarefully is the first of a hit, if its triangle is not -1, and those on careful
// surfaces that stop light.
func (s *Scene) meetCarefully(ray trace.Ray, first trace.Hit) trace.Hit {
	if first.Triangle >= 0 {
		ray.Max = first.T
	}
	if h, ok := s.careful.Closest(ray); !ok {
		return first
	} else if s.stops(h, ray.Dir, false) {
		return h
	}
	s.careful.Each(ray, func(h trace.Hit) {
		if (first.Triangle < 0 || h.T < first.T) && s.stops(h, ray.Dir, false) {
			first = h
		}
	})
	return first
}

// segment is the ray from the first point to the second.
func segment(from, to geom.Vec3) trace.Ray {
	o, t := f32(from), f32(to)
	return trace.Ray{Origin: o, Dir: trace.Vec{t[0] - o[0], t[1] - o[1], t[2] - o[2]}, Max: 1}
}

// Blockers are the ids of the entities between two points, nearest first, each
// once, with the point where the line first meets it.
func (s *Scene) Blockers(from, to geom.Vec3) []Blocker {
	var found []Blocker
	at, ray := map[string]int{}, segment(from, to)
	for _, t := range []*trace.Scene{s.shadow, s.careful} {
		t.Each(ray, func(h trace.Hit) {
			if t == s.careful && !s.stops(h, ray.Dir, true) {
				return
			}
			id := s.Surfaces[s.SurfaceOf[h.Triangle]].Entity
			if i, ok := at[id]; ok {
				found[i].share = math.Min(found[i].share, float64(h.T))
				return
			}
			at[id] = len(found)
			found = append(found, Blocker{ID: id, share: float64(h.T)})
		})
	}
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
	Point    geom.Vec3 // of what sways: where it is at rest
	Distance float64
	U, V     float64 // weights of the triangle's second and third corner
}

// See finds the first visible surface along a unit direction.
func (s *Scene) See(from, dir geom.Vec3, far float64) (Seen, bool) {
	ray, passed := trace.Ray{Origin: f32(from), Dir: f32(dir), Max: float32(far)}, 0.0
	for {
		h, ok := s.firstVisible(ray)
		if !ok {
			return Seen{}, false
		}
		h = s.within(ray, h)
		t := int(h.Triangle)
		distance := passed + float64(h.T)
		if f := &s.Surfaces[s.SurfaceOf[t]]; f.cutOut() {
			if u, v := s.uv(f, t, h); !f.Image.Opaque(u, v, f.Material.Cutoff) {
				passed = distance + OffsetM
				ray.Origin, ray.Max = f32(from.Add(dir.Mul(passed))), float32(far-passed)
				continue
			}
		}
		seen := Seen{
			Surface:  int(s.SurfaceOf[t]),
			Triangle: t,
			Point:    from.Add(dir.Mul(distance)),
			Distance: distance,
			U:        float64(h.U), V: float64(h.V),
		}
		if s.Surfaces[seen.Surface].Bend != nil {
			c := s.CornersOf(t)
			seen.Point = c[0].Mul(1 - seen.U - seen.V).Add(c[1].Mul(seen.U)).Add(c[2].Mul(seen.V))
		}
		return seen, true
	}
}

// within is the hit to be seen where a triangle was only met by the slack of its edges:
// the first inside a triangle, if it is right behind. Else the faces between two blocks
// side by side would show as specks, as they stand out by as much.
func (s *Scene) within(ray trace.Ray, h trace.Hit) trace.Hit {
	const behindM = 0.005
	inside := func(h trace.Hit) bool { return h.U >= 0 && h.V >= 0 && h.U+h.V <= 1 }
	if inside(h) {
		return h
	}
	ray.Max = min(ray.Max, h.T+behindM)
	for _, t := range s.seen {
		t.Each(ray, func(other trace.Hit) {
			if s.shows(other) && inside(other) && (!inside(h) || other.T < h.T) {
				h = other
			}
		})
	}
	return h
}

// firstVisible is the first visible triangle that a ray meets.
func (s *Scene) firstVisible(ray trace.Ray) (first trace.Hit, found bool) {
	nearer := func(h trace.Hit) {
		if s.shows(h) && (!found || h.T < first.T || h.T == first.T && h.Triangle < first.Triangle) {
			first, found = h, true
		}
	}
	for _, t := range s.seen {
		if h, ok := t.Closest(ray); ok && !s.shows(h) { // a blocker: what is behind it counts
			t.Each(ray, nearer)
		} else if ok {
			nearer(h)
		}
	}
	return first, found
}

func (s *Scene) shows(h trace.Hit) bool { return s.Surfaces[s.SurfaceOf[h.Triangle]].Visible }

// Blocks are the solids about a surface that cast shadows.
type Blocks struct {
	scene *Scene
	near  []*Body
	many  bool // so that each point asks for those about itself
}

// BlocksNear are those that come within a distance of a surface.
func (s *Scene) BlocksNear(f *Surface, distance float64) Blocks {
	const many = 16
	near := geom.NoBounds()
	for t := range s.Corners(f) {
		for _, v := range t {
			near.Grow(v)
		}
	}
	list := Blocks{scene: s}
	s.blocksAt.Near(boxOf(near, distance), func(i int) {
		b, apart := &s.bodies[s.blocks[i]], list.many
		own := b.bounds()
		for axis := range 3 {
			apart = apart || own.Min[axis] > near.Max[axis]+distance || own.Max[axis] < near.Min[axis]-distance
		}
		if list.many = list.many || !apart && len(list.near) == many; !apart && !list.many {
			list.near = append(list.near, b)
		}
	})
	return list
}

func (s *Scene) findBlocks() {
	var boxes []trace.Box
	for i := range s.bodies {
		if b := &s.bodies[i]; len(b.corners) > 0 && b.Solid.Surface.CastsShadow {
			s.blocks, boxes = append(s.blocks, int32(i)), append(boxes, boxOf(b.bounds(), OffsetM))
		}
	}
	s.blocks, s.blocksAt = lists.Exact(s.blocks), trace.NewBoxes(boxes)
}

// bounds are what a solid lies in.
func (b *Body) bounds() geom.Bounds {
	bounds := geom.NoBounds()
	for _, at := range b.corners {
		bounds.Grow(vec(at))
	}
	return bounds
}

// boxOf holds what is within a distance of some bounds.
func boxOf(b geom.Bounds, distance float64) trace.Box {
	away := geom.Vec3{distance, distance, distance}
	box := trace.Box{Min: f32(b.Min.Sub(away)), Max: f32(b.Max.Add(away))}
	for axis := range 3 { // rounded outward
		box.Min[axis] = math.Nextafter32(box.Min[axis], -math.MaxFloat32)
		box.Max[axis] = math.Nextafter32(box.Max[axis], math.MaxFloat32)
	}
	return box
}

// Hold tells whether one of them holds a point, or comes nearer to it than
// OffsetM/2: rays from there would start at its surface and go on within.
func (l *Blocks) Hold(p geom.Vec3) (held bool) {
	if !l.many {
		return slices.ContainsFunc(l.near, func(b *Body) bool { return b.holds(p, OffsetM/2) })
	}
	l.scene.blocksAt.Near(boxOf(geom.Bounds{Min: p, Max: p}, OffsetM), func(i int) {
		held = held || l.scene.bodies[l.scene.blocks[i]].holds(p, OffsetM/2)
	})
	return held
}

// Inside is the id of a solid that holds a point deeper than OffsetM/2, the first of
// several, or "".
func (s *Scene) Inside(p geom.Vec3) string {
	first := len(s.bodies)
	s.blocksAt.Near(boxOf(geom.Bounds{Min: p, Max: p}, 0), func(i int) {
		if at := int(s.blocks[i]); at < first && s.bodies[at].holds(p, -OffsetM/2) {
			first = at
		}
	})
	if first == len(s.bodies) {
		return ""
	}
	return s.bodies[first].Entity
}

// holds tells whether a point is no farther out of a solid than a margin.
func (b *Body) holds(p geom.Vec3, margin float64) bool {
	for i := range b.planes {
		if b.planes[i].Normal.Dot(p) > b.planes[i].Distance+margin {
			return false
		}
	}
	bounds := b.bounds() // sharp edges reach no farther out than others
	for axis := range 3 {
		if p[axis] < bounds.Min[axis]-margin || p[axis] > bounds.Max[axis]+margin {
			return false
		}
	}
	return true
}

func vec(v trace.Vec) geom.Vec3 { return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])} }

func f32(v geom.Vec3) trace.Vec { return trace.Vec{float32(v[0]), float32(v[1]), float32(v[2])} }
