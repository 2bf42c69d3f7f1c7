package direct

import (
	"context"
	"slices"

	"grotta/core/lightmap"
	"grotta/core/parallel"
)

// Through lets the direct light on translucent texels through: a part of what falls on each side
// shows on the other. Every light of the list is changed.
func Through(ctx context.Context, m *lightmap.Map, lights []Light) error {
	if !m.HasTranslucent() {
		return nil
	}
	type texel struct {
		at, twin int32
		share    float32
	}
	of := make([][]texel, m.Chunks())
	var chunks []int // with translucent texels
	for i := range m.Texels.List {
		share := m.Translucency(i)
		if share == 0 {
			continue
		}
		k := i / lightmap.ChunkTexels
		if of[k] == nil {
			chunks = append(chunks, k)
		}
		of[k] = append(of[k], texel{int32(i), m.OtherSide(i), float32(share)})
	}
	return parallel.Each(ctx, len(lights), func(i int) {
		l := &lights[i]
		mixed := *l
		for c := range l {
			if l[c] != nil {
				mixed[c] = slices.Clone(l[c])
			}
		}
		var own, twin Chunk
		at := -1 // the chunk of twins that was read last
		for _, k := range chunks {
			own = Chunk{}
			if !l.IsDark(k) {
				l.Read(k, &own)
			}
			for _, t := range of[k] {
				if next := int(t.twin) / lightmap.ChunkTexels; t.twin >= 0 && next != at {
					if at, twin = next, (Chunk{}); !l.IsDark(at) {
						l.Read(at, &twin)
					}
				}
				for c := range own {
					through := float32(0)
					if t.twin >= 0 {
						through = twin[c][t.twin%lightmap.ChunkTexels]
					}
					v := &own[c][t.at%lightmap.ChunkTexels]
					*v += t.share * (through - *v)
				}
			}
			mixed.Forget(k, k+1) // what is put may be dark
			mixed.Put(k, &own)
		}
		*l = mixed
	}, nil)
}
