package check

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/core/bake"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/platform"
	"grotta/demo"
)

// Faults of every family are planted into demo levels. Each is found with what it is about, and nothing
// else is found; the twins without them are clean.
type planted struct {
	rule, about string
	plant       func(l *level.Level)
}

// near moves a copy of a light by some metres and gives it a name of its own.
func addLight(l *level.Level, like, id string, by level.Vec, edit func(*level.Light)) {
	next := *l.Light(like)
	next.ID, next.Name, next.Rig, next.Parent, next.Zone = id, "", "", "", ""
	at := l.World().Pose(&l.Light(like).Entity).Position
	next.Transform.Position = level.Vec{at[0] + by[0], at[1] + by[1], at[2] + by[2]}
	edit(&next)
	l.Lights = append(l.Lights, &next)
}

// cleanSaltmarsh is the demo with its three faults mended.
func cleanSaltmarsh(t *testing.T) *level.Level {
	t.Helper()
	l := demo.Start("demo")
	for _, f := range report(t, l).Findings {
		next, _, err := l.Apply(*f.Fix)
		require.NoError(t, err)
		l = next
	}
	return l
}

func report(t *testing.T, l *level.Level) *Report {
	t.Helper()
	require.NoError(t, l.Validate())
	p, err := bake.Prepare(l)
	require.NoError(t, err)
	profile, err := platform.Named("baked-arena")
	require.NoError(t, err)
	return Run(p, profile)
}

func TestPlantedFaultsAreFoundAndNothingElse(t *testing.T) {
	first := func(l *level.Level) string { return l.Lights[0].ID }
	sets := map[string]struct {
		clean  func(t *testing.T) *level.Level
		faults []planted
	}{
		"room": {func(*testing.T) *level.Level { return demo.Start("room") }, []planted{
			{"closure.light-inside", "shut", func(l *level.Level) {
				addLight(l, first(l), "shut", level.Vec{}, func(a *level.Light) { a.Transform.Position = level.Vec{1.4, 0.4, -0.9} })
			}},
			{"links.no-effect", "short", func(l *level.Level) {
				addLight(l, first(l), "short", level.Vec{}, func(a *level.Light) {
					a.Transform.Position, a.RangeM, a.Note = level.Vec{0, 1.2, 0}, 0.2, "so"
				})
			}},
			{"links.no-effect", "black", func(l *level.Level) {
				addLight(l, first(l), "black", level.Vec{0.3, 0, 0.3}, func(a *level.Light) { a.Color, a.Kelvin = "#000000", 0 })
			}},
			{"look.fog-hides-all", "bank", func(l *level.Level) {
				v := level.Default[level.FogVolume]()
				v.ID, v.Density, v.Size, v.Transform.Position = "bank", 3, level.Vec{2.4, 1.2, 2.4}, level.Vec{1.3, 0.6, -0.9}
				l.FogVolumes = append(l.FogVolumes, &v)
			}},
			{"links.coincident", "twin", func(l *level.Level) {
				next := *l.Solids[len(l.Solids)-1]
				next.ID = "twin"
				l.Solids = append(l.Solids, &next)
			}},
		}},
		"mill": {func(*testing.T) *level.Level { return demo.Start("mill") }, []planted{
			{"links.glow-without-light", "stray", func(l *level.Level) {
				g := level.Default[level.Glow]()
				g.ID, g.Color, g.Transform.Position = "stray", "#ffd080", level.Vec{0, 1.6, 0}
				l.Glows = append(l.Glows, &g)
			}},
			{"closure.viewpoint-inside", "blind", func(l *level.Level) {
				v := level.Default[level.Viewpoint]()
				solid := l.Solids[0]
				v.ID, v.Transform.Position = "blind", level.Vec(l.World().Pose(&solid.Entity).Position)
				l.Viewpoints = append(l.Viewpoints, &v)
			}},
			{"links.no-credit", "poster", func(l *level.Level) { (&plan{Level: l}).image("poster", 8); l.Images[len(l.Images)-1].Licence = "" }},
			{"links.two-suns", "second", func(l *level.Level) {
				a := level.NewLight("second", level.Directional)
				a.Strength, a.Kelvin, a.Transform.Rotation, a.Shadows.Cast = l.Environment.Sun.Lux, 5000, down, true
				l.Lights = append(l.Lights, a)
			}},
		}},
		"yard": {func(*testing.T) *level.Level { return demo.Start("yard") }, []planted{
			{"links.glow-color", "mast-1-glow", func(l *level.Level) {
				g := level.ByID[level.Glow](l, "mast-1-glow")
				own := *g
				own.ColorFrom, own.Color = "", "#4060ff"
				l.Glows[slices.Index(l.Glows, g)] = &own
			}},
			{"build.carried-light", "mast-2-lamp", func(l *level.Level) {
				post := level.ByID[level.Solid](l, "mast-2-post")
				own := *post
				own.Moves = true
				l.Solids[slices.Index(l.Solids, post)] = &own
				lamp := l.Light("mast-2-lamp")
				carried := *lamp
				carried.Parent, carried.Transform.Position = "mast-2-post", level.Vec{0, 2.86, 0}
				l.Lights[slices.Index(l.Lights, lamp)] = &carried
			}},
			{"limits.zone-lights", "", func(l *level.Level) {
				for i := range 7 {
					addLight(l, "mast-1-lamp", fmt.Sprintf("more-%d", i), level.Vec{0.4 * float64(i), -0.1, 0.8}, func(a *level.Light) {
						a.Shadows.Cast, a.Strength, a.RangeM = false, 300, 9
					})
				}
			}},
		}},
		"saltmarsh": {cleanSaltmarsh, []planted{
			{"closure.gap", "house-east-crack", func(l *level.Level) {
				// A wall of the kitchen is cut short under the roof by 2 cm: one that stands by itself.
				z := level.Default[level.Zone]()
				z.ID, z.Play, z.Boxes = "shed", "none", []level.Box{{Min: level.Vec{58, 0, 58}, Max: level.Vec{62, 2.4, 62}}}
				l.Zones = append(l.Zones, &z)
				p := &plan{Level: l}
				for id, at := range map[string][2]level.Vec{
					"shed-floor": {{60, -0.1, 60}, {4.4, 0.2, 4.4}}, "shed-roof": {{60, 2.5, 60}, {4.4, 0.2, 4.4}},
					"shed-w": {{57.9, 1.2, 60}, {0.2, 2.4, 4.4}}, "house-east-crack": {{62.1, 1.19, 60}, {0.2, 2.38, 4.4}},
					"shed-n": {{60, 1.2, 57.9}, {4, 2.4, 0.2}}, "shed-s": {{60, 1.2, 62.1}, {4, 2.4, 0.2}},
				} {
					p.block(id, at[0], at[1])
				}
				slices.SortFunc(l.Solids[len(l.Solids)-6:], func(a, b *level.Solid) int {
					return len(a.ID)*1000 + int(a.ID[len(a.ID)-1]) - len(b.ID)*1000 - int(b.ID[len(b.ID)-1])
				})
			}},
			{"links.sun-shaft", "wrong-shaft", func(l *level.Level) {
				sun := level.Default[level.Sun]()
				sun.AltitudeDeg, sun.Lux, sun.Kelvin = 3, 20, 3000
				l.Environment.Sun = &sun
				b := level.Default[level.Beam]()
				b.ID, b.Form, b.Transform.Position, b.Transform.Rotation = "wrong-shaft", "shaft", level.Vec{14, 3, 2}, down
				l.Beams = append(l.Beams, &b)
			}},
			{"links.shut-in", "caged", func(l *level.Level) {
				p := &plan{Level: l}
				at := geom.Vec3{-30, 2, 30}
				for i, off := range []geom.Vec3{{0.12, 0, 0}, {-0.12, 0, 0}, {0, 0, 0.12}, {0, 0, -0.12}, {0, -0.2, 0}} {
					size := level.Vec{0.02, 0.4, 0.26}
					if i == 2 || i == 3 {
						size = level.Vec{0.26, 0.4, 0.02}
					} else if i == 4 {
						size = level.Vec{0.26, 0.02, 0.26}
					}
					p.block(fmt.Sprintf("cage-%d", i), level.Vec(at.Add(off)), size)
				}
				a := p.lamp("caged", level.Vec(at), 30)
				a.RangeM, a.Kelvin = 4, 2700
			}},
		}},
	}
	for name, set := range sets {
		t.Run(name, func(t *testing.T) {
			for _, f := range report(t, set.clean(t)).Findings {
				t.Errorf("the clean twin has %s: %s", f.Rule, f.Message)
			}
			for _, fault := range set.faults {
				text, err := level.Encode(set.clean(t))
				require.NoError(t, err)
				l, _, err := level.Parse(text) // one's own copy
				require.NoError(t, err)
				fault.plant(l)
				found := false
				for _, f := range report(t, l).Findings {
					if f.Rule == fault.rule && (fault.about == "" || slices.Contains(f.Entities, fault.about)) {
						found = true
						continue
					}
					t.Errorf("%s: found %s beside it: %s", fault.rule, f.Rule, f.Message)
				}
				assert.True(t, found, "%s about %s is not found", fault.rule, fault.about)
			}
		})
	}
}
