// Package sampling spreads samples: pseudorandom turns that depend on nothing but what
// they are asked for, low-discrepancy points, and directions over a hemisphere. It knows
// nothing of light.
package sampling

import (
	"cmp"
	"math"
	"slices"

	"grotta/core/geom"
)

// Turn is an angle in [0, 2π) that depends on the seed and a number alone.
func Turn(seed, number uint64) float64 {
	return float64(scramble(seed+number*0x9e3779b97f4a7c15)>>11) / (1 << 53) * 2 * math.Pi
}

// TurnAt is Turn for a place in the level, in metres. Places that differ by a bit have
// turns that have nothing to do with each other.
func TurnAt(seed uint64, place [3]float32) float64 {
	var x uint64
	for _, at := range place {
		x = scramble(x + uint64(math.Float32bits(at+0)) + 0x9e3779b97f4a7c15) // -0 + 0 is 0
	}
	return Turn(seed, x)
}

// scramble is the finaliser of splitmix64 (Steele, Lea and Flood, "Fast splittable
// pseudorandom number generators", 2014).
func scramble(x uint64) uint64 {
	x = (x ^ x>>30) * 0xbf58476d1ce4e5b9
	x = (x ^ x>>27) * 0x94d049bb133111eb
	return x ^ x>>31
}

// Pair is point i of n of a Hammersley set over the unit square, shifted about
// itself by a turn of 0 to 2π, so that neighbours do not share their errors.
func Pair(i, n int, turn float64) (u, v float64) {
	su, sv := Shifts(turn)
	_, u = math.Modf((float64(i)+0.5)/float64(n) + su)
	_, v = math.Modf(radicalInverse(uint32(i)) + sv)
	return u, v
}

// Shifts makes two numbers of [0, 1) from a turn of 0 to 2π; its low bits decide
// the second.
func Shifts(turn float64) (u, v float64) {
	u = turn / (2 * math.Pi)
	_, v = math.Modf(u * 40503)
	return u, v
}

// radicalInverse mirrors the bits of i at the point (van der Corput, 1935).
func radicalInverse(i uint32) float64 {
	i = i<<16 | i>>16
	i = i&0x55555555<<1 | i&0xaaaaaaaa>>1
	i = i&0x33333333<<2 | i&0xcccccccc>>2
	i = i&0x0f0f0f0f<<4 | i&0xf0f0f0f0>>4
	i = i&0x00ff00ff<<8 | i&0xff00ff00>>8
	return float64(i) / (1 << 32)
}

const golden = 2.399963229728653 // radians

// spiral is the sines and cosines of the first golden angles.
var spiral = func() (all [256][2]float64) {
	for i := range all {
		all[i][0], all[i][1] = math.Sincos(float64(i) * golden)
	}
	return all
}()

// Spiral is the sine and cosine of angle i of a sunflower spiral (Vogel, 1979): the
// golden angle, i times.
func Spiral(i int) (sin, cos float64) {
	if i < len(spiral) {
		return spiral[i][0], spiral[i][1]
	}
	return math.Sincos(float64(i) * golden)
}

// Frame is a normal and two axes across it, all of unit length.
type Frame struct{ U, V, N geom.Vec3 }

// FrameOf chooses the axes of a normal.
func FrameOf(n geom.Vec3) Frame {
	u, v := geom.Axes(n)
	return Frame{u, v, n}
}

// Toward is a direction about z as one about the normal. It is written out, as it is
// done for every ray.
func (f *Frame) Toward(d *geom.Vec3) geom.Vec3 {
	x, y, z := d[0], d[1], d[2]
	return geom.Vec3{
		f.U[0]*x + f.V[0]*y + f.N[0]*z,
		f.U[1]*x + f.V[1]*y + f.N[1]*z,
		f.U[2]*x + f.V[2]*y + f.N[2]*z,
	}
}

// CosineDirection spreads the unit square over the hemisphere about n, by the
// cosine. u and v are axes across n.
func CosineDirection(n, u, v geom.Vec3, a, b float64) geom.Vec3 {
	sin, cos := math.Sincos(2 * math.Pi * b)
	r := math.Sqrt(a)
	return u.Mul(r * cos).Add(v.Mul(r * sin)).Add(n.Mul(math.Sqrt(max(0, 1-a))))
}

// fans is how many patterns there are of one number of rays, so that neighbours differ.
const fans = 64

// Fans are ready patterns of rays over the hemisphere about z, by the cosine.
type Fans [fans][]geom.Vec3

const fanSeed = 0x66616e

// NewFans makes the patterns of so many rays.
func NewFans(rays int) *Fans {
	all := &Fans{}
	for k := range all {
		turn := Turn(fanSeed, uint64(k))
		for i := range rays {
			a, b := Pair(i, rays, turn)
			all[k] = append(all[k], CosineDirection(geom.Vec3{0, 0, 1}, geom.Vec3{1, 0, 0}, geom.Vec3{0, 1, 0}, a, b))
		}
		slices.SortFunc(all[k], func(a, b geom.Vec3) int { return cmp.Compare(morton(a), morton(b)) })
	}
	return all
}

// Of is the pattern that a turn of 0 to 2π chooses.
func (f *Fans) Of(turn float64) []geom.Vec3 { return f[int(turn/(2*math.Pi)*fans)%fans] }

// morton numbers the directions about z along a curve, on which neighbours are
// mostly near (Morton, 1966): rays that run alike are traced faster.
func morton(d geom.Vec3) (code uint32) {
	x, y := uint32((d[0]+1)*127), uint32((d[1]+1)*127)
	for bit := range 8 {
		code |= (x>>bit&1)<<(2*bit) | (y>>bit&1)<<(2*bit+1)
	}
	return code
}

// Evenly is at most so many of a list, spread over it.
func Evenly[T any](list []T, most int) []T {
	n := min(most, len(list))
	out := make([]T, n)
	for i := range n {
		out[i] = list[(2*i+1)*len(list)/(2*n)]
	}
	return out
}
