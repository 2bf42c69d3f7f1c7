// Package fit finds the least visible change after which a level keeps to the limits of platforms: which
// lights lose their shadow, end sooner, are baked, become another kind or go out; and what is left of the
// limits is settled by the fixes of the checks.
//
// What a change costs is measured. At spots that the viewpoints see and where a player walks, light is
// computed source by source, with bounces, before and after; the colours that the display shows are
// compared by CIEDE2000. The paths of light are the same before and after, so few of them are enough. What
// goes with a light of the air, its glow and its beam, is estimated (tied.go).
package fit

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"

	"grotta/core/bake"
	"grotta/core/check"
	"grotta/core/color"
	"grotta/core/compare"
	"grotta/core/geom"
	"grotta/core/grade"
	"grotta/core/ledger"
	"grotta/core/level"
	"grotta/core/overlap"
	"grotta/core/parallel"
	"grotta/core/platform"
)

// Step is one change of a plan.
type Step struct {
	Entity    string
	What      string  // in words
	Mean      float64 // CIEDE2000 over all spots, of this step alone
	P95       float64
	Measured  bool     // whether the two are; a change of texels, glows or motes is not
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
)

// Make plans for some platforms at once. Lights that are kept stay as they are.
func Make(ctx context.Context, sub *check.Subject, profiles []*platform.Profile, keep []string) (*Plan, error) {
	if len(profiles) == 0 {
		return nil, errors.New("a platform is needed")
	}
	f := &fitter{ctx: ctx, from: sub.Prepared(), profiles: profiles, keep: keep}
	f.level = f.from.Scene.Level
	for _, id := range keep {
		if f.level.Light(id) == nil {
			return nil, &level.Invalid{Faults: []level.Fault{{Path: "/keep", Message: fmt.Sprintf("is %q; the level has no such light", id)}}}
		}
	}
	f.spots = sub.Spots(profiles[0])
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

// choice is one thing that may become of a light.
type choice struct {
	what    string
	fields  map[string]any
	light   *level.Light // as it then is; nil where it is out
	costs   costs
	dynamic bool
}

type costs struct{ mean, p95 float64 }

type fitter struct {
	ctx      context.Context
	from     *bake.Prepared
	level    *level.Level
	profiles []*platform.Profile
	keep     []string
	spots    []check.Spot

	lights  []*level.Light
	choices [][]choice
	light   [][]color.Linear   // of each spot, by source, as it is
	after   [][][]color.Linear // of each spot, by light and choice
	total   []color.Linear
	rows    []row
	words   []string // of each row, which limit it is
	of      []int    // of each row, the profile
}

// variants are what a light may become, beside staying as it is and going out. Their fields are nil
// where it is not for this light.
var variants = []struct {
	what   string
	fields func(*level.Light) map[string]any
}{
	{"loses its shadow", func(l *level.Light) map[string]any {
		if !l.Shadows.Cast || l.Shadows.Depth == 0 {
			return nil
		}
		return map[string]any{"shadows.cast": false}
	}},
	{"ends at %g m in place of %g", func(l *level.Light) map[string]any { return shorter(l, 0.75) }},
	{"ends at %g m in place of %g", func(l *level.Light) map[string]any { return shorter(l, 0.5) }},
}

func shorter(l *level.Light, share float64) map[string]any {
	if l.RangeM == 0 || l.Kind == level.Directional {
		return nil
	}
	return map[string]any{"range_m": math.Round(l.RangeM*share*100) / 100}
}

// allowed tells whether all platforms have a kind.
func (f *fitter) allowed(kind string) bool {
	return !slices.ContainsFunc(f.profiles, func(p *platform.Profile) bool { return !slices.Contains(p.Lights.Kinds, kind) })
}

// standIn is a kind that all platforms have in place of one; "" where there is none.
func (f *fitter) standIn(kind string) string {
	for _, p := range f.profiles {
		if other := p.StandIn(kind); other != "" && f.allowed(other) {
			return other
		}
	}
	for _, other := range []string{level.Point, level.Spot, level.Directional} {
		if f.allowed(other) {
			return other
		}
	}
	return ""
}

// measure lists what may become of each light and computes the light of all spots for each.
func (f *fitter) measure() error {
	f.lights = check.Shining(f.level)
	f.choices = make([][]choice, len(f.lights))
	for i, l := range f.lights {
		f.choices[i] = f.choicesOf(l)
	}
	light, err := f.lightOf(f.from)
	if err != nil {
		return err
	}
	f.light, f.total = light, make([]color.Linear, len(f.spots))
	for k := range f.spots {
		for _, c := range light[k] {
			f.total[k] = f.total[k].Add(c)
		}
	}
	source := map[string]int{}
	for i := range f.from.Sources {
		source[f.from.Sources[i].ID] = i
	}
	f.after = make([][][]color.Linear, len(f.spots))
	for k := range f.after {
		f.after[k] = make([][]color.Linear, len(f.lights))
		for i := range f.lights {
			f.after[k][i] = make([]color.Linear, len(f.choices[i]))
			f.after[k][i][0] = light[k][source[f.lights[i].ID]]
		}
	}
	// Choices of one number are computed together: each source's light is by itself.
	most := 0
	for _, c := range f.choices {
		most = max(most, len(c))
	}
	for n := 1; n < most; n++ {
		next := *f.level
		next.Lights = slices.Clone(f.level.Lights)
		changed := false
		for i, l := range f.lights {
			if n < len(f.choices[i]) && f.choices[i][n].light != nil {
				next.Lights[slices.Index(f.level.Lights, l)] = f.choices[i][n].light
				changed = true
			}
		}
		if !changed {
			continue
		}
		p, err := f.from.Again(&next)
		if err != nil {
			return err
		}
		light, err := f.lightOf(p)
		if err != nil {
			return err
		}
		for k := range f.spots {
			for i, l := range f.lights {
				if n < len(f.choices[i]) && f.choices[i][n].light != nil {
					f.after[k][i][n] = light[k][source[l.ID]]
				}
			}
		}
	}
	return f.price()
}

// lightOf is the light of each spot by source.
func (f *fitter) lightOf(p *bake.Prepared) ([][]color.Linear, error) {
	out := make([][]color.Linear, len(f.spots))
	err := parallel.Each(f.ctx, len(f.spots), func(k int) {
		out[k] = ledger.Each(p, f.spots[k].Point, f.spots[k].Normal, samples, paths)
	}, nil)
	return out, err
}

// choicesOf lists what may become of a light; the first is that it stays.
func (f *fitter) choicesOf(l *level.Light) []choice {
	list := []choice{{light: l, dynamic: l.Bake != "baked"}}
	add := func(what string, fields map[string]any) {
		next := edited(l, fields)
		list = append(list, choice{what: what, fields: fields, light: next, dynamic: next.Bake != "baked"})
	}
	if slices.Contains(f.keep, l.ID) {
		return list
	}
	base, kind := map[string]any{}, ""
	if !f.allowed(l.Kind) {
		if kind = f.standIn(l.Kind); kind == "" {
			return append(list, choice{what: "goes out", fields: map[string]any{"enabled": false}})
		}
		base = check.Becomes(l, kind)
		add("becomes a "+kind+" light", base)
		// As bright along its axis is too much where it was narrow; as much light in all may be nearer.
		if as := edited(l, base); l.Lumens() > 0 && as.Lumens() > 0 {
			even := merged(base, map[string]any{"strength": as.Strength * l.Lumens() / as.Lumens()})
			add("becomes a "+kind+" light of as many lumens", even)
			if l.Shadows.Cast {
				add("becomes a "+kind+" light of as many lumens and loses its shadow", merged(even, map[string]any{"shadows.cast": false}))
			}
		}
	}
	// What a light is baked as goes with each of the other changes.
	bakes := []map[string]any{{}}
	if l.Bake == "dynamic" && l.Flicker == nil && !f.carried(l) {
		bakes = append(bakes, map[string]any{"bake": "baked"})
	}
	for _, baked := range bakes {
		if len(baked) > 0 {
			add(join(kind, "is baked"), merged(base, baked))
		}
		for _, v := range variants {
			fields := v.fields(l)
			if fields == nil {
				continue
			}
			what := v.what
			if m, ok := fields["range_m"].(float64); ok {
				what = fmt.Sprintf(what, m, l.RangeM)
			}
			if len(baked) > 0 {
				what += " and is baked"
			}
			add(join(kind, what), merged(merged(base, baked), fields))
		}
	}
	return append(list, choice{what: "goes out", fields: map[string]any{"enabled": false}})
}

// edited is a light with the fields that a choice sets.
func edited(l *level.Light, fields map[string]any) *level.Light {
	next := *l
	number := func(name string, of *float64) {
		if v, ok := fields[name].(float64); ok {
			*of = v
		}
	}
	number("strength", &next.Strength)
	number("range_m", &next.RangeM)
	number("inner_deg", &next.InnerDeg)
	number("outer_deg", &next.OuterDeg)
	if v, ok := fields["kind"].(string); ok {
		next.Kind = v
	}
	if v, ok := fields["bake"].(string); ok {
		next.Bake = v
	}
	if v, ok := fields["shadows.cast"].(bool); ok {
		next.Shadows.Cast = v
	}
	return &next
}

func join(kind, what string) string {
	if kind == "" {
		return what
	}
	return "becomes a " + kind + " light and " + what
}

func merged(a, b map[string]any) map[string]any {
	out := map[string]any{}
	for _, m := range []map[string]any{a, b} {
		for k, v := range m {
			out[k] = v
		}
	}
	return out
}

// carried tells whether a light hangs on something that moves or can be broken.
func (f *fitter) carried(l *level.Light) bool {
	parents := map[string]string{}
	for _, p := range f.level.Placed() {
		parents[p.ID] = p.Parent
	}
	for at, n := l.Parent, 0; at != "" && n < 1000; at, n = parents[at], n+1 {
		if v := level.ByID[level.Solid](f.level, at); v != nil && (v.Moves || v.Breakable) {
			return true
		}
		if v := level.ByID[level.Mesh](f.level, at); v != nil && (v.Moves || v.Breakable) {
			return true
		}
	}
	return false
}

// price measures what each choice costs by itself.
func (f *fitter) price() error {
	before := f.shown(f.total)
	return parallel.Each(f.ctx, len(f.lights), func(i int) {
		for n := range f.choices[i] {
			if n == 0 {
				continue
			}
			f.choices[i][n].costs = f.difference(before, func(k int) (color.Linear, bool) {
				change := f.after[k][i][n].Add(f.after[k][i][0].Scale(-1))
				return f.total[k].Add(change), change != color.Linear{}
			})
			if f.choices[i][n].light == nil {
				f.choices[i][n].costs.mean += f.tied(f.lights[i])
			}
		}
	}, nil)
}

// shown is what the display shows of each spot under some light.
func (f *fitter) shown(light []color.Linear) []compare.Lab {
	out := make([]compare.Lab, len(light))
	displays := f.displays()
	for k := range light {
		out[k] = displays[k].lab(&f.spots[k], light[k])
	}
	return out
}

type display struct{ *grade.Display }

func (d display) lab(s *check.Spot, light color.Linear) compare.Lab {
	for i := range light {
		light[i] = max(0, light[i])
	}
	c := d.Of(light.Mul(s.Albedo).Scale(1 / math.Pi).Add(s.Emits))
	for i := range c {
		c[i] = color.DecodeSRGB(c[i])
	}
	return compare.LabOf(c)
}

// displays are those of the spots; spots of one look share one.
func (f *fitter) displays() []display {
	made := map[*level.Look]display{}
	out := make([]display, len(f.spots))
	for k, s := range f.spots {
		d, ok := made[s.Look]
		if !ok {
			d = display{grade.NewDisplay(s.Look, grade.Gains(&s.Look.Balance))}
			made[s.Look] = d
		}
		out[k] = d
	}
	return out
}

// difference compares all spots before with those under another light.
func (f *fitter) difference(before []compare.Lab, light func(k int) (now color.Linear, changed bool)) costs {
	displays := f.displays()
	all := make([]float64, len(f.spots))
	sum := 0.0
	for k := range f.spots {
		if now, changed := light(k); changed {
			all[k] = compare.Difference(before[k], displays[k].lab(&f.spots[k], now))
			sum += all[k]
		}
	}
	if len(all) == 0 {
		return costs{}
	}
	slices.Sort(all)
	return costs{sum / float64(len(all)), all[min(len(all)-1, len(all)*95/100)]}
}

// limit makes the rows of all limits but that of shadows at a point, whose places are found as they come.
func (f *fitter) limit() {
	world := f.level.World()
	for n, p := range f.profiles {
		add := func(what string, limit *platform.Limit, of func(i int, c *choice) bool) {
			if limit != nil {
				f.addRow(n, what, limit.Max, of)
			}
		}
		on := func(_ int, c *choice) bool { return c.light != nil }
		add("lights", p.Limits.Lights, on)
		add("dynamic lights", p.Lights.Dynamic, func(_ int, c *choice) bool { return c.light != nil && c.dynamic })
		for _, z := range f.level.Zones {
			add("lights in "+cmp.Or(z.Name, z.ID), p.Limits.ZoneLights, func(i int, c *choice) bool {
				return c.light != nil && c.light.Kind != level.Directional && world.ZoneOf(&f.lights[i].Entity) == z
			})
		}
		views := map[string][]geom.Vec3{}
		for _, s := range f.spots {
			if s.View != "" {
				views[s.View] = append(views[s.View], s.Point)
			}
		}
		for _, v := range f.level.Viewpoints {
			add("lights in the view of "+cmp.Or(v.Name, v.ID), p.Limits.ViewLights, func(i int, c *choice) bool {
				if c.light == nil {
					return false
				}
				reach := overlap.Reach(c.light, world.Pose(&f.lights[i].Entity), cmp.Or(c.light.RangeM, math.Inf(1)))
				return slices.ContainsFunc(views[v.ID], func(at geom.Vec3) bool { return reach.Contains(at) })
			})
		}
	}
}

func (f *fitter) addRow(profile int, what string, most float64, of func(i int, c *choice) bool) {
	r := row{most: most, uses: make([][]bool, len(f.lights))}
	for i := range f.lights {
		for n := range f.choices[i] {
			if of(i, &f.choices[i][n]) {
				if r.uses[i] == nil {
					r.uses[i] = make([]bool, len(f.choices[i]))
				}
				r.uses[i][n] = true
			}
		}
	}
	f.rows, f.words, f.of = append(f.rows, r), append(f.words, what), append(f.of, profile)
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
		if !f.shadowsOver(chosen) {
			return chosen, nil
		}
	}
	plan.Left = append(plan.Left, "shadows meet in more places than were settled")
	return chosen, nil
}

// dropHopeless leaves limits out that not even the choices that use least can keep.
func (f *fitter) dropHopeless(plan *Plan) {
	for r := len(f.rows) - 1; r >= 0; r-- {
		if f.least(r) > f.rows[r].most {
			f.leave(plan, r)
		}
	}
}

// least is how much of a row is used at the least.
func (f *fitter) least(r int) float64 {
	n := 0.0
	for i := range f.lights {
		if uses := f.rows[r].uses[i]; uses != nil && !slices.Contains(uses, false) {
			n++
		}
	}
	return n
}

func (f *fitter) leave(plan *Plan, r int) {
	plan.Left = append(plan.Left, fmt.Sprintf("%s: %s cannot keep to %g with what is kept", f.profiles[f.of[r]].Name, f.words[r], f.rows[r].most))
	f.rows, f.words, f.of = slices.Delete(f.rows, r, r+1), slices.Delete(f.words, r, r+1), slices.Delete(f.of, r, r+1)
}

// giveUp leaves the tightest limit out.
func (f *fitter) giveUp(plan *Plan) bool {
	worst, room := -1, math.Inf(1)
	for r := range f.rows {
		if left := f.rows[r].most - f.least(r); left < room {
			worst, room = r, left
		}
	}
	if worst < 0 {
		return false
	}
	f.leave(plan, worst)
	return true
}

// shadowsOver adds a row for every place in which too many shadows meet; false where there is none.
func (f *fitter) shadowsOver(chosen []int) bool {
	world := f.level.World()
	bounds := f.from.Scene.Bounds
	if bounds.Empty() {
		return false
	}
	margin := geom.Vec3{0.5, 0.5, 0.5}
	bounds.Min, bounds.Max = bounds.Min.Sub(margin), bounds.Max.Add(margin)
	found := false
	for n, p := range f.profiles {
		limit := p.Limits.ShadowOverlap
		if limit == nil {
			continue
		}
		var volumes []overlap.Volume
		for i, l := range f.lights {
			if c := f.choices[i][chosen[i]]; c.light != nil {
				if v, ok := overlap.Shadow(c.light, world.Pose(&l.Entity)); ok {
					volumes = append(volumes, v)
				}
			}
		}
		allowed := limit.Max - limit.Reserve
		places, _ := overlap.Places(volumes, bounds, allowed)
		for _, place := range places {
			before := len(f.rows)
			f.addRow(n, fmt.Sprintf("shadows at %.1f, %.1f, %.1f", place.Point[0], place.Point[1], place.Point[2]), float64(allowed), func(i int, c *choice) bool {
				if c.light == nil {
					return false
				}
				v, ok := overlap.Shadow(c.light, world.Pose(&f.lights[i].Entity))
				return ok && v.Contains(place.Point)
			})
			if f.least(before) > f.rows[before].most {
				f.rows, f.words, f.of = f.rows[:before], f.words[:before], f.of[:before] // only what is kept meets there
				continue
			}
			found = true
		}
	}
	return found
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
		op.Label = cmp.Or(l.Name, l.ID) + " " + c.what
		plan.Steps = append(plan.Steps, Step{
			Entity: l.ID, What: op.Label, Mean: c.costs.mean, P95: c.costs.p95, Measured: true, Platforms: f.need(chosen, i), Operation: op,
		})
	}
	after := make([]color.Linear, len(f.spots))
	for k := range f.spots {
		after[k] = f.total[k]
		for i, n := range chosen {
			after[k] = after[k].Add(f.after[k][i][n]).Add(f.after[k][i][0].Scale(-1))
		}
	}
	d := f.difference(before, func(k int) (color.Linear, bool) { return after[k], true })
	plan.Mean, plan.P95 = d.mean, d.p95
	for k, lab := range f.shown(after) {
		plan.Most = max(plan.Most, compare.Difference(before[k], lab))
	}
	slices.SortStableFunc(plan.Steps, func(a, b Step) int { return cmp.Compare(a.Mean, b.Mean) })
}

// beamsKept are the changes that keep the beams of a spot as wide as they are when it becomes a light
// without a cone.
func (f *fitter) beamsKept(was, now *level.Light) (steps []level.Operation) {
	if was.Kind != level.Spot || now == nil || now.Kind == level.Spot {
		return nil
	}
	for _, b := range f.level.Beams {
		if b.Light == was.ID && b.Form == "cone" {
			steps = append(steps, level.Set(b.ID, map[string]any{"angle_deg": min(80, was.OuterDeg)}))
		}
	}
	return steps
}

// need are the platforms that would refuse the plan without one of its steps.
func (f *fitter) need(chosen []int, item int) []string {
	without := slices.Clone(chosen)
	without[item] = 0
	var names []string
	for n, p := range f.profiles {
		needs := !slices.Contains(p.Lights.Kinds, f.lights[item].Kind)
		for r := range f.rows {
			needs = needs || f.of[r] == n && f.rows[r].excess(without) > 0
		}
		if needs {
			names = append(names, p.Name)
		}
	}
	return names
}

// settle takes the fixes of the checks for what no change of lights can do: pages, densities, motes,
// glows. What then is still refused is told.
func (f *fitter) settle(plan *Plan) error {
	now := f.level
	all := level.Batch("Fit " + f.names())
	apply := func(op level.Operation) error {
		next, _, err := now.Apply(op)
		if err == nil {
			now = next
			all.Steps = append(all.Steps, op)
		}
		return err
	}
	for _, s := range plan.Steps {
		if err := apply(s.Operation); err != nil {
			return err
		}
	}
	if err := f.thin(now, plan, apply); err != nil {
		return err
	}
	for range 4 {
		p, err := f.from.Again(now)
		if err != nil {
			return err
		}
		sub, more := check.Of(p), false
		plan.Left = slices.DeleteFunc(plan.Left, func(s string) bool { return strings.HasPrefix(s, "still: ") })
		for _, profile := range f.profiles {
			for _, finding := range sub.Against(profile).Findings {
				if finding.Severity != check.Error || finding.Waived != "" {
					continue
				}
				aboutLights := strings.HasPrefix(finding.Rule, "limits.shadow") || finding.Rule == "support.light-kind"
				if finding.Fix != nil && !aboutLights && apply(*finding.Fix) == nil {
					plan.Steps = append(plan.Steps, Step{What: finding.Fix.Label, Platforms: []string{profile.Name}, Operation: *finding.Fix})
					more = true
					break // the next check sees what it did
				}
				plan.Left = append(plan.Left, "still: "+profile.Name+": "+finding.Message)
			}
		}
		if !more {
			break
		}
	}
	for i := range plan.Left {
		plan.Left[i] = strings.TrimPrefix(plan.Left[i], "still: ")
	}
	plan.Left = slices.Compact(plan.Left)
	if len(all.Steps) > 0 {
		plan.Operation = &all
	}
	return nil
}

func (f *fitter) names() string {
	var names []string
	for _, p := range f.profiles {
		names = append(names, p.Name)
	}
	return strings.Join(names, ", ")
}

// thin hides the glows and fog volumes that show least, where there are too many.
func (f *fitter) thin(l *level.Level, plan *Plan, apply func(level.Operation) error) error {
	world := l.World()
	var eyes []geom.Vec3
	for _, v := range l.Viewpoints {
		eyes = append(eyes, world.Pose(&v.Entity).Position)
	}
	// What something shows of itself: its brightness times the area that it covers, over all viewpoints.
	shows := func(at geom.Vec3, sizeM, nits float64) float64 {
		sum := nits * sizeM * sizeM * 1e-6
		for _, eye := range eyes {
			d := max(1, eye.Sub(at).Len())
			sum += nits * sizeM * sizeM / (d * d)
		}
		return sum
	}
	type thing struct {
		entity *level.Entity
		shows  float64
	}
	hide := func(what string, limit func(*platform.Profile) *platform.Limit, things []thing) error {
		slices.SortStableFunc(things, func(a, b thing) int { return cmp.Compare(a.shows, b.shows) })
		for _, p := range f.profiles {
			most := limit(p)
			for most != nil && float64(len(things)) > most.Max {
				e := things[0].entity
				things = things[1:]
				op := level.Set(e.ID, map[string]any{"enabled": false})
				op.Label = fmt.Sprintf("The %s %s goes", what, cmp.Or(e.Name, e.ID))
				if err := apply(op); err != nil {
					return err
				}
				plan.Steps = append(plan.Steps, Step{Entity: e.ID, What: op.Label, Platforms: []string{p.Name}, Operation: op})
			}
		}
		return nil
	}
	var glows, fogs []thing
	for _, g := range l.Glows {
		if nits := l.GlowRadiance(g).Luminance(); nits > 0 {
			glows = append(glows, thing{&g.Entity, shows(world.Pose(&g.Entity).Position, g.SizeM, nits)})
		}
	}
	for _, v := range l.FogVolumes {
		if v.Enabled && v.Density > 0 {
			size := math.Cbrt(v.Size[0] * v.Size[1] * v.Size[2])
			fogs = append(fogs, thing{&v.Entity, shows(world.Pose(&v.Entity).Position, size, v.Density)})
		}
	}
	if err := hide("glow", func(p *platform.Profile) *platform.Limit { return p.Limits.Glows }, glows); err != nil {
		return err
	}
	return hide("fog volume", func(p *platform.Profile) *platform.Limit { return p.Limits.FogVolumes }, fogs)
}
