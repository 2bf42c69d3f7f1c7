package bake

import (
	"grotta/core/digest"
	"grotta/core/lightmap"
	"grotta/core/scene"
	"grotta/core/source"
)

// keyVersion is the version of the encodings in this file. Raise it when one changes; a golden
// test holds them.
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
func (p *Prepared) Key(s *source.Source, q Quality) string {
	m := &p.Scene.Level.Lightmap
	return digest.New("layer", keyVersion).Int(Engine).Text(string(q)).Bool(m.Bounces).Bool(m.Denoise).
		Sum256(p.shape).Sum256(s.Digest()).Sum().String()
}
