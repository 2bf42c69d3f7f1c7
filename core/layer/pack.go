package layer

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/half"
	"grotta/core/lightmap"
)

// Packer makes one source's layer, chart by chart. Light becomes half-floats at
// once, so that a bake never holds a whole lightmap in float32. When a chart comes
// that is brighter than all before, those are scaled to it by a power of two.
type Packer struct {
	layout *lightmap.Layout
	layer  *Layer
	tiles  []int32 // of each tile of the pages its place in the layer and one more, or 0
	lit    []bool  // of each chart: whether it holds light
}

// NewPacker begins the layer of a key.
func NewPacker(l *lightmap.Layout, key string) *Packer {
	across := l.PageSize / TileSize
	return &Packer{
		layout: l,
		layer:  &Layer{Key: key, PageSize: l.PageSize, Pages: l.Pages},
		tiles:  make([]int32, across*across*l.Pages),
		lit:    make([]bool, len(l.Charts)),
	}
}

// Width is the width of the chart's rectangle, in texels.
func (s *Sheet) Width() int { return s.width }

// at is the half-floats of a texel of a page on to the end of its tile's row; nil
// where no tile is yet and none is to be made.
func (k *Packer) at(page, x, y int, create bool) []uint16 {
	across := k.layer.PageSize / TileSize
	place := &k.tiles[(page*across+y/TileSize)*across+x/TileSize]
	if *place == 0 {
		if !create {
			return nil
		}
		k.layer.Tiles = append(k.layer.Tiles, newTile(page, x/TileSize, y/TileSize))
		*place = int32(len(k.layer.Tiles))
	}
	return k.layer.Tiles[*place-1].Half[(y%TileSize*TileSize+x%TileSize)*3:][:3*(TileSize-x%TileSize)]
}

// Write packs a chart's sheet and empties it.
func (k *Packer) Write(ci int, s *Sheet) {
	if s.brightest > 0 {
		k.lit[ci] = true
		k.fit(s.brightest)
	}
	c, scale := &k.layout.Charts[ci], k.scale()
	width := s.width
	left, top := c.Corner()
	row := make([]uint16, (3*width+7)&^7)
	for y := s.low / width; y*width < s.high; y++ {
		from := s.v[3*y*width:][:len(row)]
		half.Encode(row, from, scale)
		for x, to := 0, 0; x < width; x = to {
			to = min(x+TileSize-(left+x)%TileSize, width)
			if part := row[3*x : 3*to]; holdsLight(part) {
				copy(k.at(c.Page(), left+x, top+y, true), part)
			}
		}
		clear(from[:3*width])
	}
}

// Read fills an empty sheet with what was written of its chart.
func (k *Packer) Read(ci int, s *Sheet) {
	if !k.lit[ci] {
		return
	}
	c := &k.layout.Charts[ci]
	width, height := c.Size()
	left, top := c.Corner()
	unit := k.unit()
	s.low, s.high = 0, width*height
	for y := range height {
		for x, to := 0, 0; x < width; x = to {
			to = min(x+TileSize-(left+x)%TileSize, width)
			part := s.v[3*(y*width+x) : 3*(y*width+to)]
			for i, h := range k.at(c.Page(), left+x, top+y, false) {
				if i < len(part) {
					part[i] = half.Decode(h) * unit
				}
			}
		}
	}
}

// Sheet is where a chart is put together: three values of each place of its
// rectangle, by rows, and some more for what reads whole vectors.
type Sheet struct {
	v         []float32 // zero but from the place low on and before the place high
	width     int
	low, high int
	brightest float32 // of what was set
}

// Begin makes an empty sheet one of a chart.
func (s *Sheet) Begin(c *lightmap.Chart) {
	width, height := c.Size()
	size := 3*width*height + 8
	s.room(size)
	*s = Sheet{v: s.v, width: width, low: size}
}

// room is so many values of an empty sheet, zero and to be left so.
func (s *Sheet) room(size int) []float32 {
	if size > len(s.v) {
		s.v = make([]float32, size)
	}
	return s.v[:size]
}

// Set puts a value at a place, counted by rows.
func (s *Sheet) Set(place int, v [3]float32) {
	if v == [3]float32{} {
		return
	}
	*(*[3]float32)(s.v[3*place:]) = v
	s.low, s.high = min(s.low, place), max(s.high, place+1)
	for _, c := range v { // faster than max, which looks out for NaN
		if c > s.brightest {
			s.brightest = c
		}
	}
}

// Fill gives places that have no texel the light round them.
func (s *Sheet) Fill(fills []lightmap.Fill) {
	if s.low >= s.high {
		return
	}
	for _, f := range fills {
		if place := f.Place(); place < s.low-s.width-1 || place > s.high+s.width {
			continue // far from all that is set
		}
		var sum [3]float32
		var n float32
		for step := range f.From(s.width) {
			v := s.v[3*(f.Place()+step):][:3]
			sum[0], sum[1], sum[2], n = sum[0]+v[0], sum[1]+v[1], sum[2]+v[2], n+1
		}
		s.Set(f.Place(), [3]float32{sum[0] / n, sum[1] / n, sum[2] / n})
	}
}

func holdsLight(values []uint16) bool {
	return slices.ContainsFunc(values, func(h uint16) bool { return h != 0 })
}

// scale is what values are times when they are stored, and unit when they are read.
func (k *Packer) scale() float32 { return float32(math.Ldexp(1, -k.layer.Exponent)) }
func (k *Packer) unit() float32  { return float32(math.Ldexp(1, k.layer.Exponent)) }

// fit raises the exponent until a value fits.
func (k *Packer) fit(brightest float32) {
	e := ExponentFor(brightest)
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

// Done puts the seams right between charts that hold light, so many channels at once, on
// an empty sheet, and gives the layer.
func (k *Packer) Done(seams *lightmap.Seams, channels int, on *Sheet) *Layer {
	values, packed := on.room((channels*seams.Len()+7)&^7), [264]uint16{} // a multiple of 8 and of 3
	for first := 0; first < 3; first += channels {
		i, unit := 0, k.unit()
		for texel := range seams.Texels() {
			to := values[i : i+channels]
			clear(to)
			if from := k.at(texel.Page, texel.X, texel.Y, false); from != nil {
				for c := range to {
					to[c] = half.Decode(from[first+c]) * unit
				}
			}
			i += channels
		}
		seams.Match(values, channels, k.lit)
		i = 0
		for texel := range seams.Texels() {
			if i%len(packed) == 0 {
				part := values[i:min(i+len(packed), len(values))]
				half.Encode(packed[:len(part)], part, k.scale())
			}
			now := packed[i%len(packed):][:channels]
			if to := k.at(texel.Page, texel.X, texel.Y, holdsLight(now)); to != nil {
				copy(to[first:], now)
			}
			i += channels
		}
	}
	clear(values)
	slices.SortFunc(k.layer.Tiles, func(a, b Tile) int {
		return cmp.Or(cmp.Compare(a.Page, b.Page), cmp.Compare(a.Y, b.Y), cmp.Compare(a.X, b.X))
	})
	return k.layer
}

// leastExponent keeps the scale of the dimmest light within float32.
const leastExponent = -100

// ExponentFor is the power of two that puts the brightest of some values just under
// 2^15, so that half-floats keep 11 bits over the widest span: the relative error
// is at most 2^-11 down to 2^-29 of the brightest.
func ExponentFor(brightest float32) int {
	_, e := math.Frexp(float64(brightest))
	return max(e-15, leastExponent)
}
