package scene

import (
	"grotta/core/color"
	"grotta/core/digest"
	"grotta/core/level"
)

// Digest identifies what one solid or mesh does to the light of others, by aspect. Two
// entities with equal digests block, receive and reflect light alike. It does not cover what
// an entity emits, as that belongs to the source.
type Digest struct {
	Entity  string
	Place   digest.Sum // its surfaces and their triangles
	Roles   digest.Sum // what casts shadows, is seen, receives light
	Finish  digest.Sum // albedo, image and holes
	Density digest.Sum // texels per metre
}

// digestVersion is the version of the encoding below.
const digestVersion = 1

// Digests returns the digest of every enabled solid and mesh, in the order of the scene. Both
// the key of a layer and the explanation of a change are made of them. The cost is
// that of hashing all triangles and images once.
func (s *Scene) Digests() []Digest {
	images := map[string]digest.Sum{}
	for _, image := range s.Level.Images {
		images[image.ID] = digest.Bytes(image.Data)
	}
	all, on := make([]Digest, 0, len(s.bodies)), &writers{}
	for from := 0; from < len(s.Surfaces); {
		to := from + 1
		for to < len(s.Surfaces) && s.Surfaces[to].Body() == s.Surfaces[from].Body() {
			to++
		}
		all = append(all, s.digestOf(s.Surfaces[from:to], images, on))
		from = to
	}
	return all
}

// writers holds one writer for each aspect. They are used again for each entity.
type writers struct{ place, roles, finish, density digest.Writer }

// digestOf is the digest of the body that has the surfaces.
func (s *Scene) digestOf(surfaces []Surface, images map[string]digest.Sum, on *writers) Digest {
	place, roles := on.place.Reset("place", digestVersion), on.roles.Reset("roles", digestVersion)
	finish, density := on.finish.Reset("finish", digestVersion), on.density.Reset("density", digestVersion)
	for i := range surfaces {
		f := &surfaces[i]
		first, end := s.TrianglesOf(f)
		place.Int(int(f.Face)).List(end - first)
		for t := first; t < end; t++ {
			corners := s.Triangle(t)
			place.Float32(corners.A[:]...).Float32(corners.B[:]...).Float32(corners.C[:]...)
			for k := 0; k < 3 && f.Body().shading != nil; k++ {
				n := f32(s.CornerNormal(t, k))
				place.Float32(n[:]...)
			}
		}
		roles.Bool(f.Finish().Roles.CastsShadow).Bool(f.Finish().Roles.ReceivesLight).Bool(f.Finish().Roles.Visible)
		finish.Bool(f.Finish().Material.HasTwoSides())
		if share := f.Finish().Material.Translucency; share > 0 {
			finish.Float(share)
		}
		if w := f.Finish().Material.Water; w != nil && s.isWater(f) {
			finish.Text(w.Tint).Float(w.ClarityM)
		}
		if s.Level.Lightmap.Bounces {
			albedo := color.Linear(f.Finish().Albedo)
			finish.Float(albedo[:]...)
		}
		if f.Finish().Image != nil { // it cuts holes, and varies what is sent back
			s.putImage(finish, f, images[f.Finish().Material.Image])
		}
		density.Float(f.Finish().DensityM)
	}
	place.Bool(surfaces[0].Body().Solid != nil)
	return Digest{surfaces[0].Body().Entity, place.Sum(), roles.Sum(), finish.Sum(), density.Sum()}
}

// putImage writes the image of a surface and how it lies on each triangle.
func (s *Scene) putImage(w *digest.Writer, f *Surface, image digest.Sum) {
	w.Sum256(image).Float(f.Finish().Material.Cutoff, f.Finish().Material.ImageM)
	triangle := 0
	for corners := range s.Corners(f) {
		for k, at := range corners {
			u, v := s.CornerUV(f, triangle, k, at)
			w.Float(u, v)
		}
		triangle++
	}
}

// Emits returns the digest of the outlines of all faces that emit light with a material. It
// is zero if none of them can be seen.
func (s *Scene) Emits(m *level.Material) (sum digest.Sum, faces int) {
	w := digest.New("emits", digestVersion)
	for i := range s.Surfaces {
		f := &s.Surfaces[i]
		if f.Finish().Material != m || !f.Finish().Roles.Visible {
			continue
		}
		faces++
		for corners := range s.Corners(f) {
			for _, c := range corners {
				w.Float(c[:]...)
			}
		}
	}
	return w.Sum(), faces
}
