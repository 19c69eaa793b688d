package service

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"net"
	"net/http"
	"time"

	"jauntylark/meter"
	"jauntylark/pipeline"
	"jauntylark/server/web"
	"jauntylark/store"
	"jauntylark/store/timeseries"
)

// backlogAsked is how long the database may take to tell what waits to be sealed.
const backlogAsked = 2 * time.Second

// openMetrics opens the listener that tells the service's own figures, apart from the one that people and devices
// reach, and gives what answers there until a context ends.
func (s Settings) openMetrics(records *store.Store, pipe *pipeline.Pipeline, face *web.Server,
	counts *meter.Meter) (run func(context.Context), err error) {
	if !open(s.Metrics) {
		return func(context.Context) {}, nil
	}
	listener, err := net.Listen("tcp", s.Metrics)
	if err != nil {
		return nil, fmt.Errorf("--metrics: %w", err)
	}
	counts.Gauge("jaunty_commit_queue_jobs", "Packs and acts that wait for a commit.", nil,
		func() float64 { return float64(pipe.Waiting()) })
	counts.Gauge("jaunty_live_streams", "Live streams that are open.", nil,
		func() float64 { return float64(face.Streams()) })
	counts.Gauge("jaunty_ready", "1 while readings are taken, else 0.", nil, func() float64 {
		if face.Readiness().Ready {
			return 1
		}
		return 0
	})
	counts.Gauge("jaunty_plain_readings", "Readings that wait to be sealed into blocks.", nil, func() float64 {
		ctx, cancel := context.WithTimeout(store.For(context.Background(), store.Background), backlogAsked)
		defer cancel()
		b, err := timeseries.Backlog(ctx, records)
		if err != nil {
			return math.NaN()
		}
		return float64(b.Rows)
	})
	for part, stats := range records.Connections() {
		labels := map[string]string{"part": part}
		counts.Gauge("jaunty_database_connections_used", "Connections to the database in use, by what they are for.",
			labels, func() float64 { return float64(stats().InUse) })
		counts.Gauge("jaunty_database_connections_open",
			"Connections to the database that are open, by what they are for.", labels,
			func() float64 { return float64(stats().OpenConnections) })
		counts.Count("jaunty_database_connection_waits_total",
			"How often something waited for a connection, by what they are for.", labels,
			func() float64 { return float64(stats().WaitCount) })
	}
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", counts.Handler())
	server := &http.Server{Handler: web.Paced(mux), ReadHeaderTimeout: 5 * time.Second, IdleTimeout: time.Minute,
		ErrorLog: slog.NewLogLogger(s.Log.Handler(), slog.LevelDebug)}
	s.Log.Info("metrics", "address", listener.Addr())
	return func(ctx context.Context) {
		stop := context.AfterFunc(ctx, func() { _ = server.Close() })
		defer stop()
		_ = server.Serve(listener)
	}, nil
}
