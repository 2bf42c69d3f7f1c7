package bake

import (
	"math"
	"slices"

	"grotta/core/half"
	"grotta/core/lightmap"
)

// packer turns light on lit texels into layers, one after the other. It keeps an
// image between them and cleans only what it wrote, so that a layer costs what its
// light covers and not what the level has.
type packer struct {
	p     *Prepared
	image *Image
	isLit []bool       // of each tile: whether it may hold light
	lit   []bool       // of each chart
	steps [256][]int32 // to the texels that a fill of each mask reads
}

func newPacker(p *Prepared) *packer {
	across := p.Layout.PageSize / TileSize
	k := &packer{p: p, image: NewImage(p.Layout.PageSize, p.Layout.Pages), isLit: make([]bool, across*across*p.Layout.Pages), lit: make([]bool, len(p.Layout.Charts))}
	for mask := range k.steps {
		k.steps[mask] = p.Layout.From(lightmap.Fill{Mask: uint8(mask)}, nil)
	}
	return k
}

// layer packs the sum of a direct light and three columns of other light. The
// exponent puts the brightest value just under 2^15, so that half-floats keep 11
// bits over the widest span: the relative error is at most 2^-11 down to 2^-29 of
// the brightest.
func (k *packer) layer(key string, direct *light, other *columns, column int) *Layer {
	var brightest float32
	for ci := range k.p.Layout.Charts {
		b := k.chart(ci, direct, other, column)
		k.lit[ci] = b > 0
		brightest = max(brightest, b)
	}
	if brightest > 0 {
		k.match()
	}
	l := &Layer{Key: key, PageSize: k.p.Layout.PageSize, Pages: k.p.Layout.Pages}
	if brightest > 0 {
		_, e := math.Frexp(float64(brightest))
		l.Exponent = e - 15
	}
	scale := float32(math.Ldexp(1, -l.Exponent))
	across := k.p.Layout.PageSize / TileSize
	for t := range k.isLit {
		if !k.isLit[t] {
			continue
		}
		page, y, x := t/(across*across), t/across%across, t%across
		l.Tiles = append(l.Tiles, Tile{uint16(page), uint16(x), uint16(y), k.tile(page, x, y, scale)})
		k.isLit[t] = false
	}
	return l
}

// chart writes one chart, where there is light on it, and gives the brightest.
func (k *packer) chart(ci int, direct *light, other *columns, column int) (brightest float32) {
	texels, pix := k.p.Texels, k.image.Pix
	end := texels.TexelsOf[ci+1]
	for i := texels.TexelsOf[ci]; i < end; i = i/chunk*chunk + chunk {
		if other.count > 0 || direct.v[i/chunk] != nil {
			brightest = max(brightest, k.run(i, min(i/chunk*chunk+chunk, end), direct, other, column))
		}
	}
	if brightest == 0 {
		return 0
	}
	last := int32(-1)
	for i := texels.FillsOf[ci]; i < texels.FillsOf[ci+1]; i++ {
		f := texels.Fill[i]
		from := k.steps[f.Mask]
		var sum [3]float32
		for _, step := range from {
			v := pix[3*(f.Index+step):][:3]
			sum[0], sum[1], sum[2] = sum[0]+v[0], sum[1]+v[1], sum[2]+v[2]
		}
		if sum != [3]float32{} {
			v, share := pix[3*f.Index:][:3], float32(len(from))
			v[0], v[1], v[2] = sum[0]/share, sum[1]/share, sum[2]/share
			if f.Index/TileSize != last {
				last = f.Index / TileSize
				k.mark(f.Index)
			}
		}
	}
	return brightest
}

// run writes some texels of one chunk.
func (k *packer) run(from, to int, direct *light, other *columns, column int) (brightest float32) {
	var bounced [3]*[chunk]float32
	if other.count > 0 {
		for c := range bounced {
			bounced[c] = other.of(from/chunk, column+c)
		}
	}
	last := int32(-1)
	for i := from; i < to; i++ {
		v := direct.at(i)
		if other.count > 0 {
			v[0], v[1], v[2] = v[0]+bounced[0][i%chunk], v[1]+bounced[1][i%chunk], v[2]+bounced[2][i%chunk]
		}
		if v != [3]float32{} {
			at := k.p.Texels.List[i].Index
			pix := k.image.Pix[3*at:][:3]
			pix[0], pix[1], pix[2] = v[0], v[1], v[2]
			if at/TileSize != last { // the same row of the same tile
				last = at / TileSize
				k.mark(at)
			}
			brightest = max(brightest, v[0], v[1], v[2])
		}
	}
	return brightest
}

// mark says that the tile of a texel holds light.
func (k *packer) mark(texel int32) {
	size, across := k.p.Layout.PageSize, k.p.Layout.PageSize/TileSize
	row := int(texel) / size // over all pages
	k.isLit[row/TileSize*across+int(texel)%size/TileSize] = true
}

// match puts the seams right between charts that hold light.
func (k *packer) match() {
	lightmap.Match(k.p.Seams, k.image.Pix, k.p.Layout.PageSize, func(chart int32) bool { return k.lit[chart] })
	for i := range k.p.Seams {
		s := &k.p.Seams[i]
		if k.lit[s.Charts[0]] != k.lit[s.Charts[1]] { // light came over into a dark chart
			for side := range 2 {
				texels, _ := s.Reads(side, k.p.Layout.PageSize)
				for _, t := range texels {
					k.mark(t)
				}
			}
		}
	}
}

// tile packs and cleans a tile.
func (k *packer) tile(page, tx, ty int, scale float32) []uint16 {
	packed := k.image.tile(page, tx, ty, scale)
	for y := range TileSize {
		clear(k.image.tileRow(page, tx, ty, y))
	}
	return packed
}

func (m *Image) tile(page, tx, ty int, scale float32) []uint16 {
	packed := make([]uint16, tileValues)
	for y := range TileSize {
		half.Encode(packed[y*3*TileSize:(y+1)*3*TileSize], m.tileRow(page, tx, ty, y), scale)
	}
	return packed
}

func (m *Image) tileRow(page, tx, ty, y int) []float32 {
	at := 3 * ((page*m.PageSize+ty*TileSize+y)*m.PageSize + tx*TileSize)
	return m.Pix[at : at+3*TileSize]
}

// packed is an image as a layer: the tiles that hold any light.
func packed(m *Image, exponent int, key string) *Layer {
	l := &Layer{Key: key, PageSize: m.PageSize, Pages: m.Pages, Exponent: exponent}
	scale, across := float32(math.Ldexp(1, -exponent)), m.PageSize/TileSize
	for t := range m.Pages * across * across {
		page, y, x := t/(across*across), t/across%across, t%across
		half := m.tile(page, x, y, scale)
		if slices.ContainsFunc(half, func(h uint16) bool { return h != 0 }) {
			l.Tiles = append(l.Tiles, Tile{uint16(page), uint16(x), uint16(y), half})
		}
	}
	return l
}
