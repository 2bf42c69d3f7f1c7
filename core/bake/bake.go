package bake

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"math"
	"runtime"
	"sync/atomic"

	"golang.org/x/sync/errgroup"

	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/lightmap"
	"grotta/core/scene"
)

// Prepared is a level made ready to bake: everything that does not depend on a
// source.
type Prepared struct {
	Scene   *scene.Scene
	Layout  *lightmap.Layout
	Texels  *lightmap.Texels
	Sources []Source
	shape   [32]byte // of all geometry that layers depend on
}

// Prepare builds the scene, lays it out and places the texels. The error is a
// *lightmap.TooLarge.
func Prepare(l *level.Level) (*Prepared, error) {
	s := scene.Build(l)
	layout, err := lightmap.Plan(s)
	if err != nil {
		return nil, err
	}
	return &Prepared{
		Scene:   s,
		Layout:  layout,
		Texels:  layout.Texels(s),
		Sources: Sources(l, s.World),
		shape:   geometryHash(s, layout),
	}, nil
}

// geometryHash covers triangles, what they do to light, and where their charts
// are. Colours of materials are not in it: direct light does not depend on them.
func geometryHash(s *scene.Scene, l *lightmap.Layout) [32]byte {
	h := sha256.New()
	for i := range s.Surfaces {
		surface := &s.Surfaces[i]
		fmt.Fprintf(h, "%t %t %d\n", surface.CastsShadow, surface.ReceivesLight, len(surface.Tris))
		for _, t := range surface.Tris {
			binary.Write(h, binary.LittleEndian, t)
		}
	}
	fmt.Fprintf(h, "pages %d of %d\n", l.Pages, l.PageSize)
	for _, c := range l.Charts {
		fmt.Fprintf(h, "%d %d %d %d %d %v\n", c.Surface, c.Page, c.X, c.Y, c.Width, c.Density)
	}
	return [32]byte(h.Sum(nil))
}

// Key names a source's layer by everything that goes into it. The same key
// always means the same bytes, whatever level asks.
func (p *Prepared) Key(s *Source, q Quality) string {
	h := sha256.New()
	fmt.Fprintf(h, "grotta layer, engine %s, %s\n%x\n%+v\n", Engine, q, p.shape, s.shape)
	return hex.EncodeToString(h.Sum(nil))
}

// chunk is how many texels one step of work holds.
const chunk = 512

// Bake computes a source's layer on all cores. Progress, if not nil, is called
// now and then, from any goroutine, with the number of texels done of
// len(Texels.List). It ends early with the context's error.
func (p *Prepared) Bake(ctx context.Context, s *Source, q Quality, progress func(done int)) (*Layer, error) {
	texels := p.Texels.List
	lux := make([]float32, len(texels))
	key := p.Key(s, q)
	seed := binary.BigEndian.Uint64([]byte(key))
	var next, done atomic.Int64
	group, ctx := errgroup.WithContext(ctx)
	for range runtime.GOMAXPROCS(0) {
		group.Go(func() error {
			for {
				from := int(next.Add(chunk)) - chunk
				if from >= len(texels) {
					return nil
				}
				if err := ctx.Err(); err != nil {
					return err
				}
				to := min(from+chunk, len(texels))
				for i := from; i < to; i++ {
					t := &texels[i]
					value, _ := s.direct(p.Scene, vec(t.Origin), vec(t.Normal), q.Samples(), turn(seed, t.Index))
					lux[i] = float32(value)
				}
				if d := done.Add(int64(to - from)); progress != nil {
					progress(int(d))
				}
			}
		})
	}
	if err := group.Wait(); err != nil {
		return nil, err
	}
	image := NewImage(p.Layout.PageSize, p.Layout.Pages)
	for i, t := range texels {
		image.Pix[3*t.Index], image.Pix[3*t.Index+1], image.Pix[3*t.Index+2] = lux[i], lux[i], lux[i]
	}
	image.fill(p.Texels.Fill)
	return newLayer(key, image), nil
}

// turn is an angle in [0, 2π) that depends on nothing but the texel and the
// source (the finaliser of splitmix64).
func turn(seed uint64, texel int32) float64 {
	x := seed + uint64(texel)*0x9e3779b97f4a7c15
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	x ^= x >> 31
	return float64(x>>11) / (1 << 53) * 2 * math.Pi
}

func vec(v [3]float32) geom.Vec3 {
	return geom.Vec3{float64(v[0]), float64(v[1]), float64(v[2])}
}

// Again is Prepare for a level that was edited from the one p was prepared of.
// Where no geometry, material, zone or density changed it reuses all that does
// not depend on sources, which makes an edit of lights or look nearly free.
func (p *Prepared) Again(l *level.Level) (*Prepared, error) {
	was := p.Scene.Level
	same := was.Lightmap == l.Lightmap && sameList(was.Solids, l.Solids) && sameList(was.Meshes, l.Meshes) &&
		sameList(was.Materials, l.Materials) && sameList(was.Zones, l.Zones)
	for _, e := range l.Placed() {
		if (e.Part == "solids" || e.Part == "meshes") && e.Parent != "" {
			same = false // it may ride on a light that moved
		}
	}
	if !same {
		return Prepare(l)
	}
	next, s := *p, *p.Scene
	s.Level, s.World = l, l.World()
	next.Scene, next.Sources = &s, Sources(l, s.World)
	return &next, nil
}

// sameList tells whether two lists are one: levels share what was not edited.
func sameList[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

// Geometry names the scene and its layout; while it stays so do all texture
// coordinates.
func (p *Prepared) Geometry() string { return hex.EncodeToString(p.shape[:]) }
