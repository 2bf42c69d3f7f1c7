package fit

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func someProblem(r *rand.Rand, items, options, rows int) *problem {
	p := &problem{}
	for range items {
		costs := []float64{0}
		for range options - 1 {
			costs = append(costs, r.Float64()*5)
		}
		p.cost = append(p.cost, costs)
	}
	for range rows {
		w := row{most: float64(r.IntN(items/2 + 1)), uses: make([][]bool, items)}
		for i := range items {
			if r.IntN(3) > 0 {
				w.uses[i] = make([]bool, options)
				for o := range options - 1 {
					w.uses[i][o] = r.IntN(2) == 0 // the last option uses nothing
				}
			}
		}
		p.rows = append(p.rows, w)
	}
	return p
}

// exhaustive tries every choice.
func (p *problem) exhaustive() (float64, bool) {
	best := math.Inf(1)
	chosen := make([]int, len(p.cost))
	var try func(int)
	try = func(i int) {
		if i == len(chosen) {
			for r := range p.rows {
				if p.rows[r].excess(chosen) > 0 {
					return
				}
			}
			best = min(best, p.price(chosen))
			return
		}
		for o := range p.cost[i] {
			chosen[i] = o
			try(i + 1)
		}
	}
	try(0)
	return best, !math.IsInf(best, 1)
}

// Small problems are solved to the best; the relaxation never promises more than there is.
func TestSolveAgainstExhaustiveSearch(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for round := range 300 {
		p := someProblem(r, 2+r.IntN(6), 2+r.IntN(3), 1+r.IntN(5))
		want, ok := p.exhaustive()
		got, found := p.solve()
		require.Equal(t, ok, found, "round %d", round)
		if !ok {
			continue
		}
		assert.True(t, got.exact)
		assert.InDelta(t, want, got.cost, 1e-9, "round %d", round)
		for i := range p.rows {
			assert.LessOrEqual(t, p.rows[i].excess(got.chosen), 0.0)
		}
		_, bound := p.relax()
		assert.LessOrEqual(t, bound, want+1e-9, "round %d: the bound is one", round)
	}
}

// Of a large problem the answer holds every row, and says how far from the best it can be.
func TestSolveSaysHowFarItMayBeOff(t *testing.T) {
	p := someProblem(rand.New(rand.NewPCG(9, 10)), 400, 4, 60)
	got, ok := p.solve()
	require.True(t, ok)
	for i := range p.rows {
		assert.LessOrEqual(t, p.rows[i].excess(got.chosen), 0.0)
	}
	assert.LessOrEqual(t, got.bound, got.cost+1e-9)
	assert.Positive(t, got.bound)
}

func TestWhatCannotHoldIsSaid(t *testing.T) {
	p := &problem{cost: [][]float64{{0}, {0}}, rows: []row{{most: 1, uses: [][]bool{{true}, {true}}}}}
	_, ok := p.solve()
	assert.False(t, ok)
}

func BenchmarkSolve(b *testing.B) {
	p := someProblem(rand.New(rand.NewPCG(9, 10)), 200, 5, 40)
	for b.Loop() {
		p.solve()
	}
}
