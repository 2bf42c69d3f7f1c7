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

	"grotta/service/replica"
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

// bakesMeter tells what waits to be baked and who bakes, for Prometheus.
type bakesMeter struct{ *server }

var (
	queueTasks    = prometheus.NewDesc("grotta_queue_tasks", "Tasks of bakes on the queue or under way.", []string{"kind"}, nil)
	workerStates  = prometheus.NewDesc("grotta_workers", "Workers of the cluster, by state.", []string{"state"}, nil)
	workerLayers  = prometheus.NewDesc("grotta_worker_layers_total", "Layers that came from workers.", nil, nil)
	workerBytes   = prometheus.NewDesc("grotta_worker_bytes_total", "Bytes of layers that came from workers.", nil, nil)
	clusterAnswer = prometheus.NewDesc("grotta_cluster_up", "1 while the cluster of workers is reached.", nil, nil)
)

// Describe is part of prometheus.Collector.
func (m bakesMeter) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{queueTasks, workerStates, workerLayers, workerBytes, clusterAnswer} {
		to <- d
	}
}

// Collect is part of prometheus.Collector.
func (m bakesMeter) Collect(to chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	now, later := 0, 0
	for _, q := range m.Baker.Queue() {
		now, later = now+q.Now, later+q.Later
	}
	gauge(queueTasks, float64(now), "now")
	gauge(queueTasks, float64(later), "later")
	if m.Workers == nil {
		return
	}
	up := 0.0
	if m.Workers.Ready() == nil {
		up = 1
	}
	gauge(clusterAnswer, up)
	states := map[string]int{"idle": 0, "works": 0, "draining": 0, "gone": 0, "another version": 0}
	for _, w := range m.Workers.Workers() {
		states[workerOf(w).State]++
	}
	for state, n := range states {
		gauge(workerStates, float64(n), state)
	}
	bytes, layers := m.Workers.Moved()
	to <- prometheus.MustNewConstMetric(workerBytes, prometheus.CounterValue, float64(bytes))
	to <- prometheus.MustNewConstMetric(workerLayers, prometheus.CounterValue, float64(layers))
}

// copyAge tells how far the copy of the records is behind, for Prometheus.
func copyAge(k *replica.Keeper) prometheus.Collector {
	began := time.Now()
	return prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "grotta_copy_age_seconds", Help: "Time since all records were known to be copied."}, func() float64 {
		since := k.Copied()
		if since.IsZero() {
			since = began
		}
		return time.Since(since).Seconds()
	})
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
