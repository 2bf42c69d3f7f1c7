package fit

import (
	"cmp"
	"math"
	"slices"
)

// problem is a choice: for each item one of its options, so that every row holds, at the least cost.
type problem struct {
	cost [][]float64 // of each item's options; infinite for what may not be chosen
	rows []row
}

// row limits how many of the chosen options are of a set.
type row struct {
	most float64
	uses [][]bool // of each item, by option; nil where it uses none
}

// answer is a choice and how good it is.
type answer struct {
	chosen []int
	cost   float64
	bound  float64 // no choice costs less
	exact  bool
}

func (r *row) use(item, option int) bool {
	return r.uses[item] != nil && r.uses[item][option]
}

// excess is how far a choice is over a row.
func (r *row) excess(chosen []int) float64 {
	n := 0.0
	for i, o := range chosen {
		if r.use(i, o) {
			n++
		}
	}
	return n - r.most
}

// Bounds of the search.
const (
	ascent   = 400    // steps of the relaxation
	maxNodes = 60_000 // of the search
)

// solve finds the cheapest choice. A lower bound comes from the Lagrangian relaxation, in which breaking
// a row costs a price; prices go up by the subgradient (Held, Wolfe and Crowder, "Validation of
// subgradient optimization", 1974). Branch and bound with that bound then settles small problems; where
// it ends early the answer says how far it may be from the best. ok is false where nothing holds.
func (p *problem) solve() (answer, bool) {
	prices, bound := p.relax()
	s := &search{problem: p, prices: prices, nodes: maxNodes, best: math.Inf(1)}
	s.start()
	if start, ok := p.greedy(); ok {
		s.chosen, s.best = start, p.price(start)
	}
	s.branch(0, 0)
	if s.chosen == nil {
		return answer{}, false
	}
	a := answer{chosen: s.chosen, cost: s.best, bound: bound, exact: s.nodes > 0}
	if a.exact {
		a.bound = a.cost
	}
	return a, true
}

func (p *problem) price(chosen []int) float64 {
	sum := 0.0
	for i, o := range chosen {
		sum += p.cost[i][o]
	}
	return sum
}

// relax finds prices for the rows, and the bound that they give.
func (p *problem) relax() (prices []float64, bound float64) {
	prices = make([]float64, len(p.rows))
	best := slices.Clone(prices)
	bound = math.Inf(-1)
	scale := 0.0
	for _, costs := range p.cost {
		low, high := math.Inf(1), 0.0
		for _, c := range costs {
			if low = min(low, c); !math.IsInf(c, 1) {
				high = max(high, c)
			}
		}
		scale = max(scale, high-low)
	}
	for step := range ascent {
		value, chosen := p.relaxed(prices)
		if value > bound {
			bound = value
			copy(best, prices)
		}
		length := 0.0
		over := make([]float64, len(p.rows))
		for r := range p.rows {
			over[r] = p.rows[r].excess(chosen)
			if over[r] > 0 || prices[r] > 0 {
				length += over[r] * over[r]
			}
		}
		if length == 0 {
			break
		}
		size := scale / (1 + float64(step)/8) / math.Sqrt(length)
		for r := range prices {
			prices[r] = max(0, prices[r]+size*over[r])
		}
	}
	return best, bound
}

// relaxed is the cheapest choice under prices, by itself for each item.
func (p *problem) relaxed(prices []float64) (value float64, chosen []int) {
	chosen = make([]int, len(p.cost))
	for r := range p.rows {
		value -= prices[r] * p.rows[r].most
	}
	for i, costs := range p.cost {
		least := math.Inf(1)
		for o, c := range costs {
			if reduced := c + p.charge(prices, i, o); reduced < least {
				least, chosen[i] = reduced, o
			}
		}
		value += least
	}
	return value, chosen
}

func (p *problem) charge(prices []float64, item, option int) float64 {
	sum := 0.0
	for r := range p.rows {
		if prices[r] > 0 && p.rows[r].use(item, option) {
			sum += prices[r]
		}
	}
	return sum
}

// greedy mends the cheapest choice, one change after the other: each time the one that costs least for
// what it takes off the rows that are over.
func (p *problem) greedy() ([]int, bool) {
	chosen := make([]int, len(p.cost))
	left := make([][]bool, len(p.cost)) // options that were given up are not taken again
	for i, costs := range p.cost {
		chosen[i] = slices.Index(costs, slices.Min(costs))
		left[i] = make([]bool, len(costs))
	}
	for {
		over := make([]bool, len(p.rows))
		any := false
		for r := range p.rows {
			over[r] = p.rows[r].excess(chosen) > 0
			any = any || over[r]
		}
		if !any {
			return chosen, true
		}
		best, item, option := math.Inf(1), -1, -1
		for i, costs := range p.cost {
			for o, c := range costs {
				gain := 0.0
				for r := range p.rows {
					if over[r] && p.rows[r].use(i, chosen[i]) {
						gain++
					}
					if over[r] && p.rows[r].use(i, o) {
						gain--
					}
				}
				if math.IsInf(c, 1) || gain <= 0 || left[i][o] {
					continue
				}
				if rate := (c - costs[chosen[i]]) / gain; rate < best {
					best, item, option = rate, i, o
				}
			}
		}
		if item < 0 {
			return nil, false
		}
		left[item][chosen[item]] = true
		chosen[item] = option
	}
}

type search struct {
	*problem
	prices []float64
	nodes  int
	best   float64
	chosen []int

	order   []int       // items, those that matter most first
	now     []int       // by item
	used    []float64   // of each row
	reduced [][]float64 // costs with prices
	rest    []float64   // the least reduced cost of all items from a place of the order on
	base    float64
}

func (s *search) start() {
	s.used = make([]float64, len(s.rows))
	s.now = make([]int, len(s.cost))
	s.reduced = make([][]float64, len(s.cost))
	spread := make([]float64, len(s.cost))
	for i, costs := range s.cost {
		s.order = append(s.order, i)
		s.reduced[i] = make([]float64, len(costs))
		low, high := math.Inf(1), math.Inf(-1)
		for o, c := range costs {
			s.reduced[i][o] = c + s.charge(s.prices, i, o)
			if !math.IsInf(c, 1) {
				low, high = min(low, c), max(high, c)
			}
		}
		spread[i] = high - low
	}
	slices.SortStableFunc(s.order, func(a, b int) int { return cmp.Compare(spread[b], spread[a]) })
	s.rest = make([]float64, len(s.order)+1)
	for k := len(s.order) - 1; k >= 0; k-- {
		s.rest[k] = s.rest[k+1] + slices.Min(s.reduced[s.order[k]])
	}
	for r := range s.rows {
		s.base -= s.prices[r] * s.rows[r].most
	}
}

// branch chooses for the items from a place of the order on. reduced is the reduced cost so far.
func (s *search) branch(k int, reduced float64) {
	if s.nodes--; s.nodes <= 0 || s.base+reduced+s.rest[k] >= s.best-1e-12 {
		return
	}
	if k == len(s.order) {
		if cost := s.price(s.now); cost < s.best {
			s.best, s.chosen = cost, slices.Clone(s.now)
		}
		return
	}
	i := s.order[k]
	options := make([]int, len(s.cost[i]))
	for o := range options {
		options[o] = o
	}
	slices.SortStableFunc(options, func(a, b int) int { return cmp.Compare(s.reduced[i][a], s.reduced[i][b]) })
	for _, o := range options {
		if math.IsInf(s.cost[i][o], 1) {
			break
		}
		fits := true
		for r := range s.rows {
			if s.rows[r].use(i, o) {
				if s.used[r]++; s.used[r] > s.rows[r].most {
					fits = false
				}
			}
		}
		if fits {
			s.now[i] = o
			s.branch(k+1, reduced+s.reduced[i][o])
		}
		for r := range s.rows {
			if s.rows[r].use(i, o) {
				s.used[r]--
			}
		}
	}
}
