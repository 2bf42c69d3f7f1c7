package rest

import (
	"crypto/subtle"
	"errors"
	"net"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/go-json-experiment/json"
	"github.com/prometheus/client_golang/prometheus"
)

// This file is how the service is watched and from where it may be called.

// ready tells whether the service can work: its database, its queue and its disk.
func (s *server) ready(c *gin.Context) {
	if err := errors.Join(s.Store.Ping(), s.Baker.Ready()); err != nil {
		c.String(http.StatusServiceUnavailable, "%v\n", err)
		return
	}
	c.String(http.StatusOK, "ready\n")
}

// measure counts requests by method, route and status, which are all closed sets.
func measure(registry *prometheus.Registry) gin.HandlerFunc {
	seconds := prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "grotta_http_seconds", Help: "Time to answer, by route.", Buckets: prometheus.ExponentialBuckets(0.001, 4, 8),
	}, []string{"method", "route", "status"})
	registry.MustRegister(seconds)
	methods := []string{http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete, http.MethodOptions}
	return func(c *gin.Context) {
		began := time.Now()
		c.Next()
		method, route := c.Request.Method, c.FullPath()
		if !slices.Contains(methods, method) {
			method = "other"
		}
		if route == "" {
			route = "console"
		}
		seconds.WithLabelValues(method, route, http.StatusText(c.Writer.Status())).Observe(time.Since(began).Seconds())
	}
}

// metricsAllowed opens /metrics to the machine itself, and to whoever has the token.
func (s *server) metricsAllowed(c *gin.Context) {
	host, _, err := net.SplitHostPort(c.Request.RemoteAddr)
	local := err == nil && net.ParseIP(host).IsLoopback() && c.GetHeader("X-Forwarded-For") == "" && c.GetHeader("Forwarded") == ""
	token, _ := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer ")
	if s.MetricsToken != "" && subtle.ConstantTimeCompare([]byte(token), []byte(s.MetricsToken)) == 1 || local && s.Loopback {
		return
	}
	s.refuse(c, http.StatusForbidden, "metrics need the token that the setting metrics-token has")
	c.Abort()
}

// hosts refuses names that the service does not go by, so that a page elsewhere cannot
// reach a service on loopback by a name of its own (DNS rebinding).
func (s *server) hosts(c *gin.Context) {
	host := c.Request.Host
	if name, _, err := net.SplitHostPort(host); err == nil {
		host = name
	}
	host = strings.Trim(host, "[]")
	ip := net.ParseIP(host)
	switch {
	case slices.Contains(s.Hosts, host), ip != nil && ip.IsLoopback(), host == "localhost":
		return
	case !s.Loopback && len(s.Hosts) == 0:
		return
	}
	s.refuse(c, http.StatusMisdirectedRequest, "the service does not go by the name that it was called by; the setting hosts lists those it does")
	c.Abort()
}

// sameOrigin refuses changes that a browser sends from pages of another origin.
func sameOrigin(inner http.Handler, refuse http.Handler) http.Handler {
	protection := http.NewCrossOriginProtection()
	protection.SetDenyHandler(refuse)
	return protection.Handler(inner)
}

// refuseOrigin answers what sameOrigin refuses.
var refuseOrigin = http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(http.StatusForbidden)
	json.MarshalWrite(w, newProblem(http.StatusForbidden, "a page of another origin sent this", &coded{"origin", ""}), json.Deterministic(true))
})

// refuse answers with a problem outside of the API's own routes.
func (s *server) refuse(c *gin.Context, status int, detail string) {
	c.Header("Content-Type", "application/problem+json")
	c.Status(status)
	json.MarshalWrite(c.Writer, newProblem(status, detail), json.Deterministic(true))
}
