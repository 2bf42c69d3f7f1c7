package rest

import (
	"bytes"
	"context"
	"encoding/binary"

	"github.com/danielgtaylor/huma/v2"

	"grotta/api"
	"grotta/core/color"
	"grotta/core/half"
	"grotta/core/level"
	"grotta/core/mirror"
	"grotta/core/source"
)

// mirrorsHeader begins what the console mirrors.
type mirrorsHeader struct {
	Width     int           `json:"width"`  // of the sharpest step, in texels
	Steps     int           `json:"steps"`  // each half as wide as the one before
	Height    int           `json:"height"` // of all steps of a place, one below the other
	Places    []mirrorPlace `json:"places"`
	TableSide int           `json:"table_side"`
	Lamps     []mirrorLamp  `json:"lamps"`
}

// mirrorLamp is a light, the sun or the moon as mirrors show it.
type mirrorLamp struct {
	ID       string     `json:"id"`
	At       level.Vec  `json:"at"` // of the sun and the moon the direction toward it
	Parallel bool       `json:"parallel"`
	Radius   float64    `json:"radius"`
	Aim      level.Vec  `json:"aim"`
	Cosines  [2]float64 `json:"cosines"` // where a spot begins to fade and where it ends
	Range    float64    `json:"range"`
	Candela  [3]float64 `json:"candela"` // lux for the sun and the moon
}

type mirrorPlace struct {
	At   level.Vec `json:"at"`
	Half level.Vec `json:"half"`
}

func (s *server) registerMirrors(a huma.API, tag string) {
	op := heavy(operation("GET", "/levels/{id}/mirrors", "get-mirrors", "What a level's materials mirror", tag))
	op.Description = "By the lightmap as it is baked; what is not baked is baked at draft. Little-endian: the length of a JSON head (uint32), the head, then for each place " +
		"a picture of red, green, blue, 0 as half-floats, in nits: what is seen all round, equirectangular, the middle column north; below it the same for rougher mirrors. " +
		"Each step has the last column again before its first one, and the first after its last. At the end the table of how much a surface mirrors: 0 for a roughness of 0 to 1, " +
		"by the square root of the cosine, two half-floats each. The head has the width of the sharpest step, the number of steps, the height of all, the places with half the sides of their boxes, " +
		"the side of the table, and the lamps that are mirrored. No places where nothing mirrors."
	op.Responses = binaryResponse("application/octet-stream")
	huma.Register(a, op, func(ctx context.Context, in *LevelPath) (*fileOut, error) {
		st, err := s.stage(ctx, in.ID, api.Variant{Air: "off"}, nil)
		if err != nil {
			return nil, err
		}
		if err := st.mirror(ctx); err != nil {
			return nil, s.problem(err)
		}
		data, err := packMirrors(st.options.Mirrors, st.level.prepared.Sources)
		if err != nil {
			return nil, s.problem(err)
		}
		return &fileOut{"application/octet-stream", "", data}, nil
	})
}

func packMirrors(set *mirror.Set, sources []source.Source) ([]byte, error) {
	h := mirrorsHeader{Places: []mirrorPlace{}, TableSide: mirror.TableSide, Lamps: []mirrorLamp{}}
	for i := range sources {
		s := &sources[i]
		if l, ok := s.Lamp(); ok && s.Weight != (color.Linear{}) {
			h.Lamps = append(h.Lamps, mirrorLamp{s.ID, level.Vec(l.At), l.Parallel, l.RadiusM, level.Vec(l.Aim), [2]float64{l.CosInner, l.CosOuter}, l.RangeM, s.Weight})
		}
	}
	if set == nil {
		set = &mirror.Set{}
	}
	h.Width, h.Steps = set.Width, set.Steps
	for k := range set.Steps {
		h.Height += set.Width >> k / 2
	}
	for _, m := range set.Maps {
		h.Places = append(h.Places, mirrorPlace{level.Vec(m.At), level.Vec(m.Half)})
	}
	head, err := headed(h)
	if err != nil {
		return nil, err
	}
	b := bytes.NewBuffer(head)
	for _, m := range set.Maps {
		_ = binary.Write(b, binary.LittleEndian, packed(mirrorPicture(m, h.Width)))
	}
	var table []float32
	for _, row := range mirror.Lobes() {
		for _, v := range row {
			table = append(table, float32(v[0]), float32(v[1]))
		}
	}
	_ = binary.Write(b, binary.LittleEndian, packed(table))
	return b.Bytes(), nil
}

// mirrorPicture lays the steps of a map out one below the other, each with a column more at both sides.
func mirrorPicture(m *mirror.Map, width int) []float32 {
	var pix []float32
	put := func(c color.Linear) {
		for _, v := range c {
			pix = append(pix, float32(min(v, 65504)))
		}
		pix = append(pix, 0)
	}
	for k, step := range m.Steps {
		w := width >> k
		for row := 0; row < len(step); row += w {
			put(step[row+w-1])
			for _, c := range step[row : row+w] {
				put(c)
			}
			for range width + 1 - w {
				put(step[row])
			}
		}
	}
	return pix
}

func packed(values []float32) []uint16 {
	out := make([]uint16, len(values))
	half.Encode(out, values, 1)
	return out
}
