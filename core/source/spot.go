package source

import (
	"fmt"
	"math"

	"grotta/core/color"
	"grotta/core/digest"
	"grotta/core/geom"
	"grotta/core/level"
	"grotta/core/picture"
	"grotta/core/scene"
)

// spot is a cone of light, which may project an image.
type spot struct {
	ball
	gobo     *picture.Picture // nil for none
	settings goboSettings
}

func newSpot(s shape, light *level.Light, pose geom.Pose, l *level.Level) kind {
	k := &spot{}
	s.CosInner, s.CosOuter = math.Cos(light.InnerDeg*math.Pi/180), math.Cos(light.OuterDeg*math.Pi/180)
	if g := light.Gobo; g != nil {
		image := l.Image(g.Image)
		k.gobo = image.Picture()
		k.settings = goboSettings{g.FovDeg, g.FocusM, g.Blur, g.Spill}
		s.Right, s.Up = across(pose)
		s.Gobo = digest.New("gobo", digestVersion).Sum256(digest.Bytes(image.Data)).Float(g.FovDeg, g.FocusM, g.Blur, g.Spill).Sum()
	}
	k.profile = profileOf(&s, light, pose, l)
	k.shape = s
	return k
}

// unblocked is a point's light times ((cos - cos outer) / (cos inner - cos outer))²
// clamped (KHR_lights_punctual).
func (s *spot) unblocked(p, n geom.Vec3) (arrival, bool) {
	a, ok := s.arrive(p, n)
	if !ok {
		return a, false
	}
	a.lux *= s.fading(-a.toward.Dot(s.Aim)) * s.share(a.toward.Mul(-1))
	if s.gobo != nil && a.lux > 0 {
		a.tint = s.projected(p)
	}
	return a, a.lux > 0
}

func (s *spot) light(sc *scene.Scene, r Receiver, e Effort, turn float64) got {
	return cast(s, sc, r, e, turn)
}

// isFine holds where the edge of a narrow or hard cone crosses a texel, and where the pixels of a
// gobo are smaller than the texel.
func (s *spot) isFine(r *Receiver, half float64) bool {
	to := r.Point.Sub(s.Position)
	d := max(to.Len(), 1e-6)
	angle, size := math.Acos(max(-1, min(1, to.Dot(s.Aim)/d))), half/d
	outer, inner := math.Acos(s.CosOuter), math.Acos(s.CosInner)
	if angle-size > outer {
		return false
	}
	if s.gobo != nil {
		pixel := 2 * math.Tan(s.settings.fovDeg/2*math.Pi/180) / float64(max(s.gobo.Width, s.gobo.Height))
		return pixel < 2*size
	}
	return outer < 4*size || outer-inner < 2*size && angle+size > inner
}

// fading is the falloff toward the edge of the cone, by the cosine of the angle to its axis.
func (s *spot) fading(cos float64) float64 {
	scale := 1 / max(0.001, s.CosInner-s.CosOuter)
	a := min(max((cos-s.CosOuter)*scale, 0), 1)
	return a * a
}

// Cone is what a spot shines into: the place and direction of its axis, and the cosine of its outer
// angle. Other sources have none.
func (s *Source) Cone() (at, aim geom.Vec3, cosOuter float64, ok bool) {
	k, ok := s.kind.(*spot)
	if !ok {
		return at, aim, 0, false
	}
	return k.Position, k.Aim, k.CosOuter, true
}

func (s *spot) whyNothing(r Receiver) string {
	to := s.Position.Sub(r.Point)
	angle := math.Acos(max(-1, min(1, -s.Aim.Dot(to)/to.Len()))) * 180 / math.Pi
	return s.whyFar(r, fmt.Sprintf("the point is %.1f degrees off its axis, outside its cone", angle))
}

// goboSettings are a gobo's, beside its image.
type goboSettings struct{ fovDeg, focusM, blur, spill float64 }

// projected is the colour that a gobo lets through toward a point: the image on
// a plane square to the axis, averaged over a square that grows with the distance
// from the focus, and the share that spills past it.
func (s *spot) projected(p geom.Vec3) color.Linear {
	g := s.settings
	to := p.Sub(s.Position)
	depth := to.Dot(s.Aim)
	spilt := color.White.Scale(g.spill)
	if depth <= 0 {
		return spilt
	}
	half := depth * math.Tan(g.fovDeg/2*math.Pi/180)
	u, v := 0.5+to.Dot(s.Right)/(2*half), 0.5-to.Dot(s.Up)/(2*half)
	if u < 0 || u > 1 || v < 0 || v > 1 {
		return spilt
	}
	size := 0.0
	if g.focusM > 0 {
		size = g.blur * min(1, math.Abs(depth-g.focusM)/g.focusM)
	}
	const side = 5
	var sum color.Linear
	for i := range side * side {
		du, dv := (float64(i%side)/(side-1)-0.5)*size, (float64(i/side)/(side-1)-0.5)*size
		sum = sum.Add(s.gobo.At(min(max(u+du, 0), 0.999999), min(max(v+dv, 0), 0.999999)))
		if size == 0 {
			return sum.Scale(1 - g.spill).Add(spilt)
		}
	}
	return sum.Scale((1 - g.spill) / (side * side)).Add(spilt)
}
