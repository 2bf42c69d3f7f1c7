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
		if v, ok := r.toward(s.Toward); ok {
			nits := s.Lux.Scale((1 - r.hidden(v, far)) / (2 * math.Pi * leastSpread * leastSpread * pixel * pixel))
			dot(frame, v, far, leastSpread, nits)
		}
	}
	for i := range r.air.Motes {
		for _, s := range r.air.Motes[i].Specks(r.o.Seconds) {
			r.mote(frame, s, pixel)
		}
	}
}

func (r *renderer) mote(frame *grade.Frame, s air.Speck, pixel float64) {
	to := s.At.Sub(r.camera.Eye)
	distance, depth := to.Len(), to.Dot(r.cam.Pose.Forward())
	if depth < 0.05 {
		return
	}
	v, ok := r.toward(to.Mul(1 / distance))
	if !ok {
		return
	}
	spread := s.SizeM / depth / pixel / 4 // two deviations each way are its diameter
	nits := s.Nits.Scale(min(1, spread*spread/(leastSpread*leastSpread)) * (1 - r.hidden(v, distance)))
	dot(frame, v, distance, min(max(spread, leastSpread), 40), nits)
}

// toward is the ray of a direction and its place in the picture, which may lie
// beyond its rim; false where it is behind the camera.
func (r *renderer) toward(dir geom.Vec3) (*view, bool) {
	p := r.cam.Pose.Rotation.Inverse().Rotate(dir)
	if p[2] >= -1e-6 {
		return nil, false
	}
	w, h := float64(r.o.Width), float64(r.o.Height)
	return &view{(p[0]/-p[2]/r.camera.TanHalf*h/w + 1) / 2 * w, (1 - p[1]/-p[2]/r.camera.TanHalf) / 2 * h, dir}, true
}

// dot adds a Gaussian to a frame where nothing stands before it.
func dot(frame *grade.Frame, v *view, distance, spread float64, nits color.Linear) {
	reach := math.Ceil(3 * spread)
	for j := max(int(v.y-reach), 0); j <= min(int(v.y+reach), frame.Height-1); j++ {
		for i := max(int(v.x-reach), 0); i <= min(int(v.x+reach), frame.Width-1); i++ {
			if float64(frame.Depth[j*frame.Width+i]) < min(distance, far)*(1-1e-6) {
				continue
			}
			dx, dy := float64(i)+0.5-v.x, float64(j)+0.5-v.y
			if d2 := (dx*dx + dy*dy) / (spread * spread); d2 < 9 {
				frame.Set(i, j, frame.At(i, j).Add(nits.Scale(math.Exp(-d2/2))))
			}
		}
	}
}
