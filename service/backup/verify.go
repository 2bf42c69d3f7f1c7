package backup

import (
	"fmt"
	"path/filepath"

	"grotta/api"
	"grotta/core/layer"
	"grotta/service/blob"
	"grotta/service/store"
)

// Verify reads everything in a data folder: the database by its own check, every
// document, and every layer by its hash and its content. It changes nothing.
func Verify(data string) (found api.Verified, err error) {
	st, err := store.OpenExisting(data)
	if err != nil {
		return found, err
	}
	defer st.Close()
	blobs, err := blob.Open(filepath.Join(data, blobFolder))
	if err != nil {
		return found, err
	}
	found.Faults = []string{}
	say := func(format string, args ...any) { found.Faults = append(found.Faults, fmt.Sprintf(format, args...)) }
	wrong, err := st.CheckIntegrity()
	if err != nil {
		return found, err
	}
	for _, line := range wrong {
		say("database: %s", line)
	}
	err = st.EachDocument(func(hash string, users []string, fault error) {
		if found.Documents++; fault != nil {
			say("document %.12s of %v: %v", hash, users, fault)
		}
	})
	if err != nil {
		return found, err
	}
	err = st.EachLayer(func(key, hash string) {
		found.Layers++
		content, err := blobs.Get(hash)
		if err == nil {
			_, err = layer.Decode(key, content)
		}
		if err != nil {
			say("layer %.12s: %v; it is baked again when it is wanted", key, err)
		}
	})
	return found, err
}
