package air

import (
	"math"

	"grotta/core/color"
	"grotta/core/geom"
	"grotta/core/level"
)

// Emitter is a cloud of motes made ready. Each mote's place at a time follows
// from its number alone.
type Emitter struct {
	ID     string       `json:"id"`
	Source string       `json:"source,omitzero" doc:"Id of the light whose colour they take."`
	At     geom.Vec3    `json:"at"`
	Right  geom.Vec3    `json:"right"`
	Up     geom.Vec3    `json:"up"`
	Axis   geom.Vec3    `json:"axis"`
	Form   string       `json:"form" enum:"box,cone,shaft"`
	Size   geom.Vec3    `json:"size"`
	RateHz float64      `json:"rate_hz"`
	LifeS  float64      `json:"life_s"`
	Drift  geom.Vec3    `json:"drift" doc:"By the wind, metres a second."`
	Nits   float64      `json:"nits" doc:"Of the brightest, times the colour."`
	Color  color.Linear `json:"color"`
	EdgeM  float64      `json:"edge_m"`
	Trail  int          `json:"trail" doc:"Dots that a mote is drawn by, one behind the other: more than 1 for rain."`
	SwayM  float64      `json:"sway_m" doc:"How far motes swing to each side, metres."`
	SwayS  float64      `json:"sway_s" doc:"Seconds of a swing."`
	Steady bool         `json:"steady" doc:"They do not come and go over their life."`
	Motes  []Mote       `json:"motes"`
}

// Mote is one speck, in its emitter's axes.
type Mote struct {
	Start    geom.Vec3 `json:"start" doc:"Where it appears: right, up, along; metres from the emitter."`
	Velocity geom.Vec3 `json:"velocity" doc:"Metres a second, in the emitter's axes."`
	SizeM    float64   `json:"size_m"`
	BornS    float64   `json:"born_s" doc:"When it first appears; it appears again after every life."`
	EndS     float64   `json:"end_s" doc:"How old it is when it meets a surface; the emitter's life where it meets none."`
	Turn     float64   `json:"turn" doc:"Where in its swing it begins, 0 to 1."`
}

func emitterOf(l *level.Level, w *level.World, m *level.Motes) Emitter {
	pose := w.Pose(&m.Entity)
	own := m.Color
	e := Emitter{
		ID: m.ID, Source: m.ColorFrom, At: pose.Position, Axis: pose.Forward(),
		Right: pose.Rotation.Rotate(geom.Vec3{1, 0, 0}), Up: pose.Rotation.Rotate(geom.Vec3{0, 1, 0}),
		Form: m.Form, Size: geom.Vec3(m.Size), RateHz: m.RateHz, LifeS: m.Life(), Drift: Wind(l).Mul(m.WindShare),
		Nits: m.Luminance * m.Opacity, Color: l.Tint(own, m.ColorFrom), EdgeM: m.EdgeM, Trail: 1, SwayS: 1, Motes: []Mote{},
	}
	fall, fallsDown := falls[m.Falls]
	if fallsDown {
		e.Trail, e.SwayM, e.SwayS, e.Steady = fall.trail, fall.swayM, fall.swayS, true
	}
	down := geom.Vec3{e.Right[1], e.Up[1], e.Axis[1]}.Mul(-m.FallMps()) // in the emitter's axes
	for i := range int(math.Ceil(m.RateHz * e.LifeS)) {
		r := numbers(m.ID, i)
		start := geom.Vec3{(r[0] - 0.5) * e.Size[0], (r[1] - 0.5) * e.Size[1], r[2] * e.Size[2]}
		switch m.Form {
		case "box":
			start[2] -= e.Size[2] / 2
		case "cone": // evenly by volume
			along := math.Cbrt(r[2])
			radius, turn := math.Sqrt(r[0])*along*e.Size[0]/2, 2*math.Pi*r[1]
			start = geom.Vec3{radius * math.Cos(turn), radius * math.Sin(turn), along * e.Size[2]}
		}
		height, turn := 2*r[3]-1, 2*math.Pi*r[4]
		flat := math.Sqrt(1 - height*height)
		if fallsDown {
			start[1] = e.Size[1] / 2
		}
		e.Motes = append(e.Motes, Mote{
			Start: start, EndS: e.LifeS, Turn: r[7],
			Velocity: down.Mul(level.SlowestFall + 2*(1-level.SlowestFall)*r[5]).Add(geom.Vec3{flat * math.Cos(turn), height, flat * math.Sin(turn)}.Mul(m.SpeedMps * (0.5 + r[5]))),
			SizeM:    m.SizeMinM + (m.SizeMaxM-m.SizeMinM)*r[6],
			BornS:    float64(i) / max(m.RateHz, 1e-9),
		})
	}
	return e
}

// falls are how what comes down is drawn: dots of a streak, and how it swings.
var falls = map[string]struct {
	trail        int
	swayM, swayS float64
}{"rain": {8, 0, 1}, "snow": {1, 0.12, 2.2}, "leaves": {1, 0.35, 1.6}}

// trailStepS is how long ago a streak's next dot was where the drop is: together an exposure of 1/60 s.
const trailStepS = 1.0 / 480

// Stop ends motes that fall where they meet a surface. meets is how far a ray goes until it does.
func (e *Emitter) Stop(meets func(from, dir geom.Vec3, far float64) (distance float64, ok bool)) {
	if !e.Steady {
		return
	}
	for i := range e.Motes {
		m := &e.Motes[i]
		moves := e.world(m.Velocity).Add(e.Drift)
		speed := moves.Len()
		if d, ok := meets(e.At.Add(e.world(m.Start)), moves.Mul(1/speed), speed*e.LifeS); ok {
			m.EndS = d / speed
		}
	}
}

// world turns a vector out of the emitter's axes.
func (e *Emitter) world(v geom.Vec3) geom.Vec3 {
	return e.Right.Mul(v[0]).Add(e.Up.Mul(v[1])).Add(e.Axis.Mul(v[2]))
}

// numbers are eight even random numbers in [0, 1) for one mote: SplitMix64
// (Steele, Lea and Flood, 2014) from a hash of its emitter's id and its number.
func numbers(id string, index int) (out [8]float64) {
	state := uint64(14695981039346656037) // FNV-1a
	for i := range len(id) {
		state = (state ^ uint64(id[i])) * 1099511628211
	}
	state += uint64(index) * 0xd1342543de82ef95
	for i := range out {
		state += 0x9e3779b97f4a7c15
		z := state
		z = (z ^ z>>30) * 0xbf58476d1ce4e5b9
		z = (z ^ z>>27) * 0x94d049bb133111eb
		out[i] = float64((z^z>>31)>>11) / (1 << 53)
	}
	return out
}

// Speck is a mote or a star as it is drawn: a soft dot.
type Speck struct {
	At    geom.Vec3 // a place; of a star, a direction
	SizeM float64   // diameter; of a star 0
	Nits  color.Linear
}

// Specks are the motes at a time. A mote comes and goes over its life, as
// sin²(π age), unless it is steady, and fades where it nears its volume's border.
func (e *Emitter) Specks(seconds float64) []Speck {
	var all []Speck
	for i := range e.Motes {
		m := &e.Motes[i]
		age := math.Mod(math.Mod(seconds-m.BornS, e.LifeS)+e.LifeS, e.LifeS)
		for range e.Trail {
			if s, ok := e.speck(m, age); ok {
				all = append(all, s)
			}
			age -= trailStepS
		}
	}
	return all
}

func (e *Emitter) speck(m *Mote, age float64) (Speck, bool) {
	if age < 0 || age > m.EndS {
		return Speck{}, false
	}
	off := e.world(m.Start.Add(m.Velocity.Mul(age))).Add(e.Drift.Mul(age))
	strength := e.Nits / float64(e.Trail)
	if e.Steady {
		swing := e.SwayM * math.Sin(2*math.Pi*(age/e.SwayS+m.Turn))
		off = off.Add(e.Right.Mul(swing)).Add(e.Axis.Mul(0.6 * swing))
	} else {
		sin := math.Sin(math.Pi * age / e.LifeS)
		strength *= sin * sin
	}
	strength *= smoothstep(0, e.EdgeM, e.depth(geom.Vec3{off.Dot(e.Right), off.Dot(e.Up), off.Dot(e.Axis)}))
	return Speck{e.At.Add(off), m.SizeM, e.Color.Scale(strength)}, strength > 0
}

// depth is how far inside the border a place is, in metres; under 0 outside.
func (e *Emitter) depth(p geom.Vec3) float64 {
	half := e.Size.Mul(0.5)
	switch e.Form {
	case "box":
		return min(half[0]-math.Abs(p[0]), half[1]-math.Abs(p[1]), half[2]-math.Abs(p[2]))
	case "cone":
		wide := half[0] * p[2] / e.Size[2]
		return min(wide-math.Hypot(p[0], p[1]), p[2], e.Size[2]-p[2])
	}
	return min(half[0]-math.Abs(p[0]), half[1]-math.Abs(p[1]), p[2], e.Size[2]-p[2])
}
