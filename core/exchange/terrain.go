package exchange

import (
	"bytes"
	"fmt"
	"image"
	"image/png"

	"github.com/go-gl/mathgl/mgl64"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
)

// Terrain comes in as a PNG whose brightness is its height: black is 0, white is all of it. The
// upper edge of the image is north.

const (
	defaultHeightM = 20
	defaultCells   = 192
	maxCells       = 1024
	tileCells      = 32 // of a mesh, so that a part of a terrain can be lit and changed by itself
)

func readTerrain(files *Files, o Options, report *Report) (*level.Level, error) {
	if o.TerrainM <= 0 {
		return nil, fault("", "is a PNG image; it can come in as terrain where its width is said: --terrain METRES")
	}
	if o.HeightM < 0 || o.TerrainM > 1e5 || o.HeightM > 1e4 {
		return nil, fault("/terrain", "is %g m wide and %g m high; at most 100000 and 10000 are allowed", o.TerrainM, o.HeightM)
	}
	if o.Cells < 0 || o.Cells > maxCells {
		return nil, fault("/cells", "is %d; 1 to %d is allowed", o.Cells, maxCells)
	}
	h, err := readHeights(files.Data)
	if err != nil {
		return nil, err
	}
	if o.HeightM == 0 {
		o.HeightM = defaultHeightM
		report.note("No height was said; %d m from black to white were taken.", defaultHeightM)
	}
	across := o.Cells
	if across == 0 {
		across = min(max(h.width, h.height)-1, defaultCells)
	}
	longest := max(h.width, h.height) - 1
	nx := max(1, across*(h.width-1)/longest)
	nz := max(1, across*(h.height-1)/longest)
	if 2*nx*nz > level.MaxTriangles {
		return nil, fault("/cells", "makes %d triangles; the most is %d", 2*nx*nz, level.MaxTriangles)
	}
	if across < longest {
		report.note("The terrain has %d by %d cells, of an image of %d by %d pixels; --cells says how many.", nx, nz, h.width, h.height)
	}
	l := level.New(o.Name)
	ground := level.Default[level.Material]()
	ground.ID, ground.Name, ground.Color = "ground", "Ground", "#7d7766"
	l.Materials = append(l.Materials, &ground)
	wide, deep := o.TerrainM, o.TerrainM*float64(nz)/float64(nx)
	place := o.Place.matrix()
	at := func(i, k int) geom.Vec3 {
		u, v := float64(i)/float64(nx), float64(k)/float64(nz)
		p := geom.Vec3{(u - 0.5) * wide, h.at(u, v, 1/float64(nx), 1/float64(nz)) * o.HeightM, (v - 0.5) * deep}
		return mgl64.TransformCoordinate(p, place)
	}
	// Two texels for each cell, as its shape has no more in it.
	density := min(max(2*float64(nx)/wide, 0.25), l.Lightmap.Density)
	report.note("Its surfaces have %.3g texels a metre; shadows of small things on it need more.", density)
	sun := level.Default[level.Sun]()
	sun.AzimuthDeg, sun.AltitudeDeg, sun.Lux = 130, 25, 150
	l.Environment.Sun, l.Environment.Ambient.Strength = &sun, 15
	report.note("A low sun and an ambient light of 15 lx show its shape.")
	ids := l.NewIDs()
	for z := 0; z < nz; z += tileCells {
		for x := 0; x < nx; x += tileCells {
			m := tile(ids, at, x, z, min(x+tileCells, nx), min(z+tileCells, nz), nx, nz)
			m.Surface.Density = density
			l.Meshes = append(l.Meshes, m)
		}
	}
	return l, nil
}

// tile is a part of a terrain as a mesh, about its own middle.
func tile(ids *level.IDs, at func(i, k int) geom.Vec3, x0, z0, x1, z1, nx, nz int) *level.Mesh {
	m := level.Default[level.Mesh]()
	m.Name = fmt.Sprintf("Terrain %d %d", x0/tileCells+1, z0/tileCells+1)
	m.ID = ids.Fresh(m.Name)
	m.Surface.Material = "ground"
	middle := at((x0+x1)/2, (z0+z1)/2)
	m.Transform.Position = level.Vec(middle)
	for k := z0; k <= z1; k++ {
		for i := x0; i <= x1; i++ {
			p := at(i, k).Sub(middle)
			m.Positions = append(m.Positions, p[0], p[1], p[2])
			m.UVs = append(m.UVs, float64(i)/float64(nx), float64(k)/float64(nz))
		}
	}
	row := uint32(x1 - x0 + 1)
	for k := range uint32(z1 - z0) {
		for i := range row - 1 {
			a, b, c, d := k*row+i, k*row+i+1, (k+1)*row+i, (k+1)*row+i+1
			m.Indices = append(m.Indices, a, c, b, b, c, d)
		}
	}
	return &m
}

// heights are the pixels of an image, 0 to 1.
type heights struct {
	width, height int
	value         []float32
}

func readHeights(data []byte) (*heights, error) {
	width, height, err := picture.Size(data) // before anything is allocated
	if err != nil {
		return nil, fault("", "%v", err)
	}
	if width < 2 || height < 2 {
		return nil, fault("", "is an image of %d by %d pixels; at least 2 by 2 are needed for terrain", width, height)
	}
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return nil, fault("", "is no PNG image that can be read: %v", err)
	}
	h := &heights{width, height, make([]float32, width*height)}
	for y := range height {
		for x := range width {
			h.value[y*width+x] = brightness(img, x, y)
		}
	}
	return h, nil
}

// brightness is the value of a grey pixel, all 16 bits of it; of a coloured one the mean.
func brightness(img image.Image, x, y int) float32 {
	b := img.Bounds()
	switch img := img.(type) {
	case *image.Gray16:
		return float32(img.Gray16At(b.Min.X+x, b.Min.Y+y).Y) / 0xffff
	case *image.Gray:
		return float32(img.GrayAt(b.Min.X+x, b.Min.Y+y).Y) / 0xff
	}
	r, g, bl, _ := img.At(b.Min.X+x, b.Min.Y+y).RGBA()
	return float32(r+g+bl) / (3 * 0xffff)
}

// at is the height at a place of the image, from 0 to 1 along both sides: the mean over the part of
// it that a vertex stands for, which is at least the four nearest pixels, by how near they are.
func (h *heights) at(u, v, du, dv float64) float64 {
	x, y := u*float64(h.width-1), v*float64(h.height-1)
	// At the edge of the image as far to both sides, so that a slope keeps its heights.
	rx := max(1, min(du*float64(h.width-1), x, float64(h.width-1)-x))
	ry := max(1, min(dv*float64(h.height-1), y, float64(h.height-1)-y))
	sum, weight := 0.0, 0.0
	for j := max(0, int(y-ry)); j <= min(h.height-1, int(y+ry)+1); j++ {
		for i := max(0, int(x-rx)); i <= min(h.width-1, int(x+rx)+1); i++ {
			w := max(0, 1-abs(float64(i)-x)/rx) * max(0, 1-abs(float64(j)-y)/ry)
			sum, weight = sum+w*float64(h.value[j*h.width+i]), weight+w
		}
	}
	return sum / weight
}

func abs(v float64) float64 { return max(v, -v) }
