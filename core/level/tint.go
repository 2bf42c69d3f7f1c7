package level

import (
	"fmt"
	"slices"

	"grotta/core/color"
)

// TintMaterials is an operation that brings the colours of some materials toward one, by a share of 0 to 1, such as all
// foliage and ground toward autumn. Each keeps its luminance, as far as its channels allow, so that the light of
// the level stays as bright.
func (l *Level) TintMaterials(materials []string, toward string, share float64) (Operation, error) {
	to, err := color.ParseHex(toward)
	if err != nil {
		return Operation{}, invalidf("/toward", "%v", err)
	}
	if !(share >= 0 && share <= 1) {
		return Operation{}, invalidf("/share", "is %v; 0 to 1 is allowed", share)
	}
	if to.Luminance() <= 0 {
		return Operation{}, invalidf("/toward", "is black, which tints nothing")
	}
	var steps []Operation
	for i, id := range materials {
		at := slices.IndexFunc(l.Materials, func(m *Material) bool { return m.ID == id })
		if at < 0 {
			return Operation{}, invalidf(fmt.Sprintf("/materials/%d", i), "is %q; the level has no such material", id)
		}
		was := mustHex(l.Materials[at].Color)
		mixed := was.Scale(1 - share).Add(to.Scale(share * was.Luminance() / to.Luminance()))
		for c := range mixed {
			mixed[c] = min(mixed[c], 1)
		}
		steps = append(steps, Set(id, map[string]any{"color": mixed.Hex()}))
	}
	return Batch("Tint materials", steps...), nil
}
