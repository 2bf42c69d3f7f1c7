package shot

import (
	"math"

	"grotta/core/air"
	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/grade"
)

// leastSpread is the standard deviation, in pixels, of the smallest dot: what is
// smaller is as much dimmer.
const leastSpread = 0.6

// specks draws stars and motes as soft dots over a frame.
func (r *renderer) specks(frame *grade.Frame) {
	pixel := 2 * r.camera.TanHalf / float64(frame.Height) // angle, in the middle
	for i := range r.air.Stars {
		s := &r.air.Stars[i]
		lux := s.Lux.Scale(1 - r.air.Hidden(&r.setting, r.camera.Eye, s.Toward, far))
		r.dot(frame, s.Toward, far, leastSpread, lux.Scale(1/(2*math.Pi*leastSpread*leastSpread*pixel*pixel)))
	}
	for i := range r.air.Motes {
		for _, s := range r.air.Motes[i].Specks(r.o.Seconds) {
			r.mote(frame, s, pixel)
		}
	}
}

func (r *renderer) mote(frame *grade.Frame, s air.Speck, pixel float64) {
	to := s.At.Sub(r.camera.Eye)
	distance := to.Len()
	depth := to.Dot(r.cam.Pose.Forward())
	if depth < 0.05 {
		return
	}
	spread := s.SizeM / depth / pixel / 4 // two deviations each way are its diameter
	nits := s.Nits.Scale(math.Min(1, spread*spread/(leastSpread*leastSpread)))
	dir := to.Mul(1 / distance)
	nits = nits.Scale(1 - r.air.Hidden(&r.setting, r.camera.Eye, dir, distance))
	r.dot(frame, dir, distance, math.Min(math.Max(spread, leastSpread), 40), nits)
}

// dot adds a Gaussian to a frame where nothing stands before it.
func (r *renderer) dot(frame *grade.Frame, dir geom.Vec3, distance, spread float64, nits color.Linear) {
	p := r.cam.Pose.Rotation.Inverse().Rotate(dir)
	if p[2] >= -1e-6 {
		return
	}
	w, h := float64(frame.Width), float64(frame.Height)
	x := (p[0]/-p[2]/r.camera.TanHalf*h/w + 1) / 2 * w
	y := (1 - p[1]/-p[2]/r.camera.TanHalf) / 2 * h
	reach := math.Ceil(3 * spread)
	for j := max(int(y-reach), 0); j <= min(int(y+reach), frame.Height-1); j++ {
		for i := max(int(x-reach), 0); i <= min(int(x+reach), frame.Width-1); i++ {
			if float64(frame.Depth[j*frame.Width+i]) < math.Min(distance, far)*(1-1e-6) {
				continue
			}
			dx, dy := float64(i)+0.5-x, float64(j)+0.5-y
			d2 := (dx*dx + dy*dy) / (spread * spread)
			if d2 < 9 {
				frame.Set(i, j, frame.At(i, j).Add(nits.Scale(math.Exp(-d2/2))))
			}
		}
	}
}
