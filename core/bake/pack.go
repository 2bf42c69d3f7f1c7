package bake

import (
	"grotta/core/direct"
	"grotta/core/gather"
	"grotta/core/layer"
	"grotta/core/lightmap"
	"grotta/core/rows"
)

// chunk is how many texels one step of work holds.
const chunk = lightmap.ChunkTexels

// pack puts a stretch of a group into a layer: a direct light and, from a column on,
// what else comes to the texels.
func (p *Prepared) pack(k *layer.Packer, g *gather.Group, s gather.Stretch, lit *direct.Light, column int) {
	sheet := p.shared.sheets.Get().(*layer.Sheet)
	for ci := g.From; ci < g.To; ci++ {
		first, end := p.Texels.Of(ci)
		from, to := max(first, g.First+s.From), min(end, g.First+s.To)
		if from >= to {
			continue
		}
		sheet.Begin(&p.Layout.Charts[ci])
		if from > first && to == end {
			k.Read(ci, sheet) // what is round its texels needs all of them
		}
		for i := from; i < to; i = i/chunk*chunk + chunk {
			if column >= 0 || !lit.IsDark(i/chunk) {
				p.draw(sheet, &p.Layout.Charts[ci], i, min(i/chunk*chunk+chunk, to), g.First+s.From, &s.Rows, lit, column)
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
func (p *Prepared) draw(sheet *layer.Sheet, c *lightmap.Chart, from, to, base int, rows *rows.Table, lit *direct.Light, column int) {
	var lux direct.Chunk
	if k := from / chunk; !lit.IsDark(k) {
		lit.Read(k, &lux)
	}
	for i := from; i < to; i++ {
		v := [3]float32{lux[0][i%chunk], lux[1][i%chunk], lux[2][i%chunk]}
		if column >= 0 {
			other := rows.Row(i - base)[column:][:3]
			v[0], v[1], v[2] = v[0]+other[0], v[1]+other[1], v[2]+other[2]
		}
		x, y := p.Layout.PlaceIn(c, p.Texels.List[i].Index)
		sheet.Set(y*sheet.Width()+x, v)
	}
}
