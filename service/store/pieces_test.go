package store

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/api"
	"grotta/core/digest"
	"grotta/core/level"
	"grotta/demo"
)

// field is a level of so many meshes, each a strip of hills of so many triangles, with lamps.
func field(meshes, triangles, lamps int) *level.Level {
	l := level.New("Field")
	for i := range meshes {
		m := level.Default[level.Mesh]()
		m.ID = fmt.Sprintf("strip-%d", i)
		for k := range triangles + 2 {
			x, z := float64(k/2), float64(k%2+i)
			m.Positions = append(m.Positions, x, math.Sin(0.1*x+z)+0.001*float64(i), z)
		}
		for k := range uint32(triangles) {
			m.Indices = append(m.Indices, k, k+1+k%2, k+2-k%2)
		}
		l.Meshes = append(l.Meshes, &m)
	}
	for i := range lamps {
		l.Lights = append(l.Lights, level.NewLight(fmt.Sprintf("lamp-%d", i), level.Point))
	}
	return l
}

func count(t testing.TB, s *Store, sql string) (n int64) {
	t.Helper()
	require.NoError(t, s.db.Raw(sql).Scan(&n).Error)
	return n
}

const (
	piecesKept  = "SELECT count(*) FROM pieces"
	bytesKept   = "SELECT coalesce(sum(bytes), 0) FROM pieces"
	piecesUsed  = "SELECT count(DISTINCT piece) FROM document_pieces"
	dangling    = "SELECT count(*) FROM document_pieces WHERE piece NOT IN (SELECT hash FROM pieces)"
	piecesAlone = "SELECT count(*) FROM pieces WHERE hash NOT IN (SELECT piece FROM document_pieces)"
)

// An edit of a lamp writes the run of lamps that it is in, and no mesh, also where the level was not
// at hand.
func TestAnEditOfALampWritesNoMesh(t *testing.T) {
	s, maren := open(t)
	l := field(40, 800, 300)
	info, err := s.CreateLevel(maren, l, "field")
	require.NoError(t, err)
	before := count(t, s, bytesKept)
	assert.Greater(t, before, int64(1_000_000))
	_, doc, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	b, err := s.NewBake(maren, info.ID, 1, "draft", map[string]string{}, 0, doc) // holds the first state
	require.NoError(t, err)
	assert.Equal(t, before, count(t, s, bytesKept), "the bake has the pieces of the level")
	for i, cold := range []bool{false, true} {
		if cold {
			s.docs.forgetAll()
		}
		_, err = s.Apply(t.Context(), maren, info.ID, level.Set("lamp-7", map[string]any{"strength": 10.0 + float64(i)}), 0)
		require.NoError(t, err)
		more := count(t, s, bytesKept) - before
		assert.Positive(t, more)
		assert.Less(t, more, int64(300_000), "lamps only")
	}
	s.docs.forgetAll()
	_, doc, err = s.Level(maren, info.ID)
	require.NoError(t, err)
	assert.Equal(t, 11.0, doc.Light("lamp-7").Strength)
	want, err := level.Encode(l.Meshes)
	require.NoError(t, err)
	got, err := level.Encode(doc.Meshes)
	require.NoError(t, err)
	assert.Equal(t, string(want), string(got))
	job, err := s.BakeForWork(b.ID)
	require.NoError(t, err)
	assert.Equal(t, l.Light("lamp-7").Strength, job.Level.Light("lamp-7").Strength)
	assert.Zero(t, count(t, s, dangling))
	assert.Zero(t, count(t, s, piecesAlone), "what nothing names is gone")
}

// A thing that is added or taken out in the middle writes one run, not all that follow.
func TestRunsHoldTheirEnds(t *testing.T) {
	l := field(0, 0, 2000)
	name := func(l *level.Level) map[string]bool {
		all := map[string]bool{}
		for _, r := range runsOf(l) {
			_, err := r.encode()
			require.NoError(t, err)
			all[r.Hash] = true
		}
		return all
	}
	first := name(l)
	assert.Greater(t, len(first), 5)
	next, _, err := l.Apply(level.Batch("", level.Remove("lamp-900"), level.Add("lights", level.NewLight("new", level.Point))))
	require.NoError(t, err)
	fresh := 0
	for hash := range name(next) {
		if !first[hash] {
			fresh++
		}
	}
	assert.LessOrEqual(t, fresh, 2)
}

// Large geometries are pieces by themselves, and the meshes that show one are small things, many to a piece.
func TestGeometriesArePieces(t *testing.T) {
	l := field(4, 800, 0)
	for i, m := range l.Meshes {
		l.Geometries = append(l.Geometries, &level.Geometry{ID: fmt.Sprintf("geometry-%d", i), Triangles: m.Triangles})
	}
	l.Meshes = nil
	for i := range 1000 {
		m := level.Default[level.Mesh]()
		m.ID, m.Geometry = fmt.Sprintf("mesh-%d", i), "geometry-1"
		l.Meshes = append(l.Meshes, &m)
	}
	require.NoError(t, l.Validate())
	runs := map[string]int{}
	for _, r := range runsOf(l) {
		runs[r.Part]++
	}
	assert.Equal(t, 4, runs["geometries"])
	assert.Less(t, runs["meshes"], 20)
	s, maren := open(t)
	info, err := s.CreateLevel(maren, l, "field")
	require.NoError(t, err)
	before := count(t, s, bytesKept)
	_, err = s.Apply(t.Context(), maren, info.ID, level.Set("geometry-2", map[string]any{"name": "Hill"}), 0)
	require.NoError(t, err)
	assert.InDelta(t, before, count(t, s, bytesKept), 100, "the others were not written")
	s.docs.forgetAll()
	_, doc, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	assert.Same(t, &doc.Geometries[1].Positions[0], &doc.Meshes[999].Positions[0])
}

// Undo comes to the pieces that were there before, though nothing named them any more.
func TestUndoFindsItsPieces(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, field(5, 2000, 3), "field")
	require.NoError(t, err)
	kept := count(t, s, piecesKept)
	_, err = s.Apply(t.Context(), maren, info.ID, level.Remove("strip-2"), 0)
	require.NoError(t, err)
	assert.Equal(t, kept-1, count(t, s, piecesKept))
	_, err = s.Undo(t.Context(), maren, info.ID)
	require.NoError(t, err)
	assert.Equal(t, kept, count(t, s, piecesKept))
	assert.Zero(t, count(t, s, dangling))
	// A document at hand may name runs that are dropped meanwhile; who stores it has them to write.
	_, doc, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	require.NoError(t, s.DeleteLevel(maren, info.ID, noon))
	require.NoError(t, s.EraseLevel(maren, info.ID))
	assert.Zero(t, count(t, s, piecesKept))
	again, err := s.CreateLevel(maren, doc, "again")
	require.NoError(t, err)
	assert.Equal(t, kept, count(t, s, piecesKept))
	s.docs.forgetAll()
	_, _, err = s.Level(maren, again.ID)
	require.NoError(t, err)
}

// What two levels have alike is kept once, and stays until both are gone.
func TestPiecesAreShared(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, field(20, 1000, 3), "field")
	require.NoError(t, err)
	kept := count(t, s, piecesKept)
	twin, err := s.CopyLevel(maren, info.ID, api.LevelCopy{Name: "Twin"})
	require.NoError(t, err)
	assert.Equal(t, kept, count(t, s, piecesKept))
	require.NoError(t, s.DeleteLevel(maren, info.ID, noon))
	require.NoError(t, s.EraseLevel(maren, info.ID))
	s.docs.forgetAll()
	_, doc, err := s.Level(maren, twin.ID)
	require.NoError(t, err)
	assert.Len(t, doc.Meshes, 20)
	assert.Equal(t, count(t, s, piecesUsed), count(t, s, piecesKept))
}

// A piece that is damaged or gone is said of the level; its other levels are read.
func TestADamagedPieceIsSaid(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, field(3, 2000, 1), "field")
	require.NoError(t, err)
	for sql, words := range map[string]string{
		"UPDATE pieces SET body = x'00' WHERE bytes > 50000": "cannot be read",
		"DELETE FROM pieces WHERE bytes > 50000":             "a piece of it, with 1 of its meshes, is not in the database",
	} {
		require.NoError(t, s.db.Exec(sql).Error)
		s.docs.forgetAll()
		info, _, err = s.Level(maren, info.ID)
		assert.ErrorIs(t, err, ErrUnreadable)
		assert.ErrorContains(t, err, words)
		assert.Contains(t, info.Fault, words)
	}
}

// A document of an earlier version, which is one text, is read, and its next edit is in pieces.
func TestAnEarlierDocumentIsReadAndChanged(t *testing.T) {
	s, maren := open(t)
	info, err := s.CreateLevel(maren, demo.Room(), "room")
	require.NoError(t, err)
	text, err := s.Text(maren, info.ID)
	require.NoError(t, err)
	require.NoError(t, s.db.Exec("DELETE FROM pieces").Error)
	require.NoError(t, s.db.Exec("DELETE FROM document_pieces").Error)
	s.docs.forgetAll()
	old := documentRow{Hash: digest.Bytes(text).String(), Body: compress(text), Bytes: len(text)}
	require.NoError(t, s.db.Create(&old).Error)
	require.NoError(t, s.db.Exec("UPDATE levels SET document_hash = ?", old.Hash).Error)
	_, err = s.Apply(t.Context(), maren, info.ID, level.Set("lamp", map[string]any{"strength": 77.0}), 0)
	require.NoError(t, err)
	s.docs.forgetAll()
	_, doc, err := s.Level(maren, info.ID)
	require.NoError(t, err)
	assert.Equal(t, 77.0, doc.Light("lamp").Strength)
	assert.Positive(t, count(t, s, piecesKept))
}

// The size of a document is that of its whole JSON, by which the limit and quotas are held.
func TestTheSizeOfADocumentIsThatOfAll(t *testing.T) {
	s, maren := open(t)
	l := field(10, 1000, 10)
	info, err := s.CreateLevel(maren, l, "field")
	require.NoError(t, err)
	text, err := level.Encode(l)
	require.NoError(t, err)
	assert.InDelta(t, len(text), info.Bytes, 1000)
	stored, err := s.Text(maren, info.ID)
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(string(stored), `{"format":"grotta-level/1","name":"Field",`), "what it is comes first")
	doc, err := level.ParseStored(stored)
	require.NoError(t, err)
	again, err := level.Encode(doc)
	require.NoError(t, err)
	assert.Equal(t, string(text), string(again))
}

// A document that is too large is refused, and nothing of it is written.
func TestTooLargeADocumentIsRefused(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	s, maren := open(t)
	l := field(1, 2, 1)
	image := level.Image{ID: "noise", Data: make([]byte, level.MaxBytes)}
	l.Images = append(l.Images, &image)
	_, err := s.CreateLevel(maren, l, "large")
	assert.ErrorContains(t, err, "the most is")
	assert.Zero(t, count(t, s, piecesKept))
}
