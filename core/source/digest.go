package source

import (
	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/level"
)

// digestVersion is the version of the encodings in this package. Raise it when one changes; a
// golden test of the bake holds them.
const digestVersion = 1

// shape is all of a source that its layer depends on beside the scene. It holds neither
// strength nor colour, which are a mix. Every kind has one and leaves at zero what it has
// no use for.
type shape struct {
	Kind          string
	Position, Aim geom.Vec3
	Right, Up     geom.Vec3
	RangeM        float64
	Falloff       string
	Terms         level.Vec
	CosInner      float64
	CosOuter      float64
	RadiusM       float64
	DiscRad       float64 // half the angular diameter
	Width, Height float64 // of a rect or box; a tube's length is its width
	BounceScale   float64
	Shadows       level.Shadows
	Gobo          digest.Sum  // what it projects, and how
	Profile       digest.Sum  // how it shines by direction; nothing for evenly
	Sky           digest.Sum  // what of the sky decides its layer
	Emits         digest.Sum  // the faces of a material that shines
	Patch         int         // of the sky; -1 for all of it
	Zone          string      // ambient: where it holds; "" where no zone has its own
	Zones         []zoneShape // ambient: the zones that decide it
}

type zoneShape struct {
	ID       string
	Boxes    []level.Box
	Priority int
	Own      bool
}

// aspects are all that a source's layer depends on beside the scene. Each has the words
// for a change of it. Both a source's digest and the explanation of a change go through
// this list; a test holds every field of a shape to being in it.
var aspects = []struct {
	change string
	put    func(w *digest.Writer, s *shape)
}{
	{"another kind", func(w *digest.Writer, s *shape) { w.Text(s.Kind) }},
	{"moved", func(w *digest.Writer, s *shape) { w.Float(s.Position[:]...) }},
	{"turned", func(w *digest.Writer, s *shape) { w.Float(s.Aim[:]...).Float(s.Right[:]...).Float(s.Up[:]...) }},
	{"another range", func(w *digest.Writer, s *shape) { w.Float(s.RangeM) }},
	{"another falloff", func(w *digest.Writer, s *shape) { w.Text(s.Falloff).Float(s.Terms[:]...) }},
	{"another cone", func(w *digest.Writer, s *shape) { w.Float(s.CosInner, s.CosOuter) }},
	{"another size", func(w *digest.Writer, s *shape) { w.Float(s.RadiusM, s.Width, s.Height) }},
	{"another disc", func(w *digest.Writer, s *shape) { w.Float(s.DiscRad) }},
	{"another bounce scale", func(w *digest.Writer, s *shape) { w.Float(s.BounceScale) }},
	{"other shadow settings", func(w *digest.Writer, s *shape) {
		h := &s.Shadows
		w.Bool(h.Cast).Float(h.Softness, h.NearM, h.ReachM, h.FadeM, h.Depth)
	}},
	{"another gobo", func(w *digest.Writer, s *shape) { w.Sum256(s.Gobo) }},
	{"another profile", func(w *digest.Writer, s *shape) {
		if s.Profile != (digest.Sum{}) { // so that the keys of lights without one are those of before
			w.Text("profile").Sum256(s.Profile)
		}
	}},
	{"another sky", func(w *digest.Writer, s *shape) { w.Sum256(s.Sky).Int(s.Patch) }},
	{"other faces shine", func(w *digest.Writer, s *shape) { w.Sum256(s.Emits) }},
	{"zones changed", func(w *digest.Writer, s *shape) {
		w.Text(s.Zone).List(len(s.Zones))
		for _, z := range s.Zones {
			w.Text(z.ID).Int(z.Priority).Bool(z.Own).List(len(z.Boxes))
			for _, b := range z.Boxes {
				w.Float(b.Min[:]...).Float(b.Max[:]...)
			}
		}
	}},
}

// Digest names what a source's light depends on beside the scene, so that what was
// computed for it can be kept.
func (s *Source) Digest() digest.Sum {
	w := digest.New("source", digestVersion)
	for _, a := range aspects {
		a.put(w, s.kind.parameters())
	}
	return w.Sum()
}

// Seed decides the samples of a source. It does not depend on geometry, so that
// places which a change does not reach get the same light to the bit.
func (s *Source) Seed() uint64 { return s.Digest().Seed() }

// Changes says what differs between two sources of one name, in words; nothing where
// their layers are the same in the same scene.
func Changes(was, now *Source) []string { return changes(was.kind.parameters(), now.kind.parameters()) }

func changes(was, now *shape) []string {
	var why []string
	for _, a := range aspects {
		before, after := digest.New("aspect", digestVersion), digest.New("aspect", digestVersion)
		a.put(before, was)
		a.put(after, now)
		if before.Sum() != after.Sum() {
			why = append(why, a.change)
		}
	}
	return why
}
