// Package hooks sends notices to webhooks: signed, tried again when they fail, and never to this
// machine or a private network unless that is allowed.
package hooks

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"strconv"
	"syscall"
	"time"

	"grotta/service/store"
)

// How sends are tried: every few seconds what is due, each for so long, and after a failure later and
// later, at most so often.
const (
	every    = 2 * time.Second
	patience = 10 * time.Second
	mostEach = 50
	firstGap = 10 * time.Second
	mostTry  = 12 // the last about a day after the first
	mostGap  = 4 * time.Hour
)

// ErrPrivate is the error of an address that is not sent to.
var ErrPrivate = errors.New("is an address of this machine or of a private network, which this service does not send to")

// Queue is where sends wait.
type Queue interface {
	DueSends(now time.Time, most int) ([]store.Send, error)
	Sent(id, fault string, again *time.Time) error
}

// Sender sends what is due.
type Sender struct {
	Queue   Queue
	Log     *slog.Logger
	Private bool // addresses of this machine and of private networks are allowed
	client  *http.Client
}

// New makes a sender.
func New(q Queue, log *slog.Logger, private bool) *Sender {
	s := &Sender{Queue: q, Log: log, Private: private}
	dialer := &net.Dialer{Timeout: patience, Control: s.control}
	s.client = &http.Client{
		Timeout:       patience,
		Transport:     &http.Transport{DialContext: dialer.DialContext, Proxy: nil, DisableKeepAlives: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
	return s
}

// control judges the address that a name came to, when it is called: a name that is harmless today
// may point inside tomorrow.
func (s *Sender) control(_, address string, _ syscall.RawConn) error {
	at, err := netip.ParseAddrPort(address)
	if err != nil {
		return err
	}
	return s.judge(at.Addr().Unmap())
}

func (s *Sender) judge(ip netip.Addr) error {
	if s.Private || ip.IsGlobalUnicast() && !ip.IsPrivate() && !shared.Contains(ip) {
		return nil
	}
	return ErrPrivate
}

// shared is the address space between carriers and customers (RFC 6598).
var shared = netip.MustParsePrefix("100.64.0.0/10")

// MayHook judges a host by its name alone, so that a maker learns at once of one that is refused.
func (s *Sender) MayHook(host string) error {
	ip, err := netip.ParseAddr(host)
	switch {
	case err == nil:
		return s.judge(ip.Unmap())
	case host == "localhost" && !s.Private:
		return ErrPrivate
	}
	return nil
}

// Run sends until the context is done.
func (s *Sender) Run(ctx context.Context) {
	ticker := time.NewTicker(every)
	defer ticker.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-ticker.C:
		}
		s.SendDue(ctx, time.Now().UTC())
	}
}

// SendDue sends what is due at a time.
func (s *Sender) SendDue(ctx context.Context, now time.Time) {
	due, err := s.Queue.DueSends(now, mostEach)
	if err != nil {
		s.Log.Error("webhooks cannot be read", "error", err)
		return
	}
	for _, send := range due {
		fault := ""
		var again *time.Time
		if err := s.send(ctx, send, now); err != nil {
			if ctx.Err() != nil {
				return
			}
			fault = err.Error()
			if send.Tries+1 < mostTry {
				next := now.Add(min(firstGap<<send.Tries, mostGap))
				again = &next
			}
		}
		if err := s.Queue.Sent(send.ID, fault, again); err != nil {
			s.Log.Error("a webhook's outcome was not noted", "error", err)
		}
	}
}

// Sign is the signature of a message, as the Standard Webhooks specification has it.
func Sign(secret, id string, at time.Time, body []byte) string {
	mac := hmac.New(sha256.New, []byte(secret))
	fmt.Fprintf(mac, "%s.%d.", id, at.Unix())
	mac.Write(body)
	return "v1," + base64.StdEncoding.EncodeToString(mac.Sum(nil))
}

func (s *Sender) send(ctx context.Context, send store.Send, now time.Time) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, send.URL, bytes.NewReader(send.Body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("User-Agent", "Grotta")
	req.Header.Set("webhook-id", send.ID)
	req.Header.Set("webhook-timestamp", strconv.FormatInt(now.Unix(), 10))
	req.Header.Set("webhook-signature", Sign(send.Secret, send.ID, now, send.Body))
	res, err := s.client.Do(req)
	if err != nil {
		if errors.Is(err, ErrPrivate) {
			return ErrPrivate
		}
		return err
	}
	defer res.Body.Close()
	io.Copy(io.Discard, io.LimitReader(res.Body, 64<<10))
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("the address answered %s", res.Status)
	}
	return nil
}
