package check

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"grotta/core/level"
)

// This file has the rules on how the target bakes: what moves, how finely, and what it costs.

var _ = add(
	Rule{ID: "build.carried-light", Family: Limits, Severities: []Severity{Warning}, Needs: Document,
		Title: "A baked light hangs on something that moves or can be broken.", Why: "What is baked stays where it was when its carrier goes.", run: carriedLights,
		Fix: "makes the light dynamic"},
	Rule{ID: "build.density-lost", Family: Limits, Severities: []Severity{Warning}, Needs: Layout,
		Title: "A surface is wider than a page, so it gets fewer texels a metre than asked for.", Why: "Its shadows are coarser than asked for, and the number of pages hides it.", run: densityLost},
	Rule{ID: "build.density-jump", Family: Limits, Severities: []Severity{Advice}, Needs: Layout,
		Title: "Two surfaces side by side differ in density by more than eight times.", Why: "A shadow that crosses from one to the other changes its edge, and that is seen.", run: densityJumps},
	Rule{ID: "build.density-idle", Family: Limits, Severities: []Severity{Advice}, Needs: Layout,
		Title: "A surface is finer than the level, and no light that casts shadows reaches it.", Why: "Fine texels are for shadows; here they hold nothing.", run: idleDensities, Fix: "takes the level's density"},
	Rule{ID: "build.unseen-texels", Family: Limits, Severities: []Severity{Advice}, Needs: Rays,
		Title: "Texels lie on surfaces that nobody can see.", Why: "They cost pages and build time and are never shown.", run: unseenTexels, Fix: "takes the light from those surfaces"},
)

// Carriers finds what may take a light away: the first thing up the chain of parents that moves or can be
// broken. The chain goes on through things of every kind.
type Carriers struct {
	things  map[string]*level.Carrier
	parents map[string]string
}

// CarriersOf are those of a level.
func CarriersOf(l *level.Level) Carriers {
	c := Carriers{map[string]*level.Carrier{}, map[string]string{}}
	for _, v := range l.Solids {
		c.things[v.ID] = &v.Carrier
	}
	for _, v := range l.Meshes {
		c.things[v.ID] = &v.Carrier
	}
	for _, p := range l.Placed() {
		c.parents[p.ID] = p.Parent
	}
	return c
}

// Of is the carrier of a light; nil where nothing takes it away.
func (c *Carriers) Of(l *level.Light) (id string, carrier *level.Carrier) {
	passed := map[string]bool{}
	for at := l.Parent; at != "" && !passed[at]; at = c.parents[at] {
		passed[at] = true
		if v := c.things[at]; v != nil && (v.Moves || v.Breakable) {
			return at, v
		}
	}
	return "", nil
}

// carriedLights finds baked lights on things that move or can be broken: a lamp
// that dies with its fixture, a torch that follows its bearer.
func carriedLights(s *subject) []Finding {
	carriers := CarriersOf(s.level)
	var found []Finding
	for _, l := range s.shining() {
		at, c := carriers.Of(l)
		if c == nil || l.Bake == "dynamic" {
			continue
		}
		what := "can be broken, and the light would shine on"
		if c.Moves {
			what = "moves, and the light would stay behind"
		}
		f := s.about(&l.Entity, Warning, "%s is %s, and its carrier %s %s", nameOf(&l.Entity), l.Bake, at, what)
		f.Entities = append(f.Entities, at)
		f.Fix = fixOf(l.ID, map[string]any{"bake": "dynamic"}, "Make %s dynamic", nameOf(&l.Entity))
		found = append(found, f)
	}
	return found
}

// densityLost finds charts that were made coarser to fit on a page.
func densityLost(s *subject) []Finding {
	byBody := map[string]*Finding{}
	var order []string
	for i := range s.Layout.Charts {
		c := &s.Layout.Charts[i]
		f := &s.Scene.Surfaces[c.Surface]
		asked := f.Finish().DensityM
		if c.Density >= asked*0.99 {
			continue
		}
		body := f.Body().Entity
		if was := byBody[body]; was != nil {
			was.Count = min(was.Count, c.Density)
			continue
		}
		box := s.surfaces().boxes[c.Surface]
		order = append(order, body)
		byBody[body] = &Finding{
			Severity: Warning, Entities: []string{body}, Count: c.Density, Limit: asked, Point: vec(box.Min.Add(box.Max).Mul(0.5)),
			Region: []level.Box{{Min: level.Vec(box.Min), Max: level.Vec(box.Max)}},
		}
	}
	var found []Finding
	for _, body := range order {
		f := byBody[body]
		f.Message = fmt.Sprintf("%s asks for %.3g texels a metre and gets %.3g, as a surface of it is wider than a page of %d; cut it, or use wider pages", body, f.Limit, f.Count, s.Layout.PageSize)
		found = append(found, *f)
	}
	return found
}

// jump is how much finer one of two neighbours may be.
const jump = 8

func densityJumps(s *subject) []Finding {
	worst := map[[2]string]float64{}
	var order [][2]string
	for _, seam := range s.Seams.List {
		a, b := &s.Layout.Charts[seam.Charts[0]], &s.Layout.Charts[seam.Charts[1]]
		ratio := max(a.Density, b.Density) / min(a.Density, b.Density)
		if ratio <= jump*1.001 {
			continue
		}
		fine, coarse := s.Scene.Surfaces[a.Surface].Body().Entity, s.Scene.Surfaces[b.Surface].Body().Entity
		if a.Density < b.Density {
			fine, coarse = coarse, fine
		}
		pair := [2]string{fine, coarse}
		if _, ok := worst[pair]; !ok {
			order = append(order, pair)
		}
		worst[pair] = max(worst[pair], ratio)
	}
	var found []Finding
	for _, pair := range order {
		found = append(found, Finding{
			Severity: Advice, Entities: pair[:], Count: worst[pair], Limit: jump,
			Message: fmt.Sprintf("%s is %.3g times as fine as %s beside it", pair[0], worst[pair], pair[1]),
		})
	}
	return found
}

// idleDensities finds surfaces with at least twice the level's density that no light with shadows
// reaches.
func idleDensities(s *subject) []Finding {
	e := &s.level.Environment
	if e.Sun.Up() && e.Sun.Lux > 0 || e.Moon.Up() && e.Moon.Lux > 0 || e.Sky.Lights && e.Sky.Luminance > 0 {
		return nil // these cast shadows everywhere outdoors
	}
	shadowed := map[int32]bool{}
	for _, l := range s.shining() {
		if !l.Shadows.Cast || l.Shadows.Depth == 0 {
			continue
		}
		for _, i := range s.reached(l) {
			shadowed[i] = true
		}
	}
	idle := map[string]int{}
	var order []string
	for i := range s.Layout.Charts {
		c := &s.Layout.Charts[i]
		f := &s.Scene.Surfaces[c.Surface]
		if c.Density < 2*s.level.Lightmap.Density || shadowed[c.Surface] {
			continue
		}
		w, h := c.Inner()
		if idle[f.Body().Entity] == 0 {
			order = append(order, f.Body().Entity)
		}
		idle[f.Body().Entity] += w * h
	}
	// Of a thing with other faces that do have shadows nothing is said.
	for i := range s.Layout.Charts {
		c := &s.Layout.Charts[i]
		if body := s.Scene.Surfaces[c.Surface].Body().Entity; shadowed[c.Surface] {
			delete(idle, body)
		}
	}
	var found []Finding
	for _, body := range order {
		n := idle[body]
		if n < 64 {
			continue
		}
		found = append(found, Finding{
			Severity: Advice, Entities: []string{body}, Count: float64(n),
			Message: fmt.Sprintf("%s spends %d texels, and no light that casts shadows reaches it", body, n),
			Fix:     fixOf(body, map[string]any{"surface.density": 0}, "Give %s the level's density", body),
		})
	}
	return found
}

// unseenTexels finds things that receive light on surfaces that are not visible.
func unseenTexels(s *subject) []Finding {
	spent := map[string]int{}
	var order []string
	for i := range s.Layout.Charts {
		c := &s.Layout.Charts[i]
		f := &s.Scene.Surfaces[c.Surface]
		if f.Finish().Roles.Visible {
			continue
		}
		w, h := c.Inner()
		if spent[f.Body().Entity] == 0 {
			order = append(order, f.Body().Entity)
		}
		spent[f.Body().Entity] += w * h
	}
	slices.SortStableFunc(order, func(a, b string) int { return cmp.Compare(spent[b], spent[a]) })
	var found []Finding
	for _, body := range order {
		f := Finding{
			Severity: Advice, Entities: []string{body}, Count: float64(spent[body]),
			Message: fmt.Sprintf("%s is not visible and spends %d texels", body, spent[body]),
		}
		if v := level.ByID[level.Solid](s.level, body); v != nil && len(v.Faces) == 0 || v == nil {
			f.Fix = fixOf(body, map[string]any{"surface.receives_light": false}, "Take the light from %s", body)
		}
		found = append(found, f)
	}
	return found
}

func round3(x float64) float64 {
	if x == 0 {
		return 0
	}
	scale := math.Pow(10, 2-math.Floor(math.Log10(math.Abs(x))))
	return math.Round(x*scale) / scale
}
