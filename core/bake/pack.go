package bake

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/half"
	"grotta/core/lightmap"
)

// packer makes one source's layer, chart by chart. Light becomes half-floats at
// once, so that a bake never holds a whole lightmap in float32. When a chart comes
// that is brighter than all before, those are scaled to it by a power of two.
type packer struct {
	layout *lightmap.Layout
	layer  *Layer
	tiles  []int32 // of each tile of the pages its place in the layer and one more, or 0
	lit    []bool  // of each chart: whether it holds light
}

func newPacker(l *lightmap.Layout, key string) *packer {
	across := l.PageSize / TileSize
	return &packer{
		layout: l,
		layer:  &Layer{Key: key, PageSize: l.PageSize, Pages: l.Pages},
		tiles:  make([]int32, across*across*l.Pages),
		lit:    make([]bool, len(l.Charts)),
	}
}

// at is the half-floats of a texel of a page on to the end of its tile's row; nil
// where no tile is yet and none is to be made.
func (k *packer) at(page, x, y int, make bool) []uint16 {
	across := k.layer.PageSize / TileSize
	place := &k.tiles[(page*across+y/TileSize)*across+x/TileSize]
	if *place == 0 {
		if !make {
			return nil
		}
		k.layer.Tiles = append(k.layer.Tiles, newTile(page, x/TileSize, y/TileSize))
		*place = int32(len(k.layer.Tiles))
	}
	return k.layer.Tiles[*place-1].Half[(y%TileSize*TileSize+x%TileSize)*3:][:3*(TileSize-x%TileSize)]
}

// sheetSize is what a chart is put together in: three values for each place of its
// rectangle, by rows, and some more for what reads whole vectors.
func sheetSize(c *lightmap.Chart) int { return 3*c.Width*c.Height + 8 }

// write packs a chart's sheet. Nothing in it is brighter than what it holds already,
// or than brightest.
func (k *packer) write(ci int, sheet []float32, brightest float32) {
	if brightest > 0 {
		k.lit[ci] = true
		k.fit(brightest)
	}
	if !k.lit[ci] {
		return
	}
	c, scale := &k.layout.Charts[ci], k.scale()
	row := make([]uint16, (3*c.Width+7)&^7)
	for y := range c.Height {
		half.Encode(row, sheet[3*y*c.Width:][:len(row)], scale)
		for x, to := 0, 0; x < c.Width; x = to {
			to = min(x+TileSize-(c.X+x)%TileSize, c.Width)
			if part := row[3*x : 3*to]; holdsLight(part) {
				copy(k.at(c.Page, c.X+x, c.Y+y, true), part)
			}
		}
	}
}

// read fills a sheet with what was written of its chart.
func (k *packer) read(ci int, sheet []float32) {
	c := &k.layout.Charts[ci]
	scale := float32(math.Ldexp(1, k.layer.Exponent))
	for y := range c.Height {
		for x, to := 0, 0; x < c.Width; x = to {
			to = min(x+TileSize-(c.X+x)%TileSize, c.Width)
			part := sheet[3*(y*c.Width+x) : 3*(y*c.Width+to)]
			for i, h := range k.at(c.Page, c.X+x, c.Y+y, false) {
				if i < len(part) {
					part[i] = half.Decode(h) * scale
				}
			}
		}
	}
}

func holdsLight(values []uint16) bool {
	return slices.ContainsFunc(values, func(h uint16) bool { return h != 0 })
}

// scale is what values are times when they are stored.
func (k *packer) scale() float32 { return float32(math.Ldexp(1, -k.layer.Exponent)) }

// fit raises the exponent until a value fits.
func (k *packer) fit(brightest float32) {
	e := exponentFor(brightest)
	if len(k.layer.Tiles) > 0 && e <= k.layer.Exponent {
		return
	}
	by := float32(math.Ldexp(1, k.layer.Exponent-e))
	values := make([]float32, tileValues)
	for i := range k.layer.Tiles {
		tile := k.layer.Tiles[i].Half
		clear(values)
		half.AddScaled(values, half.Group, tile, half.Group, [3]float32{by, by, by})
		half.Encode(tile, values, 1)
	}
	k.layer.Exponent = e
}

// done puts the seams right between charts that hold light and gives the layer.
func (k *packer) done(seams *lightmap.Seams) *Layer {
	values := make([]float32, (3*len(seams.Texels)+7)&^7)
	scale := float32(math.Ldexp(1, k.layer.Exponent))
	for i, texel := range seams.Texels {
		for c, h := range k.of(texel, false) {
			values[3*i+c] = half.Decode(h) * scale
		}
	}
	seams.Match(values, k.lit)
	packed := make([]uint16, len(values))
	half.Encode(packed, values, k.scale())
	for i, texel := range seams.Texels {
		now := packed[3*i : 3*i+3]
		copy(k.of(texel, holdsLight(now)), now)
	}
	slices.SortFunc(k.layer.Tiles, func(a, b Tile) int {
		return cmp.Or(cmp.Compare(a.Page, b.Page), cmp.Compare(a.Y, b.Y), cmp.Compare(a.X, b.X))
	})
	return k.layer
}

// of is the three half-floats of a texel by its index, or nil as at.
func (k *packer) of(texel int32, make bool) []uint16 {
	size := k.layout.PageSize
	x, y := k.layout.Place(texel)
	at := k.at(int(texel)/(size*size), x, y, make)
	return at[:min(3, len(at))]
}
