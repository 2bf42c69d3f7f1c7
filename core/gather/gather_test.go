package gather_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/bake/baketest"
	"grotta/core/gather"
	"grotta/core/lightmap"
	"grotta/demo"
)

// How many texels go together, charts whole or in bands, changes no texel; only
// what is filled in round a chart's holes is rounded once more, and seams read that.
func TestTextureIsTheSameInBands(t *testing.T) {
	for _, q := range []bake.Quality{bake.Draft, bake.Good} {
		p := baketest.Prepare(t, demo.Room())
		whole, seams := baketest.Mix(t, p, q), slices.Collect(p.Seams.Texels())
		seam := func(index int32) bool {
			x, y := p.Layout.Place(index)
			return slices.Contains(seams, lightmap.Spot{Page: int(index) / (p.Layout.PageSize * p.Layout.PageSize), X: x, Y: y})
		}
		for _, n := range []int{40, 700} {
			t.Run(fmt.Sprintf("%s in groups of %d", q, n), func(t *testing.T) {
				gather.InGroupsOf(t, n)
				bands := baketest.Mix(t, p, q)
				for _, texel := range p.Texels.List {
					if seam(texel.Index) {
						continue
					}
					at := 3 * texel.Index
					require.Equal(t, whole.Pix[at:at+3], bands.Pix[at:at+3])
				}
				for i, v := range whole.Pix {
					require.InDelta(t, v, bands.Pix[i], float64(v)/1000+1e-5)
				}
			})
		}
	}
}
