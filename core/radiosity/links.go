// Package radiosity computes how light goes from surface to surface. Texels form patches of
// patchTexels or more on a side. Nothing stands between the texels of a patch. Each patch sends
// Rays rays over its hemisphere, distributed by the cosine, and stores which patch each ray
// meets. This table, the links, does not depend on any source. The bounces of every source are
// sums over it, iterated to convergence, without further rays (Goral et al., "Modeling the
// interaction of light between diffuse surfaces", 1984, with sampled form factors).
package radiosity

import (
	"context"
	"math"
	"math/bits"
	"slices"
	"sync"

	"grotta/core/color"
	"grotta/core/direct"
	"grotta/core/geom"
	"grotta/core/half"
	"grotta/core/lightmap"
	"grotta/core/parallel"
	"grotta/core/rows"
	"grotta/core/sampling"
	"grotta/core/scene"
	"grotta/core/smooth"
	"grotta/core/source"
	"grotta/core/trace"
)

// Rays is how many rays a patch sends.
const Rays = 32

const (
	patchTexels = 2     // along each side at least
	patchM      = 0.125 // a patch need not be smaller
)

// MaxAlbedo limits the albedo of a surface, per channel. Bounces between surfaces that
// reflect all light would not converge.
const MaxAlbedo = 0.98

// A link is the number of the patch that a ray meets, or one of these.
const (
	Sky  = math.MaxUint32     // the ray leaves the level
	Dark = math.MaxUint32 - 1 // it meets what sends nothing back
)

// Links is the links of a level, and which texel is in which patch.
type Links struct {
	m     *lightmap.Map
	cells []int32 // the patch of each place of the charts with texels without their padding, by rows; with cut
	// Of each chart: where its cells begin, and its patches, and the ends.
	cellsOf, patchesOf []int32
	links              []linkPart
	sky                []uint32 // of each patch: the rays that leave the level, a bit for each, but for those in openings
	openings           openings
	albedos            [][4]float32          // for what patches send back; the fourth is the greatest
	albedoOf           []int32               // of each patch: which of them
	sizes              []uint16              // of each patch: the parts of its texels that lie on the surface
	first              []int32               // texel of each patch: its rays go about that one's normal
	around             []smooth.Surroundings // of each patch
	pairs              []pair                // the translucent patches
	otherOf            map[int32]int32       // of each of them: the patch on its other side, or -1

	mu    sync.Mutex
	steps map[float64]int // bounces by tolerance
}

// linkPart is the links of partPatches patches, or fewer, that follow each other.
type linkPart struct {
	links []uint16 // to the patches that each one's rays meet, patch after patch
	of    []uint32 // where each patch's begin, and the end
}

const partPatches = 128

const chunk = lightmap.ChunkTexels

// Patches is how many there are.
func (l *Links) Patches() int { return len(l.albedoOf) }

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
func (s *solve) bounce(ctx context.Context, l *Links) error {
	for first := 0; first < l.Patches(); first += len(s.next) {
		end := min(first+len(s.next), l.Patches())
		if err := parallel.Steps(ctx, end-first, partPatches, func(from, to int) {
			var albedo [partPatches][4]float32
			for i, k := range l.albedoOf[first+from : first+to] {
				albedo[i] = l.albedos[k]
			}
			part := &l.links[(first+from)/partPatches]
			half.Bounce(s.next[from:], s.direct[first+from:], s.sent, part.links, part.of, albedo[:to-from], 1.0/Rays)
		}, nil); err != nil {
			return err
		}
		copy(s.sent[1+first:], s.next[:end-first])
	}
	// Direct light came through before.
	l.through(s.sent[1:], func(k int32, c int) float32 { return l.albedos[l.albedoOf[k]][c] * s.direct[k][c] })
	return nil
}

// New sends the rays of all patches. It ends early with the context's error. report, if not
// nil, gets the share that is done, from any goroutine.
func New(ctx context.Context, m *lightmap.Map, report func(share float64)) (*Links, error) {
	l := &Links{m: m, steps: map[float64]int{}}
	members, membersOf, err := l.partAll(ctx)
	if err != nil {
		return nil, err
	}
	count := len(membersOf) - 1
	l.links, l.sky = make([]linkPart, (count+partPatches-1)/partPatches), make([]uint32, count)
	l.albedoOf, l.first, l.around = make([]int32, count), make([]int32, count), make([]smooth.Surroundings, count)
	plain := map[*scene.Finish]int32{} // albedos of surfaces without an image
	l.sizes = make([]uint16, count)
	for k := range l.first {
		l.first[k] = members[membersOf[k]]
		parts := 0
		for _, texel := range members[membersOf[k]:membersOf[k+1]] {
			parts += bits.OnesCount16(uint16(l.m.Texels.List[texel].Area))
		}
		l.sizes[k] = uint16(min(parts, math.MaxUint16))
		finish := l.m.Scene.Surfaces[l.m.Texels.List[l.first[k]].Surface(l.m.Scene)].Finish()
		of, known := plain[finish]
		under := l.UnderWater(k)
		if !known || under != color.White {
			of = int32(len(l.albedos))
			l.albedos = append(l.albedos, sendsBack(finish.Albedo.Mul(under)))
		}
		if l.albedoOf[k] = of; finish.Image == nil && under == color.White {
			plain[finish] = of
		}
	}
	l.findPairs()
	if err := parallel.Shares(ctx, count, partPatches, func(from, to int) {
		part := linkPart{make([]uint16, 0, partPatches*Rays), make([]uint32, 0, partPatches+1)}
		for k := from; k < to; k++ {
			part.of = append(part.of, uint32(len(part.links)))
			part.links = l.link(k, members[membersOf[k]:membersOf[k+1]], part.links)
		}
		part.of = append(part.of, uint32(len(part.links)))
		l.links[from/partPatches] = linkPart{slices.Clone(part.links), part.of}
	}, report); err != nil {
		return nil, err
	}
	return l, l.findOpenings(ctx, members, membersOf)
}

// UnderWater is the share of the light on a patch that comes through water above it, and of what it sends back.
func (l *Links) UnderWater(k int) color.Linear {
	return l.m.UnderWater(int(l.first[k]))
}

// MetBy adds the patches that a patch's rays meet to a list.
func (l *Links) MetBy(k int, list []uint32) []uint32 {
	part := &l.links[k/partPatches]
	return half.AppendRows(list, part.links[part.of[k%partPatches]:part.of[k%partPatches+1]])
}

// link sends a patch's rays, from each of its texels in turn, and adds links to the
// patches that they meet to a list.
func (l *Links) link(k int, members []int32, links []uint16) []uint16 {
	first := &l.m.Texels.List[members[0]]
	surface := &l.m.Scene.Surfaces[first.Surface(l.m.Scene)]
	if surface.Finish().Image != nil {
		var sum color.Linear
		for _, m := range members {
			sum = sum.Add(l.albedoAt(&l.m.Texels.List[m]))
		}
		l.albedos[l.albedoOf[k]] = sendsBack(sum.Scale(1 / float64(len(members))).Mul(l.UnderWater(k)))
	}
	rays, about := raysOf(l.m, first)
	ci := int(l.m.Layout.ChartOf[first.Surface(l.m.Scene)])
	c := &l.m.Layout.Charts[ci]
	var found smooth.Survey
	found.U, found.V = c.Axes()
	var room [Rays]uint32
	met := room[:0]
	sent := Volley{Links: l, Met: func(ray int, dir geom.Vec3, target uint32, distance float64, normal geom.Vec3) {
		if target == Sky {
			l.sky[k] |= 1 << ray
		} else if target != Dark {
			met = append(met, target)
		}
		found.Add(dir, distance, normal)
	}}
	for i := range Rays {
		sent.Send(i, sender(l.m, members, i), about.Toward(&rays[i]))
	}
	sent.Land()
	l.around[k] = found.Done(c.Density / float64(l.Grid(ci).Side))
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

// sender is which of a patch's texels sends ray i. The texels take turns; each round starts
// one texel later, so that no texel sends only every n-th direction.
func sender(m *lightmap.Map, members []int32, i int) *lightmap.Texel {
	n := len(members)
	return &m.Texels.List[members[(i+i/n)%n]]
}

// EachRay calls visit for every ray of all patches, in the order in which New sends them. It
// ends early with the context's error.
func EachRay(ctx context.Context, m *lightmap.Map, visit func(trace.Ray)) error {
	l := &Links{m: m}
	members, of, err := l.partAll(ctx)
	if err != nil {
		return err
	}
	for k := range of[1:] {
		texels := members[of[k]:of[k+1]]
		rays, about := raysOf(m, &m.Texels.List[texels[0]])
		for i := range rays {
			visit(RayAlong(sender(m, texels, i), about.Toward(&rays[i])))
		}
	}
	return nil
}

var fans = sampling.NewFans(Rays)

const linkSeed = 0x6c696e6b

// raysOf returns the directions of a patch's rays and their frame, from its first texel.
// They are computed again when they are needed, so the sky's part of the links is not
// stored.
func raysOf(m *lightmap.Map, first *lightmap.Texel) ([]geom.Vec3, sampling.Frame) {
	return fans.Of(sampling.TurnAt(linkSeed, first.Origin)), sampling.FrameOf(first.Shading(m.Scene))
}

// Volley collects rays from texels and traces them eight at a time. It is fastest if
// consecutive rays start near each other and have similar directions. Met gets each ray's
// link, how far it went in metres, and the normal of what it met.
type Volley struct {
	Links  *Links
	Met    func(of int, dir geom.Vec3, target uint32, distance float64, normal geom.Vec3)
	packet trace.Packet
	of     [8]int // what the sender knows each by
	from   [8]*lightmap.Texel
	dir    [8]geom.Vec3
	n      int
}

// Send adds a ray. Its result is reported once the packet is full, or by Land.
func (v *Volley) Send(of int, from *lightmap.Texel, dir geom.Vec3) {
	ray := RayAlong(from, dir)
	v.packet.Put(v.n, &ray)
	v.of[v.n], v.from[v.n], v.dir[v.n] = of, from, dir
	if v.n++; v.n == len(v.of) {
		v.Land()
	}
}

// Land traces the rays that are under way.
func (v *Volley) Land() {
	if v.n == 0 {
		return
	}
	v.packet.Fill(v.n)
	v.Links.m.Scene.Trace(&v.packet)
	for i := range v.n {
		m, ok := v.Links.m.Scene.Met(&v.packet, i)
		if !ok {
			m.T = smooth.OpenM
		}
		v.Met(v.of[i], v.dir[i], v.Links.target(v.from[i], v.dir[i], &m, ok), m.T, m.Normal)
	}
	v.n = 0
}

// target is which patch a ray from a texel meets.
func (l *Links) target(from *lightmap.Texel, dir geom.Vec3, m *scene.Meeting, met bool) uint32 {
	if !met {
		return Sky
	}
	c := l.m.Layout.ChartOf[m.Surface]
	if c < 0 || !m.Front {
		return Dark
	}
	point := vec(from.Origin).Add(dir.Mul(m.T))
	if patch := l.patchUnder(int(c), point); patch != noPatch {
		return uint32(patch)
	}
	return Dark
}

// RayAlong is a ray without an end that starts at a texel.
func RayAlong(from *lightmap.Texel, dir geom.Vec3) trace.Ray {
	return trace.Ray{Origin: from.Origin, Dir: trace.Vec{float32(dir[0]), float32(dir[1]), float32(dir[2])}, Max: math.MaxFloat32}
}

func (l *Links) albedoAt(texel *lightmap.Texel) color.Linear {
	at := vec(texel.Origin)
	seen, ok := l.m.Scene.See(at, texel.Normal(l.m.Scene).Mul(-1), 4*scene.OffsetM+l.m.Scene.Lift(int(texel.Triangle), at))
	if !ok || seen.Surface != texel.Surface(l.m.Scene) {
		return l.m.Scene.Surfaces[texel.Surface(l.m.Scene)].Finish().Albedo
	}
	return l.m.Scene.AlbedoAt(seen.Triangle, seen.Point, seen.U, seen.V)
}

// maxBounces limits the bounces. With MaxAlbedo the sum converges long before.
const maxBounces = 400

// stepsFor is bounces for a tolerance, which is found once.
func (l *Links) stepsFor(ctx context.Context, tolerance float64, on *solve) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.steps[tolerance] == 0 {
		steps, err := l.bounces(ctx, tolerance, on)
		if err != nil {
			return 0, err
		}
		l.steps[tolerance] = steps
	}
	return l.steps[tolerance], nil
}

// bounces is the number of bounces after which the rest is less than the tolerance. It
// is found with light that starts evenly everywhere and is reflected by the greatest
// albedo. It does not depend on any source, so sources can be solved together or apart.
func (l *Links) bounces(ctx context.Context, tolerance float64, on *solve) (int, error) {
	clear(on.direct)
	for k := range l.Patches() {
		on.sent[1+k] = [4]float32{3: 1}
	}
	total, n := 0.0, float64(l.Patches())
	for step := 1; step < maxBounces; step++ {
		if err := on.bounce(ctx, l); err != nil {
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

// Emitter is a source whose light bounces, or is a sky's.
type Emitter struct {
	Source *source.Source
	Direct *direct.Light
	Factor float32 // of all that bounces; 0 for none
}

// Sent is the light that each patch sends back of some sources, with the bright patches of each and those on which its
// light ends or changes.
type Sent struct {
	*rows.Halves
	links    *Links
	bright   []*brightSet // of each source; nil for none
	isBright patchSet     // for any source
	edges    []*edgeSet   // of each source; nil for none
	slopes   []*slopeSet  // of each source; nil for none
	uneven   *unevenSet   // the edges and slopes by patch; nil for none
	open     []bool       // of each source: whether much of its light falls on patches in the open
}

// mark notes which patches are bright for a source.
func (s *Sent) mark(i int) {
	if b := s.bright[i]; b != nil {
		if s.isBright == nil {
			s.isBright = s.links.newPatchSet()
		}
		for patch := range b.of {
			s.isBright.add(patch)
		}
	}
}

// Sent computes the light that each patch sends back of each source, in lux: the direct
// light on it plus the light from all other patches, times its albedo. What bright patches send
// back of their direct light is not among it. tolerance is the share of all light that the last
// bounces may leave out. onPatches keeps what AddBrightOnPatch adds. It ends early with the context's error.
func (l *Links) Sent(ctx context.Context, emitters []Emitter, tolerance float64, onPatches bool) (*Sent, error) {
	all, on := &Sent{Halves: rows.NewHalves(l.Patches(), len(emitters)), links: l, bright: make([]*brightSet, len(emitters)), edges: make([]*edgeSet, len(emitters)), slopes: make([]*slopeSet, len(emitters)), open: make([]bool, len(emitters))}, newSolve(l.Patches())
	steps, err := l.stepsFor(ctx, tolerance, on)
	if err != nil {
		return nil, err
	}
	var known sync.Map // sides of patches, which all sources share
	for i := range emitters {
		e := &emitters[i]
		clear(on.direct)
		if err := l.meanOnPatches(ctx, e.Direct, on.direct); err != nil {
			return nil, err
		}
		if e.Source.IsSky() {
			sky := make([][4]float32, l.Patches())
			if err := parallel.Steps(ctx, l.Patches(), 256, func(from, to int) {
				for k := from; k < to; k++ {
					l.AddSky(e.Source, k, sky[k][:])
				}
			}, nil); err != nil {
				return nil, err
			}
			l.through(sky, nil)
			for k := range sky {
				for c := range 3 {
					on.direct[k][c] += sky[k][c]
				}
			}
		}
		if e.Factor > 0 {
			if !onPatches { // texels send rays of their own
				all.open[i] = l.lightsOpen(on.direct)
				if all.edges[i], err = l.edgesOf(ctx, e, on.direct, &known); err != nil {
					return nil, err
				}
				if all.slopes[i], err = l.slopesOf(ctx, e, on.direct); err != nil {
					return nil, err
				}
			}
			if all.bright[i], err = l.brightOf(ctx, e, on.direct, onPatches); err != nil {
				return nil, err
			}
			all.slopes[i].leaveOut(all.bright[i])
			all.edges[i].leaveOut(all.bright[i])
			all.mark(i)
		}
		clear(on.sent)
		for range steps + 1 {
			if err := on.bounce(ctx, l); err != nil {
				return nil, err
			}
		}
		if err := all.Put(ctx, on.sent[1:], i, e.Factor); err != nil {
			return nil, err
		}
	}
	all.uneven = l.unevenOf(all.edges, all.slopes)
	return all, nil
}

// meanOnPatches fills an empty table with the mean of a light over the texels of each
// patch.
func (l *Links) meanOnPatches(ctx context.Context, light *direct.Light, on [][4]float32) error {
	return parallel.Each(ctx, len(l.m.Layout.Charts), func(ci int) {
		g := l.Grid(ci)
		from, end := l.m.Texels.Of(ci)
		if from == end || light.AreDark(from/chunk, (end-1)/chunk) {
			return
		}
		counts := make([]float32, g.End-g.First)
		var lux direct.Chunk
		for ; from < end; from = from/chunk*chunk + chunk {
			dark := light.IsDark(from / chunk)
			if !dark {
				light.Read(from/chunk, &lux)
			}
			for i := from; i < min(from/chunk*chunk+chunk, end); i++ {
				x, y := l.m.PlaceOf(&l.m.Layout.Charts[ci], i)
				patch, _ := l.PatchAt(g, x, y)
				counts[int(patch)-g.First]++
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
					on[g.First+k][c] /= n
				}
			}
		}
	}, nil)
}
