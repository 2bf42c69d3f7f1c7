package jobs_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/change"
	"grotta/core/layer"
	"grotta/core/level"
	"grotta/core/level/leveltest"
	"grotta/core/source"
)

// paddingBound is a share of a layer's brightest texel.
const paddingBound = 0.05

// editsWanted is how many random edits are tried: 120, or what GROTTA_SOAK_EDITS says.
func editsWanted(t *testing.T) int {
	if text := os.Getenv("GROTTA_SOAK_EDITS"); text != "" {
		n, err := strconv.Atoi(text)
		require.NoError(t, err)
		return n
	}
	if testing.Short() {
		return 20
	}
	return 120
}

// The product's first promise: after any edit, what a level keeps of its layers and
// what it bakes again come to the light of a fresh bake where nothing was kept.
//
// The bound: a layer that is kept over a change may differ by change.Tolerance of its
// brightest texel directly. Bounces add to that, so five times the tolerance is allowed for
// each layer. Layers that are baked again are the same to the bit. Padding and gaps of
// charts are read only by texture filtering. They are filled from texels and matched along
// seams in an order that depends on the charts around them, so paddingBound is wider.
func TestAnyEditKeepsTheLightRight(t *testing.T) {
	const editsOfALevel = 20
	seed := uint64(16)
	if text := os.Getenv("GROTTA_SOAK_SEED"); text != "" {
		n, err := strconv.ParseUint(text, 10, 64)
		require.NoError(t, err)
		seed = n
	}
	w := open(t, t.TempDir())
	defer w.close(t)
	carried := 0 // layers that were kept although the geometry changed
	for n := 0; n < editsWanted(t); n += editsOfALevel {
		r := rand.New(rand.NewPCG(seed, uint64(n)))
		doc := leveltest.Level(r)
		info, err := w.store.CreateLevel(w.maren, doc, "random")
		require.NoError(t, err)
		trail, shape := fmt.Sprintf("seed %d, level %d", seed, n), ""
		for edit := 0; ; edit++ {
			doc, number := w.head(t, info.ID)
			p, err := bake.Prepare(reread(t, doc))
			require.NoError(t, err, trail)
			reused := w.bakesRight(t, info.ID, number, doc, p, trail)
			if shape != "" && shape != p.Geometry() {
				carried += reused
			}
			if shape = p.Geometry(); edit == editsOfALevel || t.Failed() {
				break
			}
			op := leveltest.Edit(r, doc)
			trail += "\n" + op.Describe()
			_, err = w.store.Apply(t.Context(), w.maren, info.ID, op, 0)
			require.NoError(t, err, trail)
		}
		require.NoError(t, w.store.DeleteLevel(w.maren, info.ID, time.Now()))
	}
	assert.Positive(t, carried)
	t.Logf("%d layers were carried over changes of geometry", carried)
}

// reread is a document as a fresh service reads it.
func reread(t *testing.T, doc *level.Level) *level.Level {
	t.Helper()
	text, err := level.Encode(doc)
	require.NoError(t, err)
	again, _, err := level.Parse(text)
	require.NoError(t, err)
	return again
}

func (w *works) head(t *testing.T, id string) (*level.Level, int) {
	t.Helper()
	info, doc, err := w.store.Level(w.maren, id)
	require.NoError(t, err)
	return doc, info.Revision
}

// bakesRight bakes a level at draft as the service does, and again from its text alone,
// and compares every layer. It tells how many the service did not bake.
func (w *works) bakesRight(t *testing.T, id string, revision int, doc *level.Level, p *bake.Prepared, trail string) (reused int) {
	t.Helper()
	b, err := w.Submit(ctx, w.maren, id, revision, doc, bake.Draft)
	require.NoError(t, err, trail)
	b = w.wait(t, b.ID, over)
	require.Equal(t, "done", b.State, "%s\n%s", trail, b.Error)
	fresh, err := p.Bake(ctx, source.All(p.Sources), bake.Draft, nil)
	require.NoError(t, err, trail)
	for i := range fresh {
		kept, err := w.studio.Layer(fresh[i].Key)
		require.NoError(t, err, "%s\n%s", trail, p.Sources[i].ID)
		d := compareLayers(p, kept, fresh[i])
		assert.LessOrEqual(t, d.texel, 5*change.Tolerance*d.brightest, "%s\nlayer of %s, brightest %g, %s", trail, p.Sources[i].ID, d.brightest, placeOf(p, d.texelAt))
		assert.LessOrEqual(t, d.padding, paddingBound*d.brightest, "%s\nlayer of %s, brightest %g, %s", trail, p.Sources[i].ID, d.brightest, placeOf(p, d.paddingAt))
	}
	return b.Reused
}

// difference is the greatest between two layers, at texels and in what is filled from
// them, with the indices of both places; and the brightest value.
type difference struct {
	texel, padding, brightest float64
	texelAt, paddingAt        int32
}

func compareLayers(p *bake.Prepared, a, b *layer.Layer) (d difference) {
	x, y := layer.NewImage(a.PageSize, a.Pages), layer.NewImage(b.PageSize, b.Pages)
	a.AddTo(x, [3]float64{1, 1, 1})
	b.AddTo(y, [3]float64{1, 1, 1})
	if len(x.Pix) != len(y.Pix) {
		return difference{texel: math.Inf(1)}
	}
	isTexel := make([]bool, len(x.Pix)/3)
	for i := range p.Texels.List {
		isTexel[p.Texels.List[i].Index] = true
	}
	for i := range x.Pix {
		d.brightest = max(d.brightest, float64(y.Pix[i]))
		off, at := math.Abs(float64(x.Pix[i]-y.Pix[i])), int32(i/3)
		switch {
		case isTexel[at] && off > d.texel:
			d.texel, d.texelAt = off, at
		case !isTexel[at] && off > d.padding:
			d.padding, d.paddingAt = off, at
		}
	}
	return d
}

// placeOf says on what a texel lies, and where.
func placeOf(p *bake.Prepared, index int32) string {
	for i := range p.Texels.List {
		if texel := &p.Texels.List[i]; texel.Index == index {
			return fmt.Sprintf("on %s at %v", p.Scene.Surfaces[texel.Surface(p.Scene)].Body().Entity, texel.Origin)
		}
	}
	size := p.Layout.PageSize
	for i := range p.Layout.Charts {
		c := &p.Layout.Charts[i]
		x, y := c.Corner()
		width, height := c.Size()
		column, row := int(index)%size-x, int(index)/size-c.Page()*size-y
		if column >= 0 && column < width && row >= 0 && row < height {
			return fmt.Sprintf("in a gap or padding of %s, face %d, at %d, %d of %d by %d", p.Scene.Surfaces[c.Surface].Body().Entity, p.Scene.Surfaces[c.Surface].Face, column, row, width, height)
		}
	}
	return "outside all charts"
}
