package store

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm"

	"grotta/api"
	"grotta/core/level"
	"grotta/core/preset"
	"grotta/demo"
)

// manyPresets fills a store with presets that everybody may see, made of words as people use them.
func manyPresets(b *testing.B, count int) (*Store, Asker) {
	s, err := Open(b.TempDir())
	require.NoError(b, err)
	b.Cleanup(func() { s.Close() })
	require.NoError(b, s.AddUser("maren", "salt-marsh-light"))
	maren := asker(b, s, "maren")
	words := []string{"dusk", "coast", "fog", "low", "warm", "lamp", "hall", "cave", "rain", "dawn", "street", "neon", "calm", "storm", "cellar", "yard", "mill", "tram", "harbour", "moor"}
	random := rand.New(rand.NewPCG(1, 2))
	word := func() string { return words[random.IntN(len(words))] }
	p := preset.FromLook(demo.Room())
	body, err := level.Encode(p)
	require.NoError(b, err)
	require.NoError(b, s.change(func(tx *gorm.DB) error {
		for i := range count {
			name := fmt.Sprintf("%s-%s-%d", word(), word(), i)
			now := noon.Add(time.Duration(i) * time.Second)
			row := presetRow{ID: fmt.Sprintf("p%d", i), OwnerID: maren.ID, Name: name, Kind: []string{preset.Rig, preset.Mood, preset.Look}[i%3], Number: i + 1, Last: 1, Changed: &now, Taken: random.IntN(500)}
			if err := tx.Omit("Owner").Create(&row).Error; err != nil {
				return err
			}
			tags := fmt.Sprintf(`["%s","%s"]`, words[i%20], words[(i/20)%20])
			v := presetVersion{PresetID: row.ID, Version: 1, Hash: name, Body: body, Tags: tags, Note: word() + " " + word() + " for a " + word(), AuthorID: maren.ID, Created: now}
			if err := tx.Omit("Author", "Preset").Create(&v).Error; err != nil {
				return err
			}
			if err := tx.Omit("Preset").Create(&presetShare{PresetID: row.ID}).Error; err != nil {
				return err
			}
			if err := indexPreset(tx, &row, &v, "maren", p, nil); err != nil {
				return err
			}
		}
		return nil
	}))
	require.NoError(b, s.AddUser("ivo", "salt-marsh-light"))
	return s, asker(b, s, "ivo")
}

// The first page of a search among a hundred thousand presets that others share.
func BenchmarkFindPresets(b *testing.B) {
	s, ivo := manyPresets(b, 100_000)
	for name, want := range map[string]api.PresetSearch{
		"newest":         {},
		"most-taken":     {Sort: "taken"},
		"two-words":      {Words: "fog harbour"},
		"a-common-word":  {Words: "dusk"},
		"a-beginning":    {Words: "sto"},
		"two-tags":       {Tags: []string{"dusk", "coast"}},
		"words-and-kind": {Words: "lamp", Kinds: []string{"rig"}},
		"nothing":        {Words: "zeppelin"},
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				_, err := s.FindPresets(ivo, want)
				require.NoError(b, err)
			}
		})
	}
}

// A rig of many lights is put into a level as one change.
func BenchmarkApplyPreset(b *testing.B) {
	for _, lights := range []int{500, 6000} {
		b.Run(fmt.Sprint(lights), func(b *testing.B) {
			s, err := Open(b.TempDir())
			require.NoError(b, err)
			defer s.Close()
			require.NoError(b, s.AddUser("maren", "salt-marsh-light"))
			maren := asker(b, s, "maren")
			l := level.New("many")
			rig := level.Default[level.Rig]()
			rig.ID = "many"
			l.Rigs = []*level.Rig{&rig}
			for i := range lights {
				light := level.NewLight(fmt.Sprintf("many-%d", i), level.Point)
				light.Rig, light.Transform.Position = "many", level.Vec{float64(i % 100), 2, float64(i / 100)}
				l.Lights = append(l.Lights, light)
			}
			p, err := preset.FromRig(l, "many")
			require.NoError(b, err)
			_, err = s.SavePreset(maren, api.NewPreset{Name: "many"}, p)
			require.NoError(b, err)
			info, err := s.CreateLevel(maren, demo.Room(), "room")
			require.NoError(b, err)
			for b.Loop() {
				_, err := s.ApplyPreset(b.Context(), maren, info.ID, "maren", "many", 0, preset.Place{At: &level.Vec{}}, 0)
				require.NoError(b, err)
				b.StopTimer()
				_, err = s.Undo(b.Context(), maren, info.ID)
				require.NoError(b, err)
				b.StartTimer()
			}
		})
	}
}
