package radiosity

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"grotta/core/geom"
)

// cluster is bright patches that lie together and face alike. A place sends its rays to clusters by what each would
// send there if nothing stood between, and within one by the flux of its patches (a light hierarchy of two levels; Shirley,
// Wang and Zimmerman, "Monte Carlo techniques for direct lighting calculations", 1996).
type cluster struct {
	first, end int       // of the patches
	flux       float64   // of all
	at, normal geom.Vec3 // the means by flux; the normal is shorter where they face different ways
	near2      float64   // the mean of those of the patches
	reach      float64   // the root of the mean square of their distances from the middle
}

const mostClusters = 32

// group sorts a range of patches into clusters: it is parted where it is longest, until a part has few of the patches.
func (b *brightSet) group(from, to int) {
	part := b.patches[from:to]
	if len(part) <= max(2*len(b.patches)/mostClusters, 1) {
		b.clusters = append(b.clusters, clusterOf(part, from, to))
		for i := range part {
			part[i].cluster = int32(len(b.clusters) - 1)
		}
		return
	}
	box := geom.NoBounds()
	for i := range part {
		box.Grow(part[i].at)
	}
	axis, size := 0, box.Max.Sub(box.Min)
	for k := range 3 {
		if size[k] > size[axis] {
			axis = k
		}
	}
	slices.SortFunc(part, func(p, q brightPatch) int {
		return cmp.Or(cmp.Compare(p.at[axis], q.at[axis]), cmp.Compare(p.patch, q.patch))
	})
	half := (from + to) / 2
	b.group(from, half)
	b.group(half, to)
}

func clusterOf(part []brightPatch, from, to int) cluster {
	c := cluster{first: from, end: to}
	for i := range part {
		p := &part[i]
		c.flux += p.flux
		c.at, c.normal = c.at.Add(p.at.Mul(p.flux)), c.normal.Add(p.normal.Mul(p.flux))
	}
	c.at, c.normal = c.at.Mul(1/c.flux), c.normal.Mul(1/c.flux)
	reach2 := 0.0
	for i := range part {
		off := part[i].at.Sub(c.at)
		reach2 += off.Dot(off) * part[i].flux / c.flux
		c.near2 += part[i].near2 * part[i].flux / c.flux
	}
	c.reach = math.Sqrt(reach2)
	return c
}

// clusterOdds are the chances of clusters for a ray from one place.
type clusterOdds struct {
	sums  [mostClusters]float64 // of the weights up to each, and with it
	rates [mostClusters]float64 // of each: its weight over its flux
	all   float64
}

// weigh fills in the odds of a place. A cluster's weight is in proportion to the light that it sends there if nothing
// stands between.
func (b *brightSet) weigh(o *clusterOdds, at, n geom.Vec3) {
	for i := range b.clusters {
		c := &b.clusters[i]
		to := c.at.Sub(at)
		if d2 := max(to.Dot(to), c.reach*c.reach); d2 >= c.near2 {
			lift := leastCos*math.Sqrt(d2) + c.reach // what is not at the middle may lie higher over either plane, the more the nearer it is
			if over, under := lift+to.Dot(n), lift-to.Dot(c.normal); over > 0 && under > 0 {
				o.rates[i] = over * under / (d2 * d2)
			}
		}
		o.all += c.flux * o.rates[i]
		o.sums[i] = o.all
	}
}

// rate is the chance of a patch for a ray, over its flux.
func (o *clusterOdds) rate(p *brightPatch) float64 {
	if o.all == 0 {
		return 0
	}
	return o.rates[p.cluster] / o.all
}

// choose is the patch at a share of all odds.
func (b *brightSet) choose(o *clusterOdds, share float64) *brightPatch {
	at := share * o.all
	k := min(sort.SearchFloat64s(o.sums[:len(b.clusters)], at), len(b.clusters)-1)
	c := &b.clusters[k]
	before, in := 0.0, 0.0 // the flux of the patches before it, and of those of it up to the place
	if c.first > 0 {
		before = b.cdf[c.first-1]
	}
	if o.rates[k] > 0 {
		in = c.flux - (o.sums[k]-at)/o.rates[k]
	}
	i := c.first + sort.SearchFloat64s(b.cdf[c.first:c.end], before+in)
	return &b.patches[min(i, c.end-1)]
}
