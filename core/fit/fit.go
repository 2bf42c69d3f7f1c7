// Package fit finds the least visible change after which a level keeps to the limits of platforms: which
// lights lose their shadow, end sooner, are baked, become another kind, shine for a neighbour or go out; and what is left of the
// limits is settled by the fixes of the checks.
//
// What a change costs is measured. At spots that the viewpoints see and where a player walks, light is
// computed source by source, with bounces, before and after; the colours that the display shows are
// compared by CIEDE2000. The paths of light are the same before and after, so few of them are enough. What
// changes of the air is compared in small pictures of the viewpoints, and what changes of texels by how far they
// blur the light of spots (seen.go).
package fit

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"slices"
	"sync"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/color"
	"grotta/core/compare"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/core/sampling"
	"grotta/core/shot"
)

// Step is one change of a plan.
type Step struct {
	Entity    string
	What      string  // in words
	Mean      float64 // CIEDE2000 over all spots, of this step alone
	P95       float64
	Measured  bool     // whether the two are; what changes surfaces otherwise than by their texels is not
	Platforms []string // that need it
	Operation level.Operation
}

// Plan is what makes a level keep to the limits.
type Plan struct {
	Steps     []Step // the least visible first
	Mean      float64
	P95       float64
	Most      float64
	Spots     int     // that were compared
	Sum       float64 // of the means of the steps that were chosen
	Bound     float64 // no choice of changes has a smaller sum
	Exact     bool    // whether the sum is the smallest
	Left      []string
	Operation *level.Operation // all steps as one change; nil where nothing changes
}

// Bounds of the measurement.
const (
	paths   = 6
	samples = 2
	rounds  = 48 // of places that are found over the limit and settled

	// Every light is measured at every spot, so of many lights fewer spots are taken.
	mostPairs  = 400_000
	leastSpots = 120
)

// Make plans for some platforms at once. Lights that are kept stay as they are.
func Make(ctx context.Context, sub *check.Subject, profiles []*platform.Profile, keep []string) (*Plan, error) {
	if len(profiles) == 0 {
		return nil, errors.New("a platform is needed")
	}
	f := &fitter{ctx: ctx, sub: sub, from: sub.Prepared(), profiles: profiles, keep: keep}
	f.level = f.from.Scene.Level
	f.carriers = check.CarriersOf(f.level)
	for _, id := range keep {
		if f.level.Light(id) == nil {
			return nil, &level.Invalid{Faults: []level.Fault{{Path: "/keep", Message: fmt.Sprintf("is %q; the level has no such light", id)}}}
		}
	}
	f.lights = check.Shining(f.level)
	f.spots = sampling.Evenly(sub.Spots(profiles[0]), max(leastSpots, mostPairs/max(1, len(f.lights))))
	if err := f.measure(); err != nil {
		return nil, err
	}
	f.limit()
	plan := &Plan{Spots: len(f.spots)}
	chosen, err := f.choose(plan)
	if err != nil {
		return nil, err
	}
	f.tell(plan, chosen)
	if err := f.settle(plan); err != nil {
		return nil, err
	}
	return plan, nil
}

type fitter struct {
	ctx      context.Context
	sub      *check.Subject
	from     *bake.Prepared
	level    *level.Level
	profiles []*platform.Profile
	keep     []string
	carriers check.Carriers
	spots    []check.Spot

	lights  []*level.Light
	choices [][]choice
	light   [][]color.Linear   // of each spot, by source, as it is
	after   [][][]color.Linear // of each spot, by light and choice
	total   []color.Linear
	rows    []row
	words   []string           // of each row, which limit it is
	of      []int              // of each row, the profile
	reach   map[[2]int][]int32 // surfaces, by light and choice
	plates  []*shot.Plate      // of the first viewpoints
	asIs    []*image.NRGBA     // the level's own pictures on them
	ties    map[string]bool    // lights that glows and beams hang on, by id

	mu       sync.Mutex
	before   *level.Level // the last one that was compared with, and its pictures
	asBefore []*image.NRGBA
}

// choose solves, looks where too many shadows still meet, adds these places, and solves again.
func (f *fitter) choose(plan *Plan) ([]int, error) {
	f.dropHopeless(plan)
	var chosen []int
	for range rounds {
		if err := f.ctx.Err(); err != nil {
			return nil, err
		}
		p := &problem{rows: f.rows}
		for i := range f.lights {
			costs := make([]float64, len(f.choices[i]))
			for n := range costs {
				if c := &f.choices[i][n]; n > 0 || f.allowed(c.light.Kind) || len(f.choices[i]) == 1 {
					// Of two changes that nobody sees the smaller one is taken.
					costs[n] = c.costs.mean + 1e-4*float64(n)
				} else {
					costs[n] = math.Inf(1)
				}
			}
			p.cost = append(p.cost, costs)
		}
		a, ok := p.solve()
		if !ok {
			if !f.giveUp(plan) {
				return nil, errors.New("no change of the lights keeps to the limits")
			}
			continue
		}
		chosen, plan.Sum, plan.Bound, plan.Exact = a.chosen, a.cost, max(0, a.bound), a.exact
		over := f.shadowsOver(chosen)
		if over = f.surfacesOver(chosen) || over; !over {
			return chosen, nil
		}
	}
	plan.Left = append(plan.Left, "shadows meet, or lights reach a surface, in more places than were settled")
	return chosen, nil
}

// tell makes the steps of what was chosen.
func (f *fitter) tell(plan *Plan, chosen []int) {
	before := f.shown(f.total)
	for i, n := range chosen {
		if n == 0 {
			continue
		}
		c, l := f.choices[i][n], f.lights[i]
		op := level.Set(l.ID, c.fields)
		if beams := f.beamsKept(l, c.light); len(beams) > 0 {
			op = level.Batch("", append(beams, op)...)
		}
		if c.merge != nil {
			op = level.Batch("", append(f.mergeSteps(l, c.merge), op)...)
		}
		op.Label = cmp.Or(l.Name, l.ID) + " " + c.what
		plan.Steps = append(plan.Steps, Step{
			Entity: l.ID, What: op.Label, Mean: c.costs.mean, P95: c.costs.p95, Measured: true, Platforms: f.need(chosen, i), Operation: op,
		})
	}
	after := make([]color.Linear, len(f.spots))
	for k := range f.spots {
		after[k] = f.total[k]
		for i, n := range chosen {
			now := f.after[k][i][n]
			if m := f.choices[i][n].merge; m != nil {
				now = f.after[k][m.into][chosen[m.into]].Scale(m.times - 1) // the neighbour may have changed, too
			}
			after[k] = after[k].Add(now).Add(f.after[k][i][0].Scale(-1))
		}
	}
	d := f.difference(before, func(k int) (color.Linear, bool) { return after[k], true })
	plan.Mean, plan.P95 = d.mean, d.p95
	for k, lab := range f.shown(after) {
		plan.Most = max(plan.Most, compare.Difference(before[k], lab))
	}
	slices.SortStableFunc(plan.Steps, leastVisible)
}
