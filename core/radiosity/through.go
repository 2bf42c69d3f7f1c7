package radiosity

// Translucent surfaces: what comes to a patch on one side of a mesh leaves in part on the other.

// pair is a translucent patch with the patch on its other side.
type pair struct {
	patch, other int32
	share        float32 // of the light on it that comes from the other side
}

// findPairs lists the translucent patches.
func (l *Links) findPairs() {
	if !l.m.HasTranslucent() {
		return
	}
	l.otherOf = map[int32]int32{}
	for k, first := range l.first {
		share := l.m.Translucency(int(first))
		if share == 0 {
			continue
		}
		p := pair{int32(k), -1, float32(share)}
		if twin := l.m.OtherSide(int(first)); twin >= 0 {
			p.other = l.patchOf(int(twin))
		}
		l.pairs, l.otherOf[p.patch] = append(l.pairs, p), p.other
	}
}

// patchOf is the patch of a texel.
func (l *Links) patchOf(texel int) int32 {
	chart := l.m.ChartOf(texel)
	x, y := l.m.PlaceOf(&l.m.Layout.Charts[chart], texel)
	patch, _ := l.PatchAt(l.Grid(chart), x, y)
	return patch
}

// Behind is the patch on the other side of a texel, or -1, and the share of the texel's light that
// comes from there.
func (l *Links) Behind(texel int) (patch int, share float32) {
	if l.otherOf == nil {
		return -1, 0
	}
	share = float32(l.m.Translucency(texel))
	if share == 0 {
		return -1, 0
	}
	return int(l.otherOf[l.patchOf(texel)]), share
}

// through lets the light on translucent patches through. What of it is in the list already is given
// by a function; nil for nothing.
func (l *Links) through(light [][4]float32, already func(patch int32, c int) float32) {
	if len(l.pairs) == 0 {
		return
	}
	passes := func(patch int32, c int) float32 {
		if patch < 0 {
			return 0
		}
		v := light[patch][c]
		if already != nil {
			v -= already(patch, c)
		}
		return v
	}
	more := make([][4]float32, len(l.pairs))
	for i, p := range l.pairs {
		for c := range 4 {
			more[i][c] = p.share * (passes(p.other, c) - passes(p.patch, c))
		}
	}
	for i, p := range l.pairs {
		for c := range 4 {
			light[p.patch][c] += more[i][c]
		}
	}
}
