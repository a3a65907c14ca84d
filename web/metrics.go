package web

import (
	"context"
	"fmt"
	"math"
	"net/http"
	"slices"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"

	"manudex/app"
)

// metrics are the measures of this node.
type metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
	punches  prometheus.Counter
}

func newMetrics(a *app.App) *metrics {
	m := &metrics{registry: prometheus.NewRegistry()}
	m.requests = prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "manudex_request_seconds", Help: "Time to answer, by route.",
		Buckets: []float64{.001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5, 10, 30}}, []string{"method", "route", "status"})
	m.punches = prometheus.NewCounter(prometheus.CounterOpts{Name: "manudex_punches_total", Help: "Punches recorded by this node."})
	streams := prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "manudex_live_streams", Help: "Live pages connected to this node."},
		func() float64 { return float64(a.Live.Count()) })
	conns := prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "manudex_database_connections", Help: "Connections of the pool in use."},
		func() float64 { return float64(a.DB.Pool.Stat().AcquiredConns()) })
	waits := prometheus.NewCounterFunc(prometheus.CounterOpts{Name: "manudex_database_waits_total",
		Help: "How often a request waited for a connection."},
		func() float64 { return float64(a.DB.Pool.Stat().EmptyAcquireCount()) })
	hears := prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "manudex_hears", Help: "1 while this node hears what other nodes do."},
		func() float64 {
			if a.Hears() {
				return 1
			}
			return 0
		})
	stuck := prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "manudex_stuck_work", Help: "Jobs that are overdue or were given up."},
		func() float64 {
			ctx, cancel := context.WithTimeout(context.Background(), time.Second)
			defer cancel()
			n, err := a.Stuck(ctx)
			if err != nil {
				return math.NaN() // not known
			}
			return float64(n)
		})
	m.registry.MustRegister(m.requests, m.punches, streams, conns, waits, hears, stuck, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

func (m *metrics) request(method, route string, status int, took time.Duration) {
	if route == "/live" {
		return // a stream lasts as long as its page
	}
	if !slices.Contains([]string{http.MethodGet, http.MethodHead, http.MethodPost}, method) {
		method = "other" // whoever asks could make up any number of them
	}
	m.requests.WithLabelValues(method, route, fmt.Sprint(status)).Observe(took.Seconds())
}
