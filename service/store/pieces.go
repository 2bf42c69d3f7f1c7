package store

import (
	"bytes"
	"errors"
	"fmt"
	"hash/fnv"
	"slices"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"grotta/core/digest"
	"grotta/core/level"
	"grotta/core/parallel"
)

// A document is stored in pieces: each is a run of things of one list, such as 130 lamps or one
// large mesh, by the SHA-256 of its JSON. The document itself is a small text that names them, so
// that an edit of a lamp writes the run that the lamp is in and no mesh, and documents that have
// much in common keep it once.

// piecesFormat marks a document that names pieces. One of an earlier version is the whole JSON.
const piecesFormat = "grotta-pieces/1"

// pieceRow is a run of things, by the hash of its JSON, which is a list.
type pieceRow struct {
	Hash  string `gorm:"primaryKey"`
	Body  []byte // zstd of the JSON
	Bytes int    // of the JSON
}

func (pieceRow) TableName() string { return "pieces" }

// documentPiece says that a document names a piece.
type documentPiece struct {
	Document string `gorm:"primaryKey"`
	Piece    string `gorm:"primaryKey"`
}

func (documentPiece) TableName() string { return "document_pieces" }

// contents is a document that names pieces.
type contents struct {
	Format string         `json:"format"`
	Own    jsontext.Value `json:"own"` // the level without its lists of things
	Runs   []*run         `json:"runs"`
}

// run is a piece with the things that it is made of, where they are at hand.
type run struct {
	Part  string `json:"part"` // the list
	Hash  string `json:"hash"`
	Count int    `json:"count"`
	Bytes int    `json:"bytes"`

	things []any // pointers, in order
	uses   int   // by documents at hand
}

// Runs end at ids that have this remainder, so that a thing that is added or removed moves
// the ends of its own run only.
const (
	meanRun   = 128
	mostBulk  = 256 << 10 // bytes of one run, about
	largeBulk = 16 << 10  // bytes of a thing that is a run by itself
)

// runsOf cuts the lists of a level into runs.
func runsOf(l *level.Level) (runs []*run) {
	var now *run
	bulk := 0
	l.Each(func(part, id string, thing any) {
		size := bulkOf(thing)
		if now == nil || now.Part != part || size >= largeBulk || bulk >= mostBulk {
			now, bulk = &run{Part: part}, 0
			runs = append(runs, now)
		}
		now.things = append(now.things, thing)
		if bulk += size; size >= largeBulk || endsRun(id) {
			now = nil
		}
	})
	return runs
}

func endsRun(id string) bool {
	h := fnv.New32a()
	h.Write([]byte(id)) // cannot fail
	return h.Sum32()%meanRun == 0
}

// bulkOf is about how many bytes of JSON a thing has beside its ordinary fields.
func bulkOf(thing any) int {
	switch v := thing.(type) {
	case *level.Geometry:
		return bulkOfTriangles(&v.Triangles)
	case *level.Mesh:
		if v.Geometry != "" {
			return 0 // its triangles are written with the geometry
		}
		return bulkOfTriangles(&v.Triangles)
	case *level.Image:
		return len(v.Data) * 4 / 3
	case *level.LightProfile:
		return len(v.Data) * 4 / 3
	}
	return 0
}

func bulkOfTriangles(t *level.Triangles) int {
	return 10*(len(t.Positions)+len(t.UVs)+len(t.Normals)) + 5*len(t.Indices)
}

// memoryBytes is about what a run takes in memory: its text four times over, and its images decoded.
func (r *run) memoryBytes() int {
	bytes := 4 * r.Bytes
	for _, thing := range r.things {
		if image, ok := thing.(*level.Image); ok {
			if p := image.Picture(); p != nil {
				bytes += 13 * p.Width * p.Height
			}
		}
	}
	return bytes
}

// encode writes a run as JSON and notes its hash and size.
func (r *run) encode() ([]byte, error) {
	text, err := level.Encode(r.things)
	if err == nil {
		r.Hash, r.Count, r.Bytes = digest.Bytes(text).String(), len(r.things), len(text)
	}
	return text, err
}

// row is a run as it is stored.
func (r *run) row() (pieceRow, error) {
	text, err := r.encode()
	return pieceRow{r.Hash, compress(text), len(text)}, err
}

// pack makes of a level what is stored of it: its contents, and those runs that no document at
// hand has. It is the expensive part of storing one, and needs no lock.
func (s *Store) pack(l *level.Level) (*packed, error) {
	p := &packed{level: l, runs: runsOf(l)}
	known := s.docs.known(p.runs)
	rows, errs := make([]pieceRow, len(p.runs)), make([]error, len(p.runs))
	parallel.All(len(p.runs), func(i int) {
		if k := known[i]; k != nil {
			p.runs[i].Hash, p.runs[i].Count, p.runs[i].Bytes = k.Hash, k.Count, k.Bytes
		} else {
			rows[i], errs[i] = p.runs[i].row()
		}
	})
	if err := errors.Join(errs...); err != nil {
		return nil, err
	}
	for i := range rows {
		if known[i] == nil {
			p.fresh = append(p.fresh, rows[i])
		}
	}
	own, err := ownFields(l)
	if err != nil {
		return nil, err
	}
	p.Bytes = len(own)
	for _, r := range p.runs {
		p.Bytes += r.Bytes
	}
	if p.Bytes > level.MaxBytes {
		return nil, &level.Invalid{Faults: []level.Fault{{Message: fmt.Sprintf("the document would have %d bytes; the most is %d", p.Bytes, level.MaxBytes)}}}
	}
	text, err := level.Encode(contents{piecesFormat, own, p.runs})
	p.Hash, p.Body = digest.Bytes(text).String(), compress(text)
	return p, err
}

// ownFields is the JSON of a level without its lists of things.
func ownFields(l *level.Level) (jsontext.Value, error) {
	text, err := level.Encode(l.WithoutParts())
	if err != nil {
		return nil, err
	}
	d, out := jsontext.NewDecoder(bytes.NewReader(text)), []byte("{")
	if _, err := d.ReadToken(); err != nil { // the brace
		return nil, err
	}
	for d.PeekKind() == '"' {
		token, err := d.ReadToken()
		if err != nil {
			return nil, err
		}
		name := token.String()
		value, err := d.ReadValue()
		if err != nil {
			return nil, err
		}
		if slices.Contains(level.Parts, name) {
			continue
		}
		if len(out) > 1 {
			out = append(out, ',')
		}
		if out, err = jsontext.AppendQuote(out, name); err != nil {
			return nil, err
		}
		out = append(append(out, ':'), value...)
	}
	return append(out, '}'), nil
}

// putPieces stores the runs of a document that are not there, and that it names them.
func (p *packed) putPieces(tx *gorm.DB) error {
	if len(p.fresh) > 0 {
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(p.fresh, 100).Error; err != nil {
			return err
		}
	}
	names := make([]documentPiece, 0, len(p.runs))
	byHash := map[string]*run{}
	for _, r := range p.runs {
		if byHash[r.Hash] == nil {
			byHash[r.Hash] = r
			names = append(names, documentPiece{p.Hash, r.Hash})
		}
	}
	if len(names) > 0 {
		if err := tx.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(names, mostAtOnce/2).Error; err != nil {
			return err
		}
	}
	// A run that a document at hand has may have been dropped with that since.
	var gone []string
	if err := tx.Raw("SELECT piece FROM document_pieces WHERE document = ? AND NOT EXISTS (SELECT 1 FROM pieces WHERE hash = piece)", p.Hash).Scan(&gone).Error; err != nil {
		return err
	}
	for _, hash := range gone {
		row, err := byHash[hash].row()
		if err != nil {
			return err
		}
		if row.Hash != hash { // it was read from a text that an earlier version wrote
			return ErrMoved
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
	}
	return nil
}

// dropPieces deletes the pieces that only these documents name.
func dropPieces(tx *gorm.DB, documents []string) error {
	return tx.Exec(`DELETE FROM pieces WHERE hash IN (SELECT piece FROM document_pieces WHERE document IN ?)
		AND NOT EXISTS (SELECT 1 FROM document_pieces WHERE piece = pieces.hash AND document NOT IN ?)`, documents, documents).Error
}

// contentsOf reads a document that names pieces; false where the text is a whole document.
func contentsOf(text []byte) (c contents, ok bool) {
	err := json.Unmarshal(text, &c)
	return c, err == nil && c.Format == piecesFormat
}

// together is the whole JSON of a document that names pieces.
func (c *contents) together(tx *gorm.DB) ([]byte, error) {
	rows, wanted := map[string][]byte{}, []string{}
	for _, r := range c.Runs {
		wanted = append(wanted, r.Hash)
	}
	slices.Sort(wanted)
	for some := range slices.Chunk(slices.Compact(wanted), mostAtOnce) {
		var found []pieceRow
		if err := tx.Where("hash IN ?", some).Find(&found).Error; err != nil {
			return nil, err
		}
		texts, errs := make([][]byte, len(found)), make([]error, len(found))
		parallel.All(len(found), func(i int) { texts[i], errs[i] = whole(found[i].Body, found[i].Hash) })
		if err := errors.Join(errs...); err != nil {
			return nil, err
		}
		for i, row := range found {
			rows[row.Hash] = texts[i]
		}
	}
	var out bytes.Buffer
	out.Write(bytes.TrimSuffix(c.Own, []byte("}")))
	for i, r := range c.Runs {
		text := rows[r.Hash]
		if len(text) < 2 {
			return nil, fmt.Errorf("%w: a piece of it, with %d of its %s, is not in the database", ErrUnreadable, r.Count, r.Part)
		}
		if first := i == 0 || c.Runs[i-1].Part != r.Part; first {
			fmt.Fprintf(&out, ",%q:[", r.Part)
		} else {
			out.WriteByte(',')
		}
		out.Write(text[1 : len(text)-1])
		if last := i+1 == len(c.Runs) || c.Runs[i+1].Part != r.Part; last {
			out.WriteByte(']')
		}
	}
	out.WriteByte('}')
	return out.Bytes(), nil
}

// hold gives the runs the things of the level that was read from them.
func (c *contents) hold(l *level.Level) []*run {
	var things []any
	l.Each(func(_, _ string, thing any) { things = append(things, thing) })
	for _, r := range c.Runs {
		r.things, things = things[:r.Count:r.Count], things[r.Count:]
	}
	return c.Runs
}

// ownBytes is how long the text of a document is without its runs.
func (c *contents) ownBytes(text []byte) int {
	if len(c.Runs) > 0 {
		return len(c.Own)
	}
	return len(text)
}

// keep has a document at hand that was stored.
func (s *Store) keep(p *packed) {
	own := p.Bytes
	for _, r := range p.runs {
		own -= r.Bytes
	}
	s.docs.put(p.Hash, p.level, p.runs, own)
}
