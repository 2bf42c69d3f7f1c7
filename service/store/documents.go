package store

import (
	"errors"
	"fmt"
	"slices"
	"sync"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"grotta/core/digest"
	"grotta/core/level"
)

// ErrUnreadable is a stored document that no longer reads. Its level is shown with the
// fault and can be exported as it is stored; nothing else of it works.
var ErrUnreadable = errors.New("the stored document cannot be read")

// documentRow is what is stored of a level: text that names its pieces, by the SHA-256 of that
// text. One of an earlier version is the level's whole JSON.
type documentRow struct {
	Hash  string `gorm:"primaryKey"`
	Body  []byte // zstd of the text
	Bytes int    // of the level's JSON, with its pieces
}

func (documentRow) TableName() string { return "documents" }

// packed is a document as it is stored.
type packed struct {
	documentRow
	level *level.Level
	runs  []*run
	fresh []pieceRow // of those runs that no document at hand has
}

// put stores a document if it is not there.
func (p *packed) put(tx *gorm.DB) error {
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&p.documentRow).Error; err != nil {
		return err
	}
	return p.putPieces(tx)
}

// dropUnused deletes documents that no level, no variant and no bake names any more, with the
// pieces that nothing else names.
func dropUnused(tx *gorm.DB, hashes ...string) error {
	var unused []string
	err := tx.Model(&documentRow{}).Where("hash IN ? AND NOT EXISTS (SELECT 1 FROM levels WHERE document_hash = documents.hash) AND NOT EXISTS (SELECT 1 FROM levels WHERE base_hash = documents.hash) AND NOT EXISTS (SELECT 1 FROM bakes WHERE document_hash = documents.hash)", hashes).
		Pluck("hash", &unused).Error
	if err != nil || len(unused) == 0 {
		return err
	}
	if err := dropPieces(tx, unused); err != nil {
		return err
	}
	return tx.Where("hash IN ?", unused).Delete(&documentRow{}).Error
}

// document reads a document by its hash; ErrUnreadable says why one does not read.
func (s *Store) document(tx *gorm.DB, hash string) (*level.Level, error) {
	if doc := s.docs.get(hash); doc != nil {
		return doc, nil
	}
	c, text, err := s.stored(tx, hash)
	if err != nil {
		return nil, err
	}
	doc, err := level.ParseStored(text)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnreadable, err)
	}
	s.docs.put(hash, doc, c.hold(doc), c.ownBytes(text))
	return doc, nil
}

// documentText is the JSON of a document.
func (s *Store) documentText(tx *gorm.DB, hash string) ([]byte, error) {
	_, text, err := s.stored(tx, hash)
	return text, err
}

// stored reads the JSON of a document, and its contents where it names pieces.
func (s *Store) stored(tx *gorm.DB, hash string) (c contents, text []byte, err error) {
	var row documentRow
	if err := tx.Where("hash = ?", hash).First(&row).Error; err != nil {
		if errors.Is(err, gorm.ErrRecordNotFound) {
			err = fmt.Errorf("%w: it is not in the database", ErrUnreadable)
		}
		return c, nil, err
	}
	if text, err = whole(row.Body, hash); err != nil {
		return c, nil, err
	}
	c, ok := contentsOf(text)
	if ok {
		text, err = c.together(tx)
	}
	return c, text, err
}

// whole decompresses a stored text and holds it against its hash.
func whole(body []byte, hash string) ([]byte, error) {
	text, err := decompress(body)
	if err == nil && digest.Bytes(text).String() != hash {
		err = errors.New("its bytes do not match its hash")
	}
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnreadable, err)
	}
	return text, nil
}

// documents keeps the documents that were used last, so that an edit of a large level
// does not read it again. The bound is on their size in memory; what several of them
// share counts once.
type documents struct {
	mu    sync.Mutex
	lru   *simplelru.LRU[string, keptDocument]
	bytes int
	runs  map[any][]*run // of the documents that are kept, by their first thing
}

type keptDocument struct {
	level *level.Level
	runs  []*run
	bytes int // without the runs
}

// mostDocumentBytes bounds what is kept: about what its text takes four times over, and
// its images decoded.
const mostDocumentBytes = 1 << 30

func newDocuments() *documents {
	d := &documents{runs: map[any][]*run{}}
	d.lru, _ = simplelru.NewLRU[string, keptDocument](1<<20, func(_ string, gone keptDocument) {
		d.bytes -= gone.bytes
		for _, r := range gone.runs {
			if r.uses--; r.uses > 0 {
				continue
			}
			d.bytes -= r.memoryBytes()
			first := r.things[0]
			if d.runs[first] = slices.DeleteFunc(d.runs[first], func(other *run) bool { return other == r }); len(d.runs[first]) == 0 {
				delete(d.runs, first)
			}
		}
	})
	return d
}

// known gives, for each run, one of a kept document that has the same things; nil where there is
// none. Things of a level are never changed, so the same pointers are the same JSON.
func (d *documents) known(runs []*run) []*run {
	d.mu.Lock()
	defer d.mu.Unlock()
	found := make([]*run, len(runs))
	for i, r := range runs {
		found[i] = d.like(r)
	}
	return found
}

func (d *documents) like(r *run) *run {
	for _, k := range d.runs[r.things[0]] {
		if slices.Equal(k.things, r.things) {
			return k
		}
	}
	return nil
}

func (d *documents) get(hash string) *level.Level {
	d.mu.Lock()
	defer d.mu.Unlock()
	kept, _ := d.lru.Get(hash)
	return kept.level
}

// put keeps a document with its runs, and what its text takes without them.
func (d *documents) put(hash string, l *level.Level, runs []*run, bytes int) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.lru.Contains(hash) {
		return
	}
	kept := keptDocument{l, make([]*run, len(runs)), 4 * bytes}
	for i, r := range runs {
		known := d.like(r)
		if known == nil {
			known = r
			d.runs[r.things[0]] = append(d.runs[r.things[0]], r)
			d.bytes += r.memoryBytes()
		}
		known.uses++
		kept.runs[i] = known
	}
	d.lru.Add(hash, kept)
	for d.bytes += kept.bytes; d.bytes > mostDocumentBytes && d.lru.Len() > 1; {
		d.lru.RemoveOldest()
	}
}

// forgetAll empties it, for tests.
func (d *documents) forgetAll() {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.lru.Purge()
}

var encoders = sync.Pool{New: func() any {
	z, _ := zstd.NewWriter(nil, zstd.WithEncoderConcurrency(1)) // options are constant
	return z
}}

func compress(data []byte) []byte {
	z := encoders.Get().(*zstd.Encoder)
	defer encoders.Put(z)
	return z.EncodeAll(data, nil)
}

func decompress(data []byte) ([]byte, error) {
	z, err := zstd.NewReader(nil, zstd.WithDecoderConcurrency(1), zstd.WithDecoderMaxMemory(2*level.MaxBytes))
	if err != nil {
		return nil, err
	}
	defer z.Close()
	return z.DecodeAll(data, nil)
}
