package rest

import (
	"net/http"
	"strings"

	"github.com/klauspost/compress/gzhttp"
	"github.com/klauspost/compress/gzip"
)

// compressed sends answers of a kilobyte or more gzipped to those who take that. Events are
// sent as they are, as each has to arrive at once; pictures are compressed already.
func compressed(inner http.Handler) http.HandlerFunc {
	wrap, err := gzhttp.NewWrapper(
		gzhttp.MinSize(1024),
		gzhttp.CompressionLevel(gzip.BestSpeed),
		gzhttp.ContentTypeFilter(func(kind string) bool {
			kind, _, _ = strings.Cut(kind, ";")
			return kind != "text/event-stream" && kind != "image/png" && kind != "image/jpeg" && kind != "application/zip"
		}),
	)
	if err != nil {
		panic(err) // the options are constant
	}
	return wrap(inner)
}
