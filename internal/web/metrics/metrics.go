// Package metrics tells a monitor how a shop is doing, in the text format of Prometheus.
package metrics

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/shop/backups"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/rehearsal"
	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Metrics are counted while a shop is served. They carry no person's, key's or buyer's name.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.CounterVec
	latency  *prometheus.HistogramVec
	took     prometheus.Histogram
	outcomes map[string]prometheus.Counter
	refusals map[string]prometheus.Counter
	held     prometheus.Counter
}

// Outcomes of quotes.
const (
	offered    = "offered"
	nothing    = "nothing_offered"
	noShipping = "no_shipping"
	faulty     = "faulty"
)

// New makes metrics, with those of the Go runtime and of the process.
func New() *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewCounterVec(prometheus.CounterOpts{
			Name: "diadrom_http_requests_total", Help: "Requests by route, method and status.",
		}, []string{"route", "method", "status"}),
		latency: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "diadrom_http_request_seconds", Help: "How long requests took, by route.",
			Buckets: prometheus.ExponentialBuckets(0.0005, 2.5, 12),
		}, []string{"route"}),
		took: prometheus.NewHistogram(prometheus.HistogramOpts{
			Name: "diadrom_quote_seconds", Help: "How long quotes took, carriers included.",
			Buckets: prometheus.ExponentialBuckets(0.00001, 4, 10),
		}),
		outcomes: map[string]prometheus.Counter{}, refusals: map[string]prometheus.Counter{},
		held: prometheus.NewCounter(prometheus.CounterOpts{
			Name: "diadrom_quotes_held_total", Help: "Quotes that were signed to be held.",
		}),
	}
	quotes := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "diadrom_quotes_total", Help: "Quotes by outcome: offered, nothing_offered, no_shipping, faulty.",
	}, []string{"outcome"})
	for _, o := range []string{offered, nothing, noShipping, faulty} {
		m.outcomes[o] = quotes.WithLabelValues(o)
	}
	refused := prometheus.NewCounterVec(prometheus.CounterOpts{
		Name: "diadrom_refusals_total", Help: "Methods that were not offered, by code.",
	}, []string{"code"})
	for _, code := range []string{quote.OutsideZones, quote.ZoneOnly, quote.NotAvailable, quote.Needs,
		quote.ParcelTooHeavy,
		quote.NoDistance, quote.NoRate, quote.Carrier} {
		m.refusals[code] = refused.WithLabelValues(code)
	}
	m.registry.MustRegister(m.requests, m.latency, m.took, m.held, quotes, refused, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

// Shop is what is read when a monitor asks.
type Shop struct {
	Draft    *draft.Draft
	DB       *sqlite.DB
	Carriers *carriers.Client
}

// Watch adds what is known of a shop.
func (m *Metrics) Watch(s Shop) {
	m.registry.MustRegister(&shop{Shop: s}, collectors.NewDBStatsCollector(s.DB.Handle(), "shop"))
}

// Quoted counts a quote that was answered.
func (m *Metrics) Quoted(a *quote.Answer, took time.Duration) {
	if m == nil {
		return
	}
	outcome := offered
	switch {
	case !a.NeedsShipping:
		outcome = noShipping
	case len(a.Options) == 0:
		outcome = nothing
	}
	m.outcomes[outcome].Inc()
	m.took.Observe(took.Seconds())
	for i := range a.Refused {
		if c := m.refusals[a.Refused[i].Code]; c != nil {
			c.Inc()
		}
	}
	if a.Held != nil {
		m.held.Inc()
	}
}

// Faulty counts a request for a quote that was not answered.
func (m *Metrics) Faulty() {
	if m != nil {
		m.outcomes[faulty].Inc()
	}
}

// Count counts requests by route.
func (m *Metrics) Count(c *gin.Context) {
	begun := time.Now()
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "none" // whatever was asked is not a label: anybody could make as many as they like
	}
	m.requests.WithLabelValues(route, known(c.Request.Method), strconv.Itoa(c.Writer.Status())).Inc()
	m.latency.WithLabelValues(route).Observe(time.Since(begun).Seconds())
}

func known(method string) string {
	switch method {
	case http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete,
		http.MethodOptions:
		return method
	}
	return "other"
}

// Handler answers monitors at /metrics, and nothing else.
func (m *Metrics) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{Registry: m.registry}))
	return mux
}

// shop collects what is read when a monitor asks.
type shop struct{ Shop }

func description(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("diadrom_"+name, help, labels, nil)
}

var (
	revision = description("draft_revision", "The revision of the draft: it counts edits.")
	edition  = description("live_edition", "The number of the edition that is live, 0 for none.")
	turn     = description("publications_total", "How often an edition was published.")
	damaged  = description(
		"live_edition_damaged",
		"1 where buyers are quoted from an earlier edition since the live one is "+
			"damaged.",
	)
	backupAge = description("backup_age_seconds", "How old the newest backup is; nothing where there is none.")
	backupBad = description("backup_failed",
		"1 where the last backup could not be made, or could not be restored for a test.")
	size      = description("database_bytes", "The size of the files of the database.", "file")
	exchanges = description(
		"carrier_exchanges_total",
		"Exchanges with a carrier since the program began.",
		"carrier",
		"outcome",
	)
	leftAlone = description(
		"carrier_left_alone_total",
		"Questions while a carrier was left alone after failures.",
		"carrier",
	)
	median = description(
		"carrier_seconds",
		"How long exchanges with a carrier take (nearest rank).",
		"carrier",
		"quantile",
	)
)

// Describe implements [prometheus.Collector].
func (*shop) Describe(out chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{revision, edition, turn, damaged, backupAge, backupBad, size, exchanges,
		leftAlone, median} {
		out <- d
	}
}

// Collect implements [prometheus.Collector].
func (s *shop) Collect(out chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		out <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	counter := func(d *prometheus.Desc, v int, labels ...string) {
		out <- prometheus.MustNewConstMetric(d, prometheus.CounterValue, float64(v), labels...)
	}
	gauge(revision, float64(s.Draft.State().Revision))
	number, turns, bad := int64(0), int64(0), 0.0
	if live := s.Draft.Live(); live != nil {
		if number, turns = live.Number, live.Turn; live.Damaged != 0 {
			bad = 1
		}
		for i := range live.File.Carriers {
			id := live.File.Carriers[i].ID
			r := s.Carriers.Record(id)
			counter(exchanges, r.Exchanges-r.Failed, id, "answered")
			counter(exchanges, r.Failed, id, "failed")
			counter(leftAlone, r.LeftAlone, id)
			gauge(median, r.Median.Seconds(), id, "0.5")
			gauge(median, r.P99.Seconds(), id, "0.99")
		}
	}
	gauge(edition, float64(number))
	counter(turn, int(turns))
	gauge(damaged, bad)
	s.backups(gauge)
	database, wal := s.DB.Sizes()
	gauge(size, float64(database), "database")
	gauge(size, float64(wal), "wal")
}

// backups tells how old the newest backup is, and whether something is wrong with them.
func (s *shop) backups(gauge func(d *prometheus.Desc, v float64, labels ...string)) {
	if last, count, err := sqlite.LastBackup(s.DB.Dir()); err == nil && count > 0 {
		gauge(backupAge, time.Since(last.At).Seconds())
	}
	ctx, stop := context.WithTimeout(context.Background(), 5*time.Second)
	defer stop()
	missed, _, err := backups.Failed(ctx, s.DB)
	tested, broke := rehearsal.Last(ctx, s.DB)
	if err != nil || broke != nil {
		return // a monitor is told nothing rather than something wrong
	}
	bad := 0.0
	if !missed.IsZero() || !tested.Failed.IsZero() {
		bad = 1
	}
	gauge(backupBad, bad)
}

// Node is what is counted of a node.
type Node interface {
	Stale() string
	PassedOver() int64
}

// WatchNode has metrics say whether a node is stale, and how many manifests it has passed over.
func (m *Metrics) WatchNode(n Node) {
	m.registry.MustRegister(
		prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: "diadrom_node_stale",
			Help: "1 while the node may not know the last that its shop has published, such as revoked keys."},
			func() float64 {
				if n.Stale() != "" {
					return 1
				}
				return 0
			}),
		prometheus.NewCounterFunc(prometheus.CounterOpts{Name: "diadrom_node_passed_over_total",
			Help: "Manifests that were not taken, because they came before the one in place."},
			func() float64 { return float64(n.PassedOver()) }),
	)
}
