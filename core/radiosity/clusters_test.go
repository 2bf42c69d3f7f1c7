package radiosity

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"

	"grotta/core/geom"
)

// scattered is a set of bright patches here and there on a floor, and on a wall.
func scattered(count int) *brightSet {
	r, b := rand.New(rand.NewPCG(3, uint64(count))), &brightSet{}
	for i := range count {
		p := brightPatch{patch: uint32(i), at: geom.Vec3{10 * r.Float64(), 0, 10 * r.Float64()}, normal: geom.Vec3{0, 1, 0}, lux: 1 + r.Float64(), near2: 0.01}
		if i%5 == 4 {
			p.at, p.normal = geom.Vec3{0, 3 * r.Float64(), 10 * r.Float64()}, geom.Vec3{1, 0, 0}
		}
		p.flux = p.lux * 0.1 * r.Float64()
		b.patches = append(b.patches, p)
	}
	b.group(0, count)
	for i := range b.patches {
		b.flux += b.patches[i].flux
		b.cdf = append(b.cdf, b.flux)
	}
	return b
}

// Each patch is chosen as often as its rate says, and the rates of all add up to 1.
func TestPatchesAreChosenByTheirRate(t *testing.T) {
	const draws = 400_000
	for _, count := range []int{1, 7, 300, 2048} {
		b := scattered(count)
		assert.LessOrEqual(t, len(b.clusters), mostClusters)
		for _, n := range []geom.Vec3{{0, -1, 0}, {0.1, -0.98, 0.1}} {
			var odds clusterOdds
			b.weigh(&odds, geom.Vec3{5, 2.5, 5}, n)
			chosen := map[uint32]float64{}
			for i := range draws {
				chosen[b.choose(&odds, (float64(i)+0.5)/draws).patch]++
			}
			all := 0.0
			for i := range b.patches {
				p := &b.patches[i]
				chance := odds.rate(p) * p.flux
				all += chance
				assert.InDelta(t, chance*draws, chosen[p.patch], 1.5, "patch %d of %d", p.patch, count)
			}
			assert.InDelta(t, 1, all, 1e-9)
		}
	}
}

// Clusters beside a place are more likely than those far away, and those behind it have no chance.
func TestNearClustersAreMoreLikely(t *testing.T) {
	b := scattered(300)
	var odds clusterOdds
	b.weigh(&odds, geom.Vec3{1, 1, 1}, geom.Vec3{0, -1, 0})
	var near, far brightPatch
	for _, p := range b.patches {
		if p.normal[1] == 0 {
			continue
		}
		if d := p.at.Sub(geom.Vec3{1, 0, 1}); near.flux == 0 && d.Dot(d) < 1 {
			near = p
		} else if far.flux == 0 && d.Dot(d) > 64 {
			far = p
		}
	}
	assert.Greater(t, odds.rate(&near), 20*odds.rate(&far))
	odds = clusterOdds{}
	b.weigh(&odds, geom.Vec3{5, 20, 5}, geom.Vec3{0, 1, 0})
	assert.Zero(t, odds.all, "all of them lie behind")
	assert.Zero(t, odds.rate(&near))
}
