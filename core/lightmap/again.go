package lightmap

import (
	"math"

	"grotta/core/scene"
)

// Again is New for a scene that was changed from that of another map. Charts of surfaces at which nothing has
// changed keep their texels, moved to where the charts lie now; to place them takes most of the time.
func Again(s *scene.Scene, was *Map) (*Map, error) {
	layout, err := Plan(s)
	if err != nil {
		return nil, err
	}
	kept := s.Kept(was.Scene, func(surface int) float64 {
		if at := layout.ChartOf[surface]; at >= 0 {
			return math.Sqrt2 / layout.Charts[at].Density // a square at its edge
		}
		return 0
	})
	if kept == nil {
		return finish(s, layout, layout.Texels(s)), nil
	}
	return finish(s, layout, layout.texels(s, func(chart int) ([]Texel, []Fill, bool) {
		return layout.moved(s, was, chart, kept[layout.Charts[chart].Surface])
	})), nil
}

// moved are the texels and fills of a chart that are those of a surface of another map; false where the chart
// is not as it was.
func (l *Layout) moved(s *scene.Scene, was *Map, chart int, surface int32) ([]Texel, []Fill, bool) {
	if surface < 0 || was.Layout.ChartOf[surface] < 0 {
		return nil, nil, false
	}
	at := int(was.Layout.ChartOf[surface])
	c, old := &l.Charts[chart], &was.Layout.Charts[at]
	if c.width != old.width || c.height != old.height || c.Density != old.Density || c.lowU != old.lowU || c.lowV != old.lowV || *c.axes != *old.axes {
		return nil, nil, false
	}
	first, end := was.Texels.Of(at)
	list := make([]Texel, end-first)
	shift := s.Surfaces[c.Surface].First - was.Scene.Surfaces[surface].First
	for i := range list {
		t := was.Texels.List[first+i]
		x, y := was.Layout.PlaceIn(old, t.Index)
		t.Index, t.Triangle = l.index(c, x, y), t.Triangle+shift
		list[i] = t
	}
	return list, was.Texels.Fills(at), true
}
