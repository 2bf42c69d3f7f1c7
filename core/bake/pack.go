package bake

import (
	"grotta/core/layer"
	"grotta/core/lightmap"
)

// pack puts a stretch of a group into a layer: a direct light and, from a column on,
// what else comes to the texels.
func (p *Prepared) pack(k *layer.Packer, g *group, s stretch, direct *light, column int) {
	sheet := p.shared.sheets.Get().(*layer.Sheet)
	for ci := g.from; ci < g.to; ci++ {
		first, end := p.Texels.Of(ci)
		from, to := max(first, g.first+s.from), min(end, g.first+s.to)
		if from >= to {
			continue
		}
		sheet.Begin(&p.Layout.Charts[ci])
		if from > first {
			k.Read(ci, sheet)
		}
		for i := from; i < to; i = i/chunk*chunk + chunk {
			if column >= 0 || !direct.isDark(i/chunk) {
				p.draw(sheet, &p.Layout.Charts[ci], i, min(i/chunk*chunk+chunk, to), g.first+s.from, &s.rows, direct, column)
			}
		}
		if to == end {
			sheet.Fill(p.Texels.Fills(ci))
		}
		k.Write(ci, sheet)
	}
	p.shared.sheets.Put(sheet)
}

// draw puts the light on texels of one chunk into their chart's sheet. The first row
// is that of texel base.
func (p *Prepared) draw(sheet *layer.Sheet, c *lightmap.Chart, from, to, base int, rows *table, direct *light, column int) {
	var lux chunkLight
	if k := from / chunk; !direct.isDark(k) {
		direct.read(k, &lux)
	}
	for i := from; i < to; i++ {
		v := [3]float32{lux[0][i%chunk], lux[1][i%chunk], lux[2][i%chunk]}
		if column >= 0 {
			other := rows.row(i - base)[column:][:3]
			v[0], v[1], v[2] = v[0]+other[0], v[1]+other[1], v[2]+other[2]
		}
		x, y := p.Layout.PlaceIn(c, p.Texels.List[i].Index)
		sheet.Set(y*sheet.Width()+x, v)
	}
}
