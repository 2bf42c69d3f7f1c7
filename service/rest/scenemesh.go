package rest

import (
	"bytes"
	"context"
	"encoding/binary"
	"iter"
	"math"
	"slices"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/parallel"
	"grotta/core/probe"
	"grotta/core/scene"
	"grotta/core/shot"
	"grotta/core/sky"
)

// sceneHeader begins the console's mesh.
type sceneHeader struct {
	Geometry string       `json:"geometry"`
	PageSize int          `json:"page_size"`
	Pages    int          `json:"pages"`
	Vertices int          `json:"vertices"`
	Ranges   []sceneRange `json:"ranges"` // by entity, in order
	Images   []string     `json:"images"` // ids of those that materials have
	Waters   []sceneWater `json:"waters"`
	Puddles  *puddleGrid  `json:"puddles"` // null for none
	Min      [3]float64   `json:"min"`
	Max      [3]float64   `json:"max"`
}

type sceneRange struct {
	ID     string `json:"id"`
	First  int    `json:"first"` // vertex
	Count  int    `json:"count"`
	Closed bool   `json:"closed"` // its backs are seen from inside alone, or not at all
}

// puddleGrid says where the cells of a map of puddles lie. Its half-floats end the mesh: in each cell how high the ground
// is above the base, and how deep the water on it.
type puddleGrid struct {
	X      float64 `json:"x"`
	Z      float64 `json:"z"`
	CellM  float64 `json:"cell_m"`
	Width  int     `json:"width"`
	Height int     `json:"height"`
	BaseM  float64 `json:"base_m"`
}

// putPuddles gives where puddles are, and their halves.
func putPuddles(s *scene.Scene) (*puddleGrid, []uint16) {
	p := s.Puddles()
	if p == nil {
		return nil, nil
	}
	grid := &puddleGrid{p.X, p.Z, p.CellM, p.Width, p.Height, s.Bounds.Min[1]}
	values := make([]float32, 0, 2*len(p.Depth)+8)
	for i, ground := range p.Ground {
		values = append(values, float32(max(float64(ground)-grid.BaseM, -farBelowM)), p.Depth[i])
	}
	values = values[:(len(values)+7)&^7] // what is encoded comes in eights
	halves := make([]uint16, len(values))
	half.Encode(halves, values, 1)
	return grid, halves[:2*len(p.Depth)]
}

// farBelowM is where the ground is taken to be where there is none.
const farBelowM = 1000

// sceneWater is a block that water fills.
type sceneWater struct {
	ID      string       `json:"id"`
	Planes  [][4]float64 `json:"planes"` // that bound it: x, y, z outward, and how far out
	Fades   [3]float64   `json:"fades"`  // of light, for each metre, as a logarithm
	WaveM   float64      `json:"wave_m"`
	LengthM float64      `json:"length_m"`
}

func watersOf(s *scene.Scene) []sceneWater {
	out := []sceneWater{}
	for i := range s.Waters {
		w := &s.Waters[i]
		one := sceneWater{ID: w.ID(), Fades: w.Fades(), WaveM: w.WaveM, LengthM: w.LengthM}
		w.Planes(func(n geom.Vec3, distance float64) {
			one.Planes = append(one.Planes, [4]float64{n[0], n[1], n[2], distance})
		})
		out = append(out, one)
	}
	return out
}

// sceneMesh writes the visible triangles as the console draws them.
func sceneMesh(p *bake.Prepared) ([]byte, error) {
	h := sceneHeader{Geometry: p.Geometry(), PageSize: p.Layout.PageSize, Pages: p.Layout.Pages, Ranges: []sceneRange{}, Images: []string{}, Waters: watersOf(p.Scene)}
	if b := p.Scene.Bounds; !b.Empty() {
		h.Min, h.Max = b.Min, b.Max
	}
	var positions, normals, texels, albedo, emission, sway, images, sides, finish []float32
	pieces, open := p.Scene.Drawn(), p.Scene.Open()
	for i := range p.Scene.Surfaces {
		s := &p.Scene.Surfaces[i]
		if !s.Finish().Roles.Visible {
			continue
		}
		first, triangle, picture, base := h.Vertices, 0, -1, s.Finish().Albedo
		if s.Finish().Image != nil { // its mean is in the albedo
			base = s.Finish().Material.Albedo()
			if picture = slices.Index(h.Images, s.Finish().Material.Image); picture < 0 {
				picture, h.Images = len(h.Images), append(h.Images, s.Finish().Material.Image)
			}
		}
		oneSided := float32(0) // 1 where the other side has triangles of its own
		if p.Scene.OtherSide(int(s.First)) >= 0 {
			oneSided = 1
		}
		own, _ := p.Scene.TrianglesOf(s)
		for t := range drawn(p.Scene, i, pieces) {
			n := t[1].Sub(t[0]).Cross(t[2].Sub(t[0])).Normalize()
			for k, v := range t {
				if s.Body().Mesh != nil { // its own triangles are drawn
					n = p.Scene.CornerNormal(own+triangle, k)
				}
				positions = append(positions, float32(v[0]), float32(v[1]), float32(v[2]))
				normals = append(normals, float32(n[0]), float32(n[1]), float32(n[2]))
				x, y, page := 0.0, 0.0, -1
				if c := p.Layout.ChartOf[i]; c >= 0 {
					chart := &p.Layout.Charts[c]
					x, y = chart.At(v)
					page = chart.Page()
				} else if s.Finish().Material.Lighting == "dynamic" {
					page = -2
				}
				texels = append(texels, float32(x), float32(y), float32(page))
				albedo = append(albedo, float32(base[0]), float32(base[1]), float32(base[2]))
				emission = append(emission, float32(s.Finish().Material.Emission))
				if b := s.Body().Bend; b != nil {
					sway = append(sway, float32(b.Share(v[1])), float32(b.PeriodS))
				} else {
					sway = append(sway, 0, 1)
				}
				sides = append(sides, oneSided)
				finish = append(finish, float32(s.Finish().Material.Roughness), float32(s.Finish().Material.Metalness))
				u, w := 0.0, 0.0
				if picture >= 0 {
					u, w = p.Scene.CornerUV(s, triangle, k, v)
				}
				images = append(images, float32(u), float32(w), float32(picture), float32(s.Finish().Material.Cutoff))
				h.Vertices++
			}
			triangle++
		}
		if last := len(h.Ranges) - 1; last >= 0 && h.Ranges[last].ID == s.Body().Entity {
			h.Ranges[last].Count += h.Vertices - first
		} else {
			h.Ranges = append(h.Ranges, sceneRange{s.Body().Entity, first, h.Vertices - first, !open[s.Body().Entity]})
		}
	}
	var puddles []uint16
	h.Puddles, puddles = putPuddles(p.Scene)
	head, err := headed(h)
	if err != nil {
		return nil, err
	}
	b := bytes.NewBuffer(head)
	for _, values := range [][]float32{positions, normals, texels, albedo, emission, sway, images, sides, finish} {
		binary.Write(b, binary.LittleEndian, values)
	}
	binary.Write(b, binary.LittleEndian, puddles)
	return b.Bytes(), nil
}

// headed is a value as JSON, padded to four bytes, after its length.
func headed(v any) ([]byte, error) {
	head, err := level.Encode(v)
	if err != nil {
		return nil, err
	}
	for len(head)%4 != 0 {
		head = append(head, ' ')
	}
	return append(binary.LittleEndian.AppendUint32(nil, uint32(len(head))), head...), nil
}

// movingLight writes the light on the corners of surfaces that take no lightmap
// because they move, in the order of the mesh.
func movingLight(ctx context.Context, p *bake.Prepared, image *layer.Image, grids []*probe.Grid) ([]byte, error) {
	eye := shot.NewEye(p, image)
	eye.Moving = probe.Moving(p, grids)
	pieces := p.Scene.Drawn()
	type corner struct{ at, normal geom.Vec3 }
	var corners []corner
	for i := range p.Scene.Surfaces {
		s := &p.Scene.Surfaces[i]
		if !s.Finish().Roles.Visible || p.Layout.ChartOf[i] >= 0 || s.Finish().Material.Lighting != "dynamic" {
			continue
		}
		triangle, _ := p.Scene.TrianglesOf(s)
		for t := range drawn(p.Scene, i, pieces) {
			for k, v := range t {
				normal := p.Scene.Normal(s)
				if s.Body().Mesh != nil { // its own triangles are drawn
					normal = p.Scene.CornerNormal(triangle, k)
				}
				corners = append(corners, corner{v, normal})
			}
			triangle++
		}
	}
	lux := make([]float32, 3*len(corners))
	err := parallel.Each(ctx, len(corners), func(i int) {
		light := eye.OnMoving(corners[i].at, corners[i].normal)
		for c := range 3 {
			lux[3*i+c] = float32(light[c])
		}
	}, nil)
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, lux)
	return b.Bytes(), err
}

// drawn are the triangles of a surface: fans round the middles of what it shows,
// or a mesh's own.
func drawn(sc *scene.Scene, surface int, pieces map[int][][]geom.Vec3) iter.Seq[[3]geom.Vec3] {
	shown, ok := pieces[surface]
	if !ok {
		return sc.Corners(&sc.Surfaces[surface])
	}
	return func(yield func([3]geom.Vec3) bool) {
		for _, p := range shown {
			var middle geom.Vec3
			for _, v := range p {
				middle = middle.Add(v.Mul(1 / float64(len(p))))
			}
			for i, v := range p {
				if !yield([3]geom.Vec3{middle, v, p[(i+1)%len(p)]}) {
					return
				}
			}
		}
	}
}

// Size of the sky that the console draws.
const skyWidth, skyHeight = 512, 256

// skyMap writes the sky's radiance by direction, for a luminance of 1, as the
// console draws it: rows from the zenith down, the middle north.
func skyMap(l *level.Level) []byte {
	s := sky.OfLevel(l)
	rgba := make([]float32, 4*skyWidth*skyHeight)
	for y := range skyHeight {
		sinT, cosT := math.Sincos(math.Pi * (float64(y) + 0.5) / skyHeight)
		for x := range skyWidth {
			sinA, cosA := math.Sincos(2 * math.Pi * ((float64(x)+0.5)/skyWidth - 0.5))
			c := s.Radiance(geom.Vec3{sinT * sinA, cosT, -sinT * cosA})
			for k := range 3 {
				rgba[4*(y*skyWidth+x)+k] = float32(min(c[k], 65504))
			}
		}
	}
	var b bytes.Buffer
	binary.Write(&b, binary.LittleEndian, [2]uint32{skyWidth, skyHeight})
	binary.Write(&b, binary.LittleEndian, packed(rgba))
	return b.Bytes()
}
