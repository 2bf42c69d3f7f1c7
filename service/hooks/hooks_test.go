package hooks_test

import (
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"grotta/service/hooks"
	"grotta/service/store"
)

// line is a queue in memory.
type line struct {
	sends []store.Send
	fault string
	again *time.Time
}

func (q *line) DueSends(time.Time, int) ([]store.Send, error) { return q.sends, nil }

func (q *line) Sent(_, fault string, again *time.Time) error {
	q.fault, q.again = fault, again
	return nil
}

var now = time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)

func TestANoticeIsSignedAndTriedAgain(t *testing.T) {
	status := http.StatusInternalServerError
	var got http.Header
	var body []byte
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got = r.Header
		body, _ = io.ReadAll(r.Body)
		w.WriteHeader(status)
	}))
	defer server.Close()
	q := &line{sends: []store.Send{{ID: "s1", URL: server.URL, Secret: "key", Body: []byte(`{"kind":"mention"}`), Tries: 2}}}
	sender := hooks.New(q, slog.New(slog.DiscardHandler), true)
	sender.SendDue(t.Context(), now)
	assert.Equal(t, `{"kind":"mention"}`, string(body))
	assert.Equal(t, strconv.FormatInt(now.Unix(), 10), got.Get("webhook-timestamp"))
	assert.Equal(t, hooks.Sign("key", "s1", now, body), got.Get("webhook-signature"))
	assert.Contains(t, q.fault, "500")
	require.NotNil(t, q.again)
	assert.Equal(t, 40*time.Second, q.again.Sub(now))
	q.sends[0].Tries = 11
	sender.SendDue(t.Context(), now)
	assert.Nil(t, q.again, "not for ever")
	status = http.StatusNoContent
	sender.SendDue(t.Context(), now)
	assert.Empty(t, q.fault)
	status = http.StatusFound
	sender.SendDue(t.Context(), now)
	assert.Contains(t, q.fault, "302", "it is not led elsewhere")
}

// The known answer is of an independent tool: printf 's1.1795867200.{}' | openssl dgst -sha256 -hmac key -binary | base64
func TestTheSignatureIsThatOfTheSpecification(t *testing.T) {
	assert.Equal(t, "v1,sbuHncU0N/05q9lmbTSBzpyx5PKtVun97SWN+P1OK5o=", hooks.Sign("key", "s1", time.Unix(1795867200, 0), []byte("{}")))
}

func TestPrivateAddressesAreRefused(t *testing.T) {
	reached := false
	server := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { reached = true }))
	defer server.Close()
	q := &line{sends: []store.Send{{ID: "s1", URL: server.URL}}}
	sender := hooks.New(q, slog.New(slog.DiscardHandler), false)
	sender.SendDue(t.Context(), now)
	assert.False(t, reached)
	assert.Equal(t, hooks.ErrPrivate.Error(), q.fault)
	for _, host := range []string{"localhost", "127.0.0.1", "::1", "10.1.2.3", "192.168.0.9", "169.254.169.254", "0.0.0.0", "100.64.1.1", "::ffff:127.0.0.1", "fd00::1"} {
		assert.ErrorIs(t, sender.MayHook(host), hooks.ErrPrivate, host)
	}
	for _, host := range []string{"example.test", "93.184.216.34", "2606:2800:220:1::1"} {
		assert.NoError(t, sender.MayHook(host), host)
	}
	assert.NoError(t, hooks.New(q, nil, true).MayHook("localhost"))
}
