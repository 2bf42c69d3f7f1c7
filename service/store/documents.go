package store

import (
	"errors"
	"fmt"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"github.com/klauspost/compress/zstd"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"sync"

	"grotta/core/digest"
	"grotta/core/level"
)

// ErrUnreadable is a stored document that no longer reads. Its level is shown with the
// fault and can be exported as it is stored; nothing else of it works.
var ErrUnreadable = errors.New("the stored document cannot be read")

// documentRow is a level document, by the SHA-256 of its JSON.
type documentRow struct {
	Hash  string `gorm:"primaryKey"`
	Body  []byte // zstd of the JSON
	Bytes int    // of the JSON
}

func (documentRow) TableName() string { return "documents" }

// packed is a document as it is stored.
type packed struct {
	documentRow
	level *level.Level
}

// pack encodes and compresses a document. It is the expensive part of storing one, and
// needs no lock.
func pack(l *level.Level) (*packed, error) {
	text, err := level.Encode(l)
	if err != nil {
		return nil, err
	}
	if len(text) > level.MaxBytes {
		return nil, &level.Invalid{Faults: []level.Fault{{Message: fmt.Sprintf("the document would have %d bytes; the most is %d", len(text), level.MaxBytes)}}}
	}
	return &packed{documentRow{digest.Bytes(text).String(), compress(text), len(text)}, l}, nil
}

// put stores a document if it is not there.
func (p *packed) put(tx *gorm.DB) error {
	return tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&p.documentRow).Error
}

// dropUnused deletes documents that no level, no variant and no bake names any more.
func dropUnused(tx *gorm.DB, hashes ...string) error {
	return tx.Where("hash IN ? AND NOT EXISTS (SELECT 1 FROM levels WHERE document_hash = documents.hash) AND NOT EXISTS (SELECT 1 FROM levels WHERE base_hash = documents.hash) AND NOT EXISTS (SELECT 1 FROM bakes WHERE document_hash = documents.hash)", hashes).
		Delete(&documentRow{}).Error
}

// document reads a document by its hash; ErrUnreadable says why one does not read.
func (s *Store) document(tx *gorm.DB, hash string) (*level.Level, error) {
	if doc := s.docs.get(hash); doc != nil {
		return doc, nil
	}
	text, err := s.documentText(tx, hash)
	if err != nil {
		return nil, err
	}
	doc, err := level.ParseStored(text)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnreadable, err)
	}
	s.docs.put(hash, doc, len(text))
	return doc, nil
}

// documentText is the JSON of a document.
func (s *Store) documentText(tx *gorm.DB, hash string) ([]byte, error) {
	var row documentRow
	if err := tx.Where("hash = ?", hash).First(&row).Error; err != nil {
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return nil, fmt.Errorf("%w: it is not in the database", ErrUnreadable)
		}
		return nil, err
	}
	text, err := decompress(row.Body)
	if err == nil && digest.Bytes(text).String() != hash {
		err = errors.New("its bytes do not match its hash")
	}
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnreadable, err)
	}
	return text, nil
}

// documents keeps the documents that were used last, so that an edit of a large level
// does not read it again. The bound is on their size in memory.
type documents struct {
	mu    sync.Mutex
	lru   *simplelru.LRU[string, keptDocument]
	bytes int
}

type keptDocument struct {
	level *level.Level
	bytes int
}

// mostDocumentBytes bounds what is kept: about what its text takes four times over, and
// its images decoded.
const mostDocumentBytes = 1 << 30

func newDocuments() *documents {
	d := &documents{}
	d.lru, _ = simplelru.NewLRU[string, keptDocument](1<<20, func(_ string, gone keptDocument) { d.bytes -= gone.bytes })
	return d
}

func (d *documents) get(hash string) *level.Level {
	d.mu.Lock()
	defer d.mu.Unlock()
	kept, _ := d.lru.Get(hash)
	return kept.level
}

func (d *documents) put(hash string, l *level.Level, textBytes int) {
	bytes := 4 * textBytes
	for _, image := range l.Images {
		if p := image.Picture(); p != nil {
			bytes += 13 * p.Width * p.Height
		}
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.lru.Contains(hash) {
		return
	}
	d.lru.Add(hash, keptDocument{l, bytes})
	for d.bytes += bytes; d.bytes > mostDocumentBytes && d.lru.Len() > 1; {
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
