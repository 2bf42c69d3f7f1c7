package bake

import (
	"context"
	"math"
	"math/bits"
	"slices"
	"sync"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/source"
	"grotta/core/trace"
)

// This file computes radiosity: how light goes from surface to surface. Texels form
// patches of patchTexels or more on a side. Nothing stands between the texels of a patch.
// Each patch sends patchRays rays over its hemisphere, distributed by the cosine, and
// stores which patch each ray meets. This table, the links, does not depend on any source.
// The bounces of every source are sums over it, iterated to convergence, without further
// rays (Goral et al., "Modeling the interaction of light between diffuse surfaces", 1984,
// with sampled form factors).

const (
	patchRays   = 32
	patchTexels = 2     // along each side at least
	patchM      = 0.125 // a patch need not be smaller
)

// MaxAlbedo limits the albedo of a surface, per channel. Bounces between surfaces that
// reflect all light would not converge.
const MaxAlbedo = 0.98

// A link is the number of the patch that a ray meets, or one of these.
const (
	linkSky  = math.MaxUint32     // the ray leaves the level
	linkDark = math.MaxUint32 - 1 // it meets what sends nothing back
)

// transport is the links of a level, and which texel is in which patch.
type transport struct {
	layout *lightmap.Layout
	cells  []int32 // the patch of each place of the charts with texels without their padding, by rows; with cut
	// Of each chart: where its cells begin, and its patches, and the ends.
	cellsOf, patchesOf []int32
	links              []linkPart
	sky                []uint32       // of each patch: the rays that leave the level, a bit for each
	albedos            [][4]float32   // for what patches send back; the fourth is the greatest
	albedoOf           []int32        // of each patch: which of them
	first              []int32        // texel of each patch: its rays go about that one's normal
	around             []surroundings // of each patch
}

// linkPart is the links of partPatches patches, or fewer, that follow each other.
type linkPart struct {
	links []uint16 // to the patches that each one's rays meet, patch after patch
	of    []uint32 // where each patch's begin, and the end
}

const partPatches = 128

// patches is how many there are.
func (t *transport) patches() int { return len(t.albedoOf) }

// once holds what a level's shape gives and its lights do not change.
type once struct {
	mu        sync.Mutex
	transport *transport
	steps     map[Quality]int // bounces by quality
	sheets    sync.Pool       // of *sheet
}

// transport gives the links, which are made on first use.
func (p *Prepared) transport(ctx context.Context, report func(share float64)) (*transport, error) {
	p.shared.mu.Lock()
	defer p.shared.mu.Unlock()
	if p.shared.transport == nil {
		t, err := p.newTransport(ctx, report)
		if err != nil {
			return nil, err
		}
		p.shared.transport, p.shared.steps = t, map[Quality]int{}
	}
	return p.shared.transport, nil
}

// steps is how many bounces a quality wants.
func (p *Prepared) steps(ctx context.Context, t *transport, q Quality, on *solve) (int, error) {
	p.shared.mu.Lock()
	defer p.shared.mu.Unlock()
	if p.shared.steps[q] == 0 {
		steps, err := t.bounces(ctx, q.tolerance(), on)
		if err != nil {
			return 0, err
		}
		p.shared.steps[q] = steps
	}
	return p.shared.steps[q], nil
}

// solve is the working memory of bounces, with a row for each patch. direct is the light
// that comes directly. sent is what each patch has sent back; its first row is dark. next
// has room for what one stretch of patches sends next.
type solve struct{ direct, sent, next [][4]float32 }

func newSolve(patches int) *solve {
	return &solve{make([][4]float32, patches), make([][4]float32, patches+1), make([][4]float32, stretchOf(patches))}
}

// stretchOf is the number of patches in a stretch: an eighth of all, but at least 4096. A
// small level is one stretch.
func stretchOf(patches int) int {
	const stretches, least = 8, 4096
	return max((patches/stretches/partPatches+1)*partPatches, min(patches, least))
}

// bounce computes one more bounce. Each patch sends back its direct light and the light
// that the others sent. It goes stretch by stretch, and uses the new values of earlier
// stretches (block Gauss-Seidel iteration).
func (s *solve) bounce(ctx context.Context, t *transport) error {
	for first := 0; first < t.patches(); first += len(s.next) {
		end := min(first+len(s.next), t.patches())
		if err := inParallel(ctx, end-first, partPatches, func(from, to int) {
			var albedo [partPatches][4]float32
			for i, k := range t.albedoOf[first+from : first+to] {
				albedo[i] = t.albedos[k]
			}
			part := &t.links[(first+from)/partPatches]
			half.Bounce(s.next[from:], s.direct[first+from:], s.sent, part.links, part.of, albedo[:to-from], 1.0/patchRays)
		}, nil); err != nil {
			return err
		}
		copy(s.sent[1+first:], s.next[:end-first])
	}
	return nil
}

func (p *Prepared) newTransport(ctx context.Context, report func(share float64)) (*transport, error) {
	t := &transport{layout: p.Layout}
	members, membersOf, err := p.partAll(ctx, t)
	if err != nil {
		return nil, err
	}
	count := len(membersOf) - 1
	t.links, t.sky = make([]linkPart, (count+partPatches-1)/partPatches), make([]uint32, count)
	t.albedoOf, t.first, t.around = make([]int32, count), make([]int32, count), make([]surroundings, count)
	plain := map[*scene.Finish]int32{} // albedos of surfaces without an image
	for k := range t.first {
		t.first[k] = members[membersOf[k]]
		finish := p.Scene.Surfaces[p.Texels.List[t.first[k]].Surface(p.Scene)].Finish()
		of, known := plain[finish]
		if !known {
			of = int32(len(t.albedos))
			t.albedos = append(t.albedos, sendsBack(finish.Albedo))
		}
		if t.albedoOf[k] = of; finish.Image == nil {
			plain[finish] = of
		}
	}
	return t, inParallel(ctx, count, partPatches, func(from, to int) {
		part := linkPart{make([]uint16, 0, partPatches*patchRays), make([]uint32, 0, partPatches+1)}
		for k := from; k < to; k++ {
			part.of = append(part.of, uint32(len(part.links)))
			part.links = p.link(t, k, members[membersOf[k]:membersOf[k+1]], part.links)
		}
		part.of = append(part.of, uint32(len(part.links)))
		t.links[from/partPatches] = linkPart{slices.Clone(part.links), part.of}
	}, report)
}

// metBy adds the patches that a patch's rays meet to a list.
func (t *transport) metBy(k int, list []uint32) []uint32 {
	part := &t.links[k/partPatches]
	return half.AppendRows(list, part.links[part.of[k%partPatches]:part.of[k%partPatches+1]])
}

// link sends a patch's rays, from each of its texels in turn, and adds links to the
// patches that they meet to a list.
func (p *Prepared) link(t *transport, k int, members []int32, links []uint16) []uint16 {
	first := &p.Texels.List[members[0]]
	surface := &p.Scene.Surfaces[first.Surface(p.Scene)]
	if surface.Finish().Image != nil {
		var sum color.Linear
		for _, m := range members {
			sum = sum.Add(p.albedoAt(&p.Texels.List[m]))
		}
		t.albedos[t.albedoOf[k]] = sendsBack(sum.Scale(1 / float64(len(members))))
	}
	rays, about := p.raysOf(first)
	ci := int(p.Layout.ChartOf[first.Surface(p.Scene)])
	c := &p.Layout.Charts[ci]
	var found survey
	found.u, found.v = c.Axes()
	var room [patchRays]uint32
	met := room[:0]
	sent := volley{p: p, t: t, met: func(ray int, dir geom.Vec3, target uint32, distance float64, normal geom.Vec3) {
		if target == linkSky {
			t.sky[k] |= 1 << ray
		} else if target != linkDark {
			met = append(met, target)
		}
		found.add(dir, distance, normal)
	}}
	for i := range patchRays {
		sent.send(i, &p.Texels.List[members[sender(i, len(members))]], about.Toward(&rays[i]))
	}
	sent.land()
	t.around[k] = found.done(c.Density / float64(t.grid(ci).side))
	slices.Sort(met)
	return half.AppendLinks(links, met)
}

// sendsBack is an albedo as bounces use it.
func sendsBack(albedo color.Linear) (row [4]float32) {
	for c := range 3 {
		row[c] = float32(min(albedo[c], MaxAlbedo))
		row[3] = max(row[3], row[c])
	}
	return row
}

// sender is which of a patch's n texels sends ray i. The texels take turns; each round
// starts one texel later, so that no texel sends only every n-th direction.
func sender(i, n int) int { return (i + i/n) % n }

// openM is the distance, in metres, of a ray that leaves the level.
const openM = 1000

const linkSeed = 0x6c696e6b // any number; other uses have others

// raysOf returns the directions of a patch's rays and their frame, from its first texel.
// They are computed again when they are needed, so the sky's part of the links is not
// stored.
func (p *Prepared) raysOf(first *lightmap.Texel) ([]geom.Vec3, sampling.Frame) {
	return readyFans[patchRays].Of(sampling.TurnAt(linkSeed, first.Origin)), sampling.FrameOf(first.Normal(p.Scene))
}

// volley collects rays from texels and traces them eight at a time. It is fastest if
// consecutive rays start near each other and have similar directions.
type volley struct {
	p      *Prepared
	t      *transport
	met    func(of int, dir geom.Vec3, target uint32, distance float64, normal geom.Vec3)
	packet trace.Packet
	of     [8]int // what the sender knows each by
	from   [8]*lightmap.Texel
	dir    [8]geom.Vec3
	n      int
}

// send adds a ray. Its result is reported once the packet is full, or by land.
func (v *volley) send(of int, from *lightmap.Texel, dir geom.Vec3) {
	ray := rayAlong(from, dir)
	v.packet.Put(v.n, &ray)
	v.of[v.n], v.from[v.n], v.dir[v.n] = of, from, dir
	if v.n++; v.n == len(v.of) {
		v.land()
	}
}

// land traces the rays that are under way.
func (v *volley) land() {
	if v.n == 0 {
		return
	}
	v.packet.Fill(v.n)
	v.p.Scene.Trace(&v.packet)
	for i := range v.n {
		m, ok := v.p.Scene.Met(&v.packet, i)
		if !ok {
			m.T = openM
		}
		v.met(v.of[i], v.dir[i], v.p.target(v.t, v.from[i], v.dir[i], &m, ok), m.T, m.Normal)
	}
	v.n = 0
}

// target is which patch a ray from a texel meets.
func (p *Prepared) target(t *transport, from *lightmap.Texel, dir geom.Vec3, m *scene.Meeting, met bool) uint32 {
	if !met {
		return linkSky
	}
	c := p.Layout.ChartOf[m.Surface]
	if c < 0 || !m.Front && !p.Scene.Surfaces[m.Surface].Finish().Material.TwoSided {
		return linkDark
	}
	point := vec(from.Origin).Add(dir.Mul(m.T))
	if patch := p.patchUnder(t, int(c), point); patch != noPatch {
		return uint32(patch)
	}
	return linkDark
}

// rayAlong is a ray without an end that starts at a texel.
func rayAlong(t *lightmap.Texel, dir geom.Vec3) trace.Ray {
	return trace.Ray{Origin: t.Origin, Dir: trace.Vec{float32(dir[0]), float32(dir[1]), float32(dir[2])}, Max: math.MaxFloat32}
}

func (p *Prepared) albedoAt(t *lightmap.Texel) color.Linear {
	at := vec(t.Origin)
	seen, ok := p.Scene.See(at, t.Normal(p.Scene).Mul(-1), 4*scene.OffsetM)
	if !ok || seen.Surface != t.Surface(p.Scene) {
		return p.Scene.Surfaces[t.Surface(p.Scene)].Finish().Albedo
	}
	return p.Scene.AlbedoAt(seen.Triangle, seen.Point, seen.U, seen.V)
}

// maxBounces limits the bounces. With MaxAlbedo the sum converges long before.
const maxBounces = 400

// bounces is the number of bounces after which the rest is less than the tolerance. It
// is found with light that starts evenly everywhere and is reflected by the greatest
// albedo. It does not depend on any source, so sources can be solved together or apart.
func (t *transport) bounces(ctx context.Context, tolerance float64, on *solve) (int, error) {
	clear(on.direct)
	for k := range t.patches() {
		on.sent[1+k] = [4]float32{3: 1}
	}
	total, n := 0.0, float64(t.patches())
	for step := 1; step < maxBounces; step++ {
		if err := on.bounce(ctx, t); err != nil {
			return 0, err
		}
		sum := 0.0
		for k := range on.sent {
			sum += float64(on.sent[k][3])
		}
		if total += sum; sum <= tolerance*(total+n) {
			return step, nil
		}
	}
	return maxBounces, nil
}

// sent computes the light that each patch sends back of each source, in lux: the direct
// light on it plus the light from all other patches, times its albedo.
func (p *Prepared) sent(ctx context.Context, t *transport, q Quality, sources []*source.Source, direct []light) (*halves, error) {
	all, on := newHalves(t.patches(), len(sources)), newSolve(t.patches())
	steps, err := p.steps(ctx, t, q, on)
	if err != nil {
		return nil, err
	}
	for i, s := range sources {
		clear(on.direct)
		if err := p.meanOnPatches(ctx, t, &direct[i], on.direct); err != nil {
			return nil, err
		}
		if s.IsSky() {
			if err := inParallel(ctx, t.patches(), 256, func(from, to int) {
				for k := from; k < to; k++ {
					p.addSky(t, s, k, on.direct[k][:])
				}
			}, nil); err != nil {
				return nil, err
			}
		}
		clear(on.sent)
		for range steps + 1 {
			if err := on.bounce(ctx, t); err != nil {
				return nil, err
			}
		}
		factor := float32(0)
		if p.Bounces(s) {
			factor = float32(s.BounceScale())
		}
		if err := all.put(ctx, on.sent[1:], i, factor); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// meanOnPatches fills an empty table with the mean of a light over the texels of each
// patch.
func (p *Prepared) meanOnPatches(ctx context.Context, t *transport, light *light, on [][4]float32) error {
	return inParallel(ctx, len(t.layout.Charts), 1, func(ci, _ int) {
		g := t.grid(ci)
		from, end := p.Texels.Of(ci)
		if from == end || light.areDark(from/chunk, (end-1)/chunk) {
			return
		}
		counts := make([]float32, g.end-g.first)
		var lux chunkLight
		for ; from < end; from = from/chunk*chunk + chunk {
			dark := light.isDark(from / chunk)
			if !dark {
				light.read(from/chunk, &lux)
			}
			for i := from; i < min(from/chunk*chunk+chunk, end); i++ {
				x, y := p.placeOf(&p.Layout.Charts[ci], i)
				patch, _ := t.patchAt(g, x, y)
				counts[int(patch)-g.first]++
				if !dark {
					for c := range lux {
						on[patch][c] += lux[c][i%chunk]
					}
				}
			}
		}
		for k, n := range counts {
			if n > 1 {
				for c := range lux {
					on[g.first+k][c] /= n
				}
			}
		}
	}, nil)
}

// addSky adds a sky's even light on a patch, by the rays of the links.
func (p *Prepared) addSky(t *transport, s *source.Source, patch int, to []float32) {
	if t.sky[patch] == 0 {
		return
	}
	var sum color.Linear
	rays, about := p.raysOf(&p.Texels.List[t.first[patch]])
	for left := t.sky[patch]; left != 0; left &= left - 1 {
		sum = sum.Add(s.EvenSky(about.Toward(&rays[bits.TrailingZeros32(left)])))
	}
	for c := range 3 {
		to[c] += float32(sum[c] * math.Pi / patchRays)
	}
}

// inParallel is parallel.Steps with the share that is done.
func inParallel(ctx context.Context, n, step int, do func(from, to int), report func(share float64)) error {
	if report == nil {
		return parallel.Steps(ctx, n, step, do, nil)
	}
	return parallel.Steps(ctx, n, step, do, func(done int) { report(float64(done) / float64(n)) })
}
