package rest

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"
	"golang.org/x/time/rate"
)

// signInGuard slows down guessing. A name that is tried from one address has eight tries
// at once, then one every eight seconds; a name that is tried from many addresses has
// sixty, then one a second. A browser that has signed in before carries a cookie that
// only the service can make: its tries are counted apart, so that wrong tries of others
// do not lock an owner out.
type signInGuard struct {
	key [32]byte // of the cookies, new at each start

	mu       sync.Mutex
	limiters *simplelru.LRU[string, *rate.Limiter]
}

const (
	knownName = "grotta_known"
	knownFor  = 180 * 24 * time.Hour
)

func newSignInGuard() *signInGuard {
	g := &signInGuard{}
	rand.Read(g.key[:])
	g.limiters, _ = simplelru.NewLRU[string, *rate.Limiter](20_000, nil)
	return g
}

// wait is how long a try must wait; 0 lets it through. known tells that the browser has
// signed in under this name before.
func (g *signInGuard) wait(name, address string, known bool, now time.Time) time.Duration {
	g.mu.Lock()
	defer g.mu.Unlock()
	if known {
		return g.take("known "+name, rate.Every(8*time.Second), 8, now)
	}
	if wait := g.take("at "+address+" "+name, rate.Every(8*time.Second), 8, now); wait > 0 {
		return wait
	}
	return g.take("name "+name, rate.Every(time.Second), 60, now)
}

func (g *signInGuard) take(of string, every rate.Limit, burst int, now time.Time) time.Duration {
	l, ok := g.limiters.Get(of)
	if !ok {
		l = rate.NewLimiter(every, burst)
		g.limiters.Add(of, l)
	}
	r := l.ReserveN(now, 1)
	wait := r.DelayFrom(now)
	if wait > 0 {
		r.CancelAt(now)
	}
	return wait
}

// forget clears the tries of a name at an address, after a right one.
func (g *signInGuard) forget(name, address string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.limiters.Remove("at " + address + " " + name)
	g.limiters.Remove("known " + name)
}

func (g *signInGuard) mark(name string) string {
	m := hmac.New(sha256.New, g.key[:])
	m.Write([]byte(name))
	return name + "." + hex.EncodeToString(m.Sum(nil))
}

// isKnown tells whether a cookie was made here for a name.
func (g *signInGuard) isKnown(cookie, name string) bool {
	return strings.HasPrefix(cookie, name+".") && hmac.Equal([]byte(cookie), []byte(g.mark(name)))
}

func (g *signInGuard) knownCookie(name string, now time.Time) http.Cookie {
	return http.Cookie{Name: knownName, Value: g.mark(name), Path: Prefix + "/session", Expires: now.Add(knownFor), HttpOnly: true, SameSite: http.SameSiteStrictMode}
}
