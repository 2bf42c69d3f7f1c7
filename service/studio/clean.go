package studio

import (
	"time"

	"grotta/api"
)

// Clean deletes layers that no level's newest bakes use and that are older than
// an age. A layer that is wanted again is baked again.
func (s *Studio) Clean(now time.Time, age time.Duration) (api.Cleaned, error) {
	blobs, bytes, err := s.store.ForgetLayers(now.Add(-age))
	if err != nil {
		return api.Cleaned{}, err
	}
	for _, hash := range blobs {
		if err := s.blobs.Remove(hash); err != nil {
			return api.Cleaned{}, err
		}
	}
	return api.Cleaned{Layers: len(blobs), Bytes: bytes}, nil
}
