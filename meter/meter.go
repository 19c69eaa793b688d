// Package meter counts what the service does, for programs that watch it (docs/metrics.md), and follows single requests
// and commits as traces where somebody collects such. A nil *Meter counts nothing.
package meter

import (
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Outcomes of what a device sends, and of attempts at notices.
const (
	Taken   = "taken"
	Refused = "refused" // by what it says, who says it, or how fast
	Away    = "away"    // the database, or room on its disk; it will be sent again
	Failed  = "failed"

	Sent    = "sent"
	GivenUp = "given_up"
)

// Meter counts for one process.
type Meter struct {
	registry *prometheus.Registry
	packs    *prometheus.CounterVec
	readings *prometheus.CounterVec
	commits  *prometheus.HistogramVec
	size     prometheus.Histogram
	ledger   prometheus.Histogram
	sweeps   prometheus.Histogram
	notices  *prometheus.CounterVec
}

// New makes a meter with nothing counted.
func New() *Meter {
	m := &Meter{registry: prometheus.NewRegistry(),
		packs: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "jaunty_intake_packs_total",
			Help: "Packs that devices sent, by way in and outcome."}, []string{"way", "outcome"}),
		readings: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "jaunty_intake_readings_total",
			Help: "Readings in packs that were taken, by way in and outcome."}, []string{"way", "outcome"}),
		commits: prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "jaunty_commit_duration_seconds",
			Help: "How long commits took, by outcome.", Buckets: prometheus.ExponentialBuckets(0.001, 2, 14)},
			[]string{"outcome"}),
		size: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "jaunty_commit_jobs",
			Help: "Packs and acts that shared a commit.", Buckets: prometheus.ExponentialBuckets(1, 2, 13)}),
		ledger: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "jaunty_ledger_wait_seconds",
			Help:    "How long commits waited for those of other processes.",
			Buckets: prometheus.ExponentialBuckets(0.0005, 2, 14)}),
		sweeps: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "jaunty_sweep_lag_seconds",
			Help:    "How much later than due each look at what falls due began.",
			Buckets: prometheus.ExponentialBuckets(0.01, 2, 12)}),
		notices: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "jaunty_notice_attempts_total",
			Help: "Attempts at notices, by carrier and outcome."}, []string{"carrier", "outcome"}),
	}
	m.registry.MustRegister(m.packs, m.readings, m.commits, m.size, m.ledger, m.sweeps, m.notices,
		collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Intake counts a pack: of a way in, with an outcome, and the readings of it that were taken and refused.
func (m *Meter) Intake(way, outcome string, taken, refused int) {
	if m == nil {
		return
	}
	m.packs.WithLabelValues(way, outcome).Inc()
	m.readings.WithLabelValues(way, Taken).Add(float64(taken))
	m.readings.WithLabelValues(way, Refused).Add(float64(refused))
}

// Commit counts a commit of so many packs and acts that took so long.
func (m *Meter) Commit(outcome string, jobs int, took time.Duration) {
	if m == nil {
		return
	}
	m.commits.WithLabelValues(outcome).Observe(took.Seconds())
	m.size.Observe(float64(jobs))
}

// Ledger counts how long a commit waited for others.
func (m *Meter) Ledger(waited time.Duration) {
	if m != nil {
		m.ledger.Observe(waited.Seconds())
	}
}

// Sweep counts how much later than due a look at what falls due began.
func (m *Meter) Sweep(late time.Duration) {
	if m != nil {
		m.sweeps.Observe(max(late, 0).Seconds())
	}
}

// Notice counts an attempt at a notice.
func (m *Meter) Notice(carrier, outcome string) {
	if m != nil {
		m.notices.WithLabelValues(carrier, outcome).Inc()
	}
}

// Gauge shows what a function gives whenever somebody looks.
func (m *Meter) Gauge(name, help string, labels map[string]string, value func() float64) {
	if m != nil {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help,
			ConstLabels: labels}, value))
	}
}

// Count shows what a function counts whenever somebody looks; it never goes down.
func (m *Meter) Count(name, help string, labels map[string]string, value func() float64) {
	if m != nil {
		m.registry.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{Name: name, Help: help,
			ConstLabels: labels}, value))
	}
}

// Handler answers with all that is counted: OpenMetrics text where that is asked for.
func (m *Meter) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{EnableOpenMetrics: true, MaxRequestsInFlight: 2,
		Timeout: 5 * time.Second})
}
