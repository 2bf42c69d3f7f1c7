// Package layer is baked light as it is kept and shown: lightmaps in memory, layers as
// sparse tiles of half-floats, their file format, and the mix of them. It traces no rays.
package layer

import (
	"bytes"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"math"

	"github.com/klauspost/compress/zstd"

	"grotta/core/color"
	"grotta/core/half"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/source"
)

// Image is a lightmap in memory: pages of linear Rec. 709 lux, three float32 a
// texel, rows from v = 0 up, page after page.
type Image struct {
	PageSize, Pages int
	Pix             []float32
}

// NewImage is black.
func NewImage(pageSize, pages int) *Image {
	return &Image{pageSize, pages, make([]float32, 3*pageSize*pageSize*pages)}
}

// At reads bilinearly at texel coordinates of a page; whole numbers plus a half
// are texel centres. Outside the page the edge repeats.
func (m *Image) At(page int, x, y float64) color.Linear {
	fx, fy := math.Floor(x-0.5), math.Floor(y-0.5)
	tx, ty := x-0.5-fx, y-0.5-fy
	return m.texel(page, int(fx), int(fy)).Lerp(m.texel(page, int(fx)+1, int(fy)), tx).
		Lerp(m.texel(page, int(fx), int(fy)+1).Lerp(m.texel(page, int(fx)+1, int(fy)+1), tx), ty)
}

func (m *Image) texel(page, x, y int) color.Linear {
	x, y = min(max(x, 0), m.PageSize-1), min(max(y, 0), m.PageSize-1)
	i := 3 * ((page*m.PageSize+y)*m.PageSize + x)
	return color.Linear{float64(m.Pix[i]), float64(m.Pix[i+1]), float64(m.Pix[i+2])}
}

// Hash is the SHA-256 of the image as little-endian half-floats.
func (m *Image) Hash() string {
	h := sha256.New()
	row := make([]uint16, 3*m.PageSize)
	for at := 0; at < len(m.Pix); at += len(row) {
		half.Encode(row, m.Pix[at:at+len(row)], 1)
		binary.Write(h, binary.LittleEndian, row)
	}
	return hex.EncodeToString(h.Sum(nil))
}

// TileSize is the side of a tile, in texels.
const TileSize = 32

const tileValues = TileSize * TileSize * 3

// Layer is one source's lightmap for unit white strength: only the tiles that
// have any light, as half-floats times 2^Exponent.
type Layer struct {
	Key             string
	PageSize, Pages int
	Exponent        int
	Tiles           []Tile
	Encoded         []byte // what Encode gives, where it is at hand; nil else
}

// Tile is a square of a page, at (X, Y) tiles from its corner.
type Tile struct {
	Page, X, Y uint16
	Half       []uint16 // tileValues of them
}

func newTile(page, x, y int) Tile {
	return Tile{uint16(page), uint16(x), uint16(y), make([]uint16, tileValues)}
}

// AddTo adds the layer, times a weight for each channel, to an image of the
// same pages.
func (l *Layer) AddTo(m *Image, weight color.Linear) {
	w := l.scaled(weight)
	for i := range l.Tiles {
		l.Tiles[i].addTo(m, w)
	}
}

// scaled is a weight of the layer's values as they are stored.
func (l *Layer) scaled(weight color.Linear) [3]float32 {
	scale := math.Ldexp(1, l.Exponent)
	return [3]float32{float32(weight[0] * scale), float32(weight[1] * scale), float32(weight[2] * scale)}
}

func (t *Tile) addTo(m *Image, w [3]float32) {
	at := ((int(t.Page)*m.PageSize+int(t.Y)*TileSize)*m.PageSize + int(t.X)*TileSize) * 3
	half.AddScaled(m.Pix[at:], 3*m.PageSize, t.Half, 3*TileSize, w)
}

// Mix is the weighted sum of layers: the lightmap that is shown, without a ray.
// Sources and layers go in pairs; a nil layer is one that is not baked yet. It
// goes a square of the pages at a time, so that the sum stays near the processor
// while all layers are added to it.
func Mix(pageSize, pages int, sources []source.Source, layers []*Layer) *Image {
	type part struct {
		tile   *Tile
		weight [3]float32
	}
	across := pageSize / TileSize
	squares := make([][]part, pages*across*across)
	for i, l := range layers {
		if l == nil || sources[i].Weight == (color.Linear{}) {
			continue
		}
		w := l.scaled(sources[i].Weight)
		for k := range l.Tiles {
			t := &l.Tiles[k]
			at := (int(t.Page)*across+int(t.Y))*across + int(t.X)
			squares[at] = append(squares[at], part{t, w})
		}
	}
	m := NewImage(pageSize, pages)
	parallel.All(len(squares), func(i int) {
		for _, p := range squares[i] {
			p.tile.addTo(m, p.weight)
		}
	})
	return m
}

// The encoded layer: magic, then zstd of a header and the tiles.
var layerMagic = []byte("grotta-layer/1\n")

type layerHeader struct {
	PageSize, Pages uint32
	Exponent, Tiles int32
}

// maxLayerBytes bounds what Decode unpacks.
const maxLayerBytes = 6*lightmap.MaxTexels + 1<<20

// Encode writes the layer compressed; the key is not in it.
func (l *Layer) Encode() []byte {
	if l.Encoded != nil {
		return l.Encoded
	}
	var out bytes.Buffer
	out.Write(layerMagic)
	z, _ := zstd.NewWriter(&out, zstd.WithEncoderConcurrency(1)) // options are constant
	z.Write(l.Raw())
	z.Close()
	return out.Bytes()
}

// Raw is the layer uncompressed: header, then each tile's place and values,
// little-endian. The console reads this.
func (l *Layer) Raw() []byte {
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, layerHeader{uint32(l.PageSize), uint32(l.Pages), int32(l.Exponent), int32(len(l.Tiles))})
	for _, t := range l.Tiles {
		binary.Write(&b, binary.LittleEndian, [4]uint16{t.Page, t.X, t.Y, 0})
		binary.Write(&b, binary.LittleEndian, t.Half)
	}
	return b.Bytes()
}

// Decode reads what Encode wrote.
func Decode(key string, data []byte) (*Layer, error) {
	body, ok := bytes.CutPrefix(data, layerMagic)
	if !ok {
		return nil, errors.New("layer: this is not a grotta-layer/1")
	}
	z, err := zstd.NewReader(nil, zstd.WithDecoderMaxMemory(maxLayerBytes), zstd.WithDecoderConcurrency(1))
	if err != nil {
		return nil, err
	}
	defer z.Close()
	raw, err := z.DecodeAll(body, nil)
	if err != nil {
		return nil, fmt.Errorf("layer: %w", err)
	}
	return parse(key, raw)
}

func parse(key string, raw []byte) (*Layer, error) {
	r := bytes.NewReader(raw)
	var h layerHeader
	if err := binary.Read(r, binary.LittleEndian, &h); err != nil {
		return nil, fmt.Errorf("layer: header: %w", err)
	}
	if h.PageSize == 0 || h.PageSize > 4096 || h.PageSize%TileSize != 0 || h.Pages > lightmap.MaxPages || h.Tiles < 0 || h.Exponent < -200 || h.Exponent > 200 {
		return nil, fmt.Errorf("layer: a header of %d pages of %d with %d tiles cannot be", h.Pages, h.PageSize, h.Tiles)
	}
	if want := int64(h.Tiles) * (8 + 2*tileValues); want != int64(r.Len()) {
		return nil, fmt.Errorf("layer: %d tiles need %d bytes, and %d follow", h.Tiles, want, r.Len())
	}
	l := &Layer{Key: key, PageSize: int(h.PageSize), Pages: int(h.Pages), Exponent: int(h.Exponent)}
	across := uint16(h.PageSize / TileSize)
	for range h.Tiles {
		var place [4]uint16
		binary.Read(r, binary.LittleEndian, &place)
		if place[0] >= uint16(h.Pages) || place[1] >= across || place[2] >= across {
			return nil, fmt.Errorf("layer: a tile at %v is off the pages", place[:3])
		}
		t := newTile(int(place[0]), int(place[1]), int(place[2]))
		binary.Read(r, binary.LittleEndian, t.Half)
		l.Tiles = append(l.Tiles, t)
	}
	return l, nil
}

// MemoryBytes is about what the layer takes in memory.
func (l *Layer) MemoryBytes() int { return 128 + len(l.Tiles)*(32+2*tileValues) }
