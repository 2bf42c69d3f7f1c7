package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// ReadyBeam is a beam ready to be drawn: a cone from its apex, or a shaft of constant width.
type ReadyBeam struct {
	ID      string       `json:"id"`
	Source  string       `json:"source,omitzero" doc:"Id of the light that it follows."`
	At      geom.Vec3    `json:"at"`
	Axis    geom.Vec3    `json:"axis"`
	Right   geom.Vec3    `json:"right"`
	Up      geom.Vec3    `json:"up"`
	Shaft   bool         `json:"shaft"`
	TanHalf float64      `json:"tan_half" doc:"cone: tangent from its axis to its rim."`
	Half    [2]float64   `json:"half" doc:"shaft: half its breadths along right and up, metres."`
	StartM  float64      `json:"start_m"`
	LengthM float64      `json:"length_m"`
	Nits    float64      `json:"nits" doc:"That a metre adds at its start, times the colour."`
	Color   color.Linear `json:"color"`
	Falloff float64      `json:"falloff"`
	Facing  float64      `json:"facing"`
}

func beamOf(l *level.Level, w *level.World, b *level.Beam) ReadyBeam {
	pose := w.Pose(&b.Entity)
	out := ReadyBeam{
		ID: b.ID, Source: b.Light, Shaft: b.Form == "shaft", TanHalf: math.Tan(b.AngleDeg * math.Pi / 180),
		Half: [2]float64{b.WidthM / 2, b.HeightM / 2}, StartM: b.StartM, LengthM: b.LengthM,
		Nits: b.Luminance * b.Opacity, Color: l.Tint(b.Color, b.Light), Falloff: b.Falloff, Facing: b.Facing,
	}
	if light := l.Light(b.Light); light != nil {
		pose = w.Pose(&light.Entity)
		switch light.Kind {
		case level.Spot:
			out.TanHalf = math.Tan(light.OuterDeg * math.Pi / 180)
		case level.BoxLight, level.Rect:
			out.Half = [2]float64{light.WidthM / 2, light.HeightM / 2}
		}
	}
	out.TanHalf *= b.Width
	out.Half[0], out.Half[1] = out.Half[0]*b.Width, out.Half[1]*b.Width
	out.At, out.Axis = pose.Position, pose.Forward()
	out.Right, out.Up = pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), pose.Rotation.Rotate(geom.Vec3{0, 1, 0})
	return out
}

// beamSteps is how many places along a ray a beam is looked at.
const beamSteps = 16

// Along is what a beam adds to a ray up to a distance, before fog, and about how
// far along that is. It is the integral over the ray's way inside of
//
//	(1 - s)^falloff (1 - r²)²
//
// times its nits and how it is faced, where s is the share of its length and r
// that of its radius.
func (b *ReadyBeam) Along(from, dir geom.Vec3, distance float64) (nits color.Linear, depth float64) {
	if b.Nits == 0 || b.Color == (color.Linear{}) {
		return color.Linear{}, 0
	}
	t0, t1 := b.span(from, dir, distance)
	if t1 <= t0 {
		return color.Linear{}, 0
	}
	step := (t1 - t0) / beamSteps
	sum, at := 0.0, 0.0
	for i := range beamSteps {
		t := t0 + (float64(i)+0.5)*step
		w := b.weight(from.Add(dir.Mul(t)).Sub(b.At))
		sum += w
		at += w * t
	}
	if sum == 0 {
		return color.Linear{}, 0
	}
	return b.Color.Scale(b.Nits * sum * step * b.facing(dir)), at / sum
}

// facing is 1 from the side, up to 2^Facing looked into, 0 from behind.
func (b *ReadyBeam) facing(dir geom.Vec3) float64 {
	return math.Pow(max(0, 1-dir.Dot(b.Axis)), b.Facing)
}

// weight is how bright the beam is at a place, given from its start.
func (b *ReadyBeam) weight(p geom.Vec3) float64 {
	along := p.Dot(b.Axis)
	s := (along - b.StartM) / b.LengthM
	if s <= 0 || s >= 1 {
		return 0
	}
	r := 0.0
	if b.Shaft {
		x, y := math.Abs(p.Dot(b.Right))/b.Half[0], math.Abs(p.Dot(b.Up))/b.Half[1]
		r = max(x, y)
	} else {
		r = p.Sub(b.Axis.Mul(along)).Len() / max(along*b.TanHalf, 1e-6)
	}
	if r >= 1 {
		return 0
	}
	edge := 1 - r*r
	return math.Pow(1-s, b.Falloff) * edge * edge
}

// span bounds where a ray can be inside: a box round the beam in its own axes.
func (b *ReadyBeam) span(from, dir geom.Vec3, distance float64) (float64, float64) {
	end := b.StartM + b.LengthM
	half := b.Half
	if !b.Shaft {
		half = [2]float64{end * b.TanHalf, end * b.TanHalf}
	}
	off := from.Sub(b.At)
	local := func(v geom.Vec3) geom.Vec3 { return geom.Vec3{v.Dot(b.Right), v.Dot(b.Up), v.Dot(b.Axis)} }
	ownFrom, ownDir := local(off), local(dir)
	t0, t1 := span(&geom.Vec3{-half[0], -half[1], b.StartM}, &geom.Vec3{half[0], half[1], end}, &ownFrom, &ownDir, distance)
	if b.Shaft || t1 <= t0 {
		return t0, t1
	}
	// The cone: |p|² - (p·axis)² = (tan p·axis)², a quadratic along the ray.
	k := 1 + b.TanHalf*b.TanHalf
	oa, da := off.Dot(b.Axis), dir.Dot(b.Axis)
	qa, qb, qc := 1-k*da*da, off.Dot(dir)-k*oa*da, off.Dot(off)-k*oa*oa
	root := qb*qb - qa*qc
	if math.Abs(qa) < 1e-9 {
		return t0, t1
	}
	if root <= 0 {
		if qa > 0 {
			return 0, 0 // it misses the cone
		}
		return t0, t1
	}
	root = math.Sqrt(root)
	x, y := (-qb-root)/qa, (-qb+root)/qa
	if qa > 0 { // between the roots it is inside
		return max(t0, x), min(t1, y)
	}
	// Outside the roots: inside lies the part that is ahead of the apex.
	if x, y = min(x, y), max(x, y); da > 0 {
		return max(t0, y), t1
	}
	return t0, min(t1, x)
}
