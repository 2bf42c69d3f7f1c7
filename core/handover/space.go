package handover

import (
	"math"

	"grotta/core/geom"
)

// space takes places and directions from the level's axes to the target's and back.
type space struct {
	unitM float64
	axis  [3]int     // of the level, for each axis of the target
	sign  [3]float64 // its direction
}

func newSpace(s *Frame) (space, error) {
	out := space{unitM: s.UnitM}
	if len(s.Axes) != 3 {
		return out, fault("/space/axes", "has %d entries; three are needed, such as [x, -z, y]", len(s.Axes))
	}
	var used [3]bool
	for i, name := range s.Axes {
		out.sign[i] = 1
		if len(name) == 2 && (name[0] == '-' || name[0] == '+') {
			if name[0] == '-' {
				out.sign[i] = -1
			}
			name = name[1:]
		}
		if len(name) != 1 || name[0] < 'x' || name[0] > 'z' {
			return out, fault("/space/axes", "has %q; x, y or z is needed, with - for the other way", s.Axes[i])
		}
		out.axis[i] = int(name[0] - 'x')
		if used[out.axis[i]] {
			return out, fault("/space/axes", "has %s twice", name)
		}
		used[out.axis[i]] = true
	}
	return out, nil
}

// out is a vector in the target's axes, in metres.
func (s *space) out(v geom.Vec3) (t geom.Vec3) {
	for i := range t {
		t[i] = s.sign[i] * v[s.axis[i]]
	}
	return t
}

// back is a vector of the target in the level's axes.
func (s *space) back(t geom.Vec3) (v geom.Vec3) {
	for i := range t {
		v[s.axis[i]] = s.sign[i] * t[i]
	}
	return v
}

// extent is a size, which has no direction, along the target's axes.
func (s *space) extent(v geom.Vec3) (t geom.Vec3) {
	for i := range t {
		t[i] = v[s.axis[i]]
	}
	return t
}

func (s *space) extentBack(t geom.Vec3) (v geom.Vec3) {
	for i := range t {
		v[s.axis[i]] = t[i]
	}
	return v
}

// Handed tells whether the target's axes are right-handed or left-handed.
func (s *Frame) Handed() string {
	own, err := newSpace(s)
	if err != nil {
		return ""
	}
	x, y, z := own.out(geom.Vec3{1, 0, 0}), own.out(geom.Vec3{0, 1, 0}), own.out(geom.Vec3{0, 0, 1})
	if x.Cross(y).Dot(z) < 0 {
		return "left"
	}
	return "right"
}

// angles are a pose's azimuth (clockwise from north, seen from above), altitude (up is positive)
// and roll (clockwise, seen along the way it looks), in degrees: the rotation is a turn by the roll
// about its own axis, then up by the altitude, then by the azimuth.
func angles(p geom.Pose) (azimuth, altitude, roll float64) {
	f := p.Forward()
	altitude = math.Asin(max(-1, min(1, f[1])))
	up := p.Rotation.Rotate(geom.Vec3{0, 1, 0})
	if math.Hypot(f[0], f[2]) < 1e-7 { // straight up or down: which way its head points
		along := up.Mul(-f[1])
		return degrees(math.Atan2(along[0], -along[2])), degrees(altitude), 0
	}
	azimuth = math.Atan2(f[0], -f[2])
	right := geom.Vec3{math.Cos(azimuth), 0, math.Sin(azimuth)}
	level := right.Cross(f)
	return degrees(azimuth), degrees(altitude), degrees(math.Atan2(up.Dot(right), up.Dot(level)))
}

// turned is the rotation of angles.
func turned(azimuth, altitude, roll float64) geom.Pose {
	a, h, r := radians(azimuth), radians(altitude), radians(roll)
	f := geom.Vec3{math.Sin(a) * math.Cos(h), math.Sin(h), -math.Cos(a) * math.Cos(h)}
	right := geom.Vec3{math.Cos(a), 0, math.Sin(a)}
	level := right.Cross(f)
	up := level.Mul(math.Cos(r)).Add(right.Mul(math.Sin(r)))
	return geom.Pose{Rotation: geom.Basis(f.Cross(up), up, f.Mul(-1))}
}

func degrees(r float64) float64 { return r * 180 / math.Pi }
func radians(d float64) float64 { return d * math.Pi / 180 }
