package cluster

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	collector "go.opentelemetry.io/proto/otlp/collector/trace/v1"
	trace "go.opentelemetry.io/proto/otlp/trace/v1"
	"google.golang.org/protobuf/proto"

	"grotta/api"
)

// sent are the spans that came to a collector, by the part of the program that sent them.
type sent struct {
	mu    sync.Mutex
	spans map[string][]*trace.Span
}

func (s *sent) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	data, err := io.ReadAll(r.Body)
	var batch collector.ExportTraceServiceRequest
	if err != nil || r.URL.Path != "/v1/traces" || proto.Unmarshal(data, &batch) != nil {
		w.WriteHeader(http.StatusBadRequest)
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, of := range batch.ResourceSpans {
		part := ""
		for _, a := range of.Resource.Attributes {
			if a.Key == "service.name" {
				part = a.Value.GetStringValue()
			}
		}
		for _, scope := range of.ScopeSpans {
			s.spans[part] = append(s.spans[part], scope.Spans...)
		}
	}
}

// One trace leads from the request that ordered a bake to the layers that a worker elsewhere made and the service stored.
func TestATraceLeadsFromTheRequestToTheLayers(t *testing.T) {
	came := &sent{spans: map[string][]*trace.Span{}}
	to := httptest.NewServer(came)
	defer to.Close()
	nats := startNodes(t, 1)
	service, c := serve(t, t.TempDir(), "--nats", nats.url(), "--bake-here", "no", "--traces", to.URL)
	worker := run(t, 1, "worker", "--nats", nats.url(), "--worker-name", "one", "--traces", to.URL)
	info, err := c.CreateLevel(t.Context(), api.NewLevel{From: "room"})
	require.NoError(t, err)
	req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, service.URL+"/api/v1/levels/"+info.ID+"/bakes", strings.NewReader(`{"quality":"draft"}`))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Authorization", "Bearer "+c.Token)
	req.Header.Set("X-Request-Id", "from-a-click")
	req.Header.Set("Traceparent", "00-0123456789abcdef0123456789abcdef-0123456789abcdef-01")
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	require.Less(t, res.StatusCode, 300)
	require.Eventually(t, func() bool {
		bakes, err := c.OwnBakes(t.Context(), 5)
		return err == nil && len(bakes) == 1 && bakes[0].State == "done"
	}, time.Minute, 50*time.Millisecond, "%s %s", service.Log, worker.Log)
	require.NoError(t, worker.Cmd.Process.Signal(syscall.SIGTERM)) // both send what is left when they end
	require.NoError(t, worker.Cmd.Wait(), "%s", worker.Log)
	require.NoError(t, service.Cmd.Process.Signal(syscall.SIGTERM))
	require.NoError(t, service.Cmd.Wait(), "%s", service.Log)

	names, parents := map[string]string{}, map[string]string{} // of the spans of that trace, by their id
	var roots []string
	for part, spans := range came.spans {
		for _, s := range spans {
			if string(s.TraceId) != "\x01\x23\x45\x67\x89\xab\xcd\xef\x01\x23\x45\x67\x89\xab\xcd\xef" {
				continue
			}
			names[string(s.SpanId)], parents[string(s.SpanId)] = part+": "+s.Name, string(s.ParentSpanId)
			assert.GreaterOrEqual(t, s.EndTimeUnixNano, s.StartTimeUnixNano)
			if string(s.ParentSpanId) == "\x01\x23\x45\x67\x89\xab\xcd\xef" {
				roots = append(roots, s.Name)
				for _, a := range s.Attributes {
					if a.Key == "grotta.request" {
						assert.Equal(t, "from-a-click", a.Value.GetStringValue())
						roots = append(roots, "its request")
					}
				}
			}
		}
	}
	assert.Equal(t, []string{"POST /api/v1/levels/:id/bakes", "its request"}, roots)
	ways := map[string]bool{}
	for id := range names {
		way := ""
		for at := id; names[at] != ""; at = parents[at] {
			way += names[at] + " < "
		}
		ways[way] = true
	}
	const asked = "grotta-serve: task of a bake < grotta-serve: order a bake < grotta-serve: POST /api/v1/levels/:id/bakes < "
	const order = "grotta-worker: bake an order < grotta-serve: bake layers < " + asked
	for _, way := range []string{
		"grotta-worker: prepare a level < " + order, "grotta-worker: bake layers < " + order, "grotta-worker: send layers < " + order,
		"grotta-serve: store layers < " + asked,
	} {
		assert.Contains(t, ways, way)
	}
}
