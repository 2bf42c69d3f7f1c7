package level

import (
	"fmt"
	"math"
)

// FromSky is what a colour is taken from in place of a light.
const FromSky = "sky"

// fogs are the level's fog and those of its zones, by their path.
func (l *Level) fogs() map[string]*Fog {
	all := map[string]*Fog{"/fog": &l.Fog}
	for i, z := range l.Zones {
		if z.Fog != nil {
			all[fmt.Sprintf("/zones/%d/fog", i)] = z.Fog
		}
	}
	return all
}

// checkAir finds air whose values contradict each other.
func (l *Level) checkAir(f *faults) {
	for path, fog := range l.fogs() {
		if h := fog.Haze; h.Density == 0 && h.EndM < h.StartM {
			f.add(path+"/haze/end_m", "is %v; at least start_m, %v, is needed", h.EndM, h.StartM)
		}
	}
	for i, g := range l.Glows {
		if g.Shape == "image" && g.Image == "" {
			f.add(fmt.Sprintf("/glows/%d/image", i), "is missing; a glow of shape image names one")
		}
		if g.FadeEndM != 0 && g.FadeEndM < g.FadeStartM {
			f.add(fmt.Sprintf("/glows/%d/fade_end_m", i), "is %v; at least fade_start_m, %v, is needed, or 0", g.FadeEndM, g.FadeStartM)
		}
	}
	for i, m := range l.Motes {
		if m.SizeMaxM < m.SizeMinM {
			f.add(fmt.Sprintf("/motes/%d/size_max_m", i), "is %v; at least size_min_m, %v, is needed", m.SizeMaxM, m.SizeMinM)
		}
		if n := m.RateHz * m.Life(); n > MaxMotes {
			f.add(fmt.Sprintf("/motes/%d/rate_hz", i), "gives %.0f motes at once; the most is %d", n, MaxMotes)
		}
	}
	for i, p := range l.Paths {
		for j, k := range p.Keys {
			path := fmt.Sprintf("/paths/%d/keys/%d", i, j)
			if j > 0 && k.AtS <= p.Keys[j-1].AtS {
				f.add(path+"/at_s", "is %v; more than the key before it, %v, is needed", k.AtS, p.Keys[j-1].AtS)
			}
			q := k.Rotation
			if n := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3]); math.Abs(n-1) > 1e-3 {
				f.add(path+"/rotation", "has length %.4g; a unit quaternion is needed", n)
			}
		}
	}
}
