package bake

import (
	"grotta/core/digest"
	"grotta/core/lightmap"
	"grotta/core/scene"
)

// keyVersion is that of the encodings in this file and of a source's parts. Raise it
// when an encoding changes; a golden test holds them.
const keyVersion = 1

// geometryDigest covers what every layer depends on beside its source and the settings:
// all entities, in order, and where their charts lie on the pages.
func geometryDigest(s *scene.Scene, l *lightmap.Layout) digest.Sum {
	w := digest.New("geometry", keyVersion)
	all := s.Digests()
	w.List(len(all))
	for i := range all {
		d := &all[i]
		w.Text(d.Entity).Sum256(d.Place).Sum256(d.Roles).Sum256(d.Finish).Sum256(d.Density)
	}
	w.Text(s.Level.Lightmap.Backs).Int(l.Pages).Int(l.PageSize).List(len(l.Charts))
	for i := range l.Charts {
		c := &l.Charts[i]
		x, y := c.Corner()
		width, height := c.Size()
		w.Int(int(c.Surface)).Int(c.Page()).Int(x).Int(y).Int(width).Int(height).Float(c.Density)
	}
	return w.Sum()
}

// Key names a source's layer by everything that goes into it. The same key
// always means the same bytes, whatever level asks.
func (p *Prepared) Key(s *Source, q Quality) string {
	m := &p.Scene.Level.Lightmap
	return digest.New("layer", keyVersion).Int(Engine).Text(string(q)).Bool(m.Bounces).Bool(m.Denoise).
		Sum256(p.shape).Sum256(s.Digest()).Sum().String()
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
	w := digest.New("source", keyVersion)
	for _, a := range aspects {
		a.put(w, &s.shape)
	}
	return w.Sum()
}

// seed decides the samples of a source. It does not depend on geometry, so that
// places which a change does not reach get the same light to the bit.
func (s *Source) seed() uint64 { return s.Digest().Seed() }

// shapeChanges says what differs between two sources of one name.
func shapeChanges(was, now *shape) []string {
	var why []string
	for _, a := range aspects {
		before, after := digest.New("aspect", keyVersion), digest.New("aspect", keyVersion)
		a.put(before, was)
		a.put(after, now)
		if before.Sum() != after.Sum() {
			why = append(why, a.change)
		}
	}
	return why
}
