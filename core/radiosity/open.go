package radiosity

import "math/bits"

// Patches in the open see much of the sky. What is about them is mostly as bright as they are. From a room they are seen
// through openings, as the sky is.

const (
	mostToSky = 8    // of a patch's rays: with more it is in the open
	openShare = 0.25 // of a source's flux: more of it in the open is worth rays through openings
)

// IsOpen tells whether a patch is in the open.
func (l *Links) IsOpen(patch uint32) bool { return bits.OnesCount32(l.sky[patch]) > mostToSky }

// lightsOpen tells whether much of a source's direct light falls on patches in the open.
func (l *Links) lightsOpen(direct [][4]float32) bool {
	open, all := 0.0, 0.0
	for k := range direct {
		d := &direct[k]
		if sum := float64(d[0]+d[1]+d[2]) * l.areaOf(k); sum > 0 {
			if all += sum; l.IsOpen(uint32(k)) {
				open += sum
			}
		}
	}
	return open > openShare*all
}

// LightsOpen tells whether much of the direct light of a source falls on patches in the open.
func (s *Sent) LightsOpen(source int) bool { return s.open[source] }
