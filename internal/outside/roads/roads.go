// Package roads asks a road service how long ways are. It speaks the table service of OSRM
// (https://project-osrm.org/docs/v5.24.0/api/#table-service): coordinates as longitude,latitude, lengths in metres.
package roads

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/geodesic"
	"diadrom/internal/outside/asking"

	"github.com/hashicorp/golang-lru/v2/expirable"
	"github.com/paulmach/orb"
	"golang.org/x/sync/singleflight"
)

// Bounds of remembering and asking.
const (
	remembered = 1 << 17        // ways
	keptFor    = 24 * time.Hour // an answer
	failedFor  = 5 * time.Second
	maxPoints  = 100 // of one question, as an OSRM takes them unless it is told otherwise
	longest    = 1e8 // metres of a way: twice round the Earth
	slack      = 0.1 // metres by which a way may be shorter than the straight line: OSRM rounds to that
)

// Client asks one road service and remembers what it said. It is safe for many goroutines.
type Client struct {
	service *asking.Client
	ways    *expirable.LRU[pair, *decimal.Decimal] // nil: no way
	failed  *expirable.LRU[pair, string]
	flight  singleflight.Group
}

// pair is a way, its ends rounded as they are asked for.
type pair struct{ from, to orb.Point }

// New makes a client of the service at a URL. local allows one in the machine's own network.
func New(url string, local bool) *Client {
	return &Client{
		service: asking.New(url, local),
		ways:    expirable.NewLRU[pair, *decimal.Decimal](remembered, nil, keptFor),
		failed:  expirable.NewLRU[pair, string](remembered, nil, failedFor),
	}
}

// NoWay is said of points between which the service knows no way.
const NoWay = "the road service knows no way"

// Metres are the lengths of the ways from each point to another, nil where there is none; why then says so.
func (c *Client) Metres(from []orb.Point, to orb.Point) (metres []*decimal.Decimal, why string) {
	if missing := c.missing(from, to); len(missing) > 0 {
		c.ask(missing, []orb.Point{to})
	}
	return c.Remembered(from, to)
}

// Ahead asks for the ways from each point to each of many others at once, until the time is up.
func (c *Client) Ahead(ctx context.Context, from, to []orb.Point) {
	var missing []orb.Point
	seen := map[orb.Point]bool{}
	for _, p := range to {
		if q := rounded(p); !seen[q] && len(c.missing(from, p)) > 0 {
			seen[q] = true
			missing = append(missing, p)
		}
	}
	if len(from) == 0 || len(from) >= maxPoints {
		return
	}
	for len(missing) > 0 && ctx.Err() == nil {
		n := min(len(missing), maxPoints-len(from))
		c.ask(from, missing[:n])
		missing = missing[n:]
	}
}

// Remembered is Metres of what was asked before.
func (c *Client) Remembered(from []orb.Point, to orb.Point) (metres []*decimal.Decimal, why string) {
	metres = make([]*decimal.Decimal, len(from))
	for i, p := range from {
		key := pair{rounded(p), rounded(to)}
		m, ok := c.ways.Get(key)
		switch {
		case ok && m == nil:
			why = NoWay
		case ok:
			metres[i] = m
		default:
			why = "the road service was not asked in time"
			if failure, failed := c.failed.Get(key); failed {
				why = failure
			}
		}
	}
	return metres, why
}

// missing are the points from which neither a way nor a recent failure is known.
func (c *Client) missing(from []orb.Point, to orb.Point) (list []orb.Point) {
	for _, p := range from {
		key := pair{rounded(p), rounded(to)}
		if !c.ways.Contains(key) && !c.failed.Contains(key) {
			list = append(list, p)
		}
	}
	return list
}

// rounded is a point as it is asked for: six decimals are a decimetre.
func rounded(p orb.Point) orb.Point {
	return orb.Point{math.Round(p[0]*1e6) / 1e6, math.Round(p[1]*1e6) / 1e6}
}

// table is the answer of the table service.
type table struct {
	Code      string           `json:"code"`
	Message   string           `json:"message"`
	Distances [][]*json.Number `json:"distances"`
}

// ask asks for ways and remembers what came of it. The same question at the same time is one.
func (c *Client) ask(from, to []orb.Point) {
	path := question(from, to)
	c.flight.Do(path, func() (any, error) { //nolint:errcheck // what failed is remembered
		for len(from) > 0 {
			n := min(len(from), maxPoints-len(to))
			c.some(from[:n], to)
			from = from[n:]
		}
		return nil, nil
	})
}

func (c *Client) some(from, to []orb.Point) {
	var t table
	err := c.service.Get(context.Background(), question(from, to), &t)
	failure := ""
	switch {
	case err != nil:
		var f asking.Failure
		errors.As(err, &f)
		failure = "the road service " + string(f)
	case t.Code == "":
		failure = "the road service did not answer in the form that was expected"
	case t.Code != "Ok":
		failure = fmt.Sprintf("the road service refused the question (%.60s)", strings.TrimSpace(t.Code+" "+t.Message))
	case len(t.Distances) != len(from):
		failure = "the road service did not answer for every place"
	}
	for i, p := range from {
		for j, q := range to {
			key, why := pair{rounded(p), rounded(q)}, failure
			if why == "" && len(t.Distances[i]) != len(to) {
				why = "the road service did not answer for every place"
			}
			if why != "" {
				c.failed.Add(key, why)
				continue
			}
			if metres, why := read(t.Distances[i][j], p, q); why == "" {
				c.ways.Add(key, metres)
			} else {
				c.failed.Add(key, why)
			}
		}
	}
}

// question is the path that asks for ways.
func question(from, to []orb.Point) string {
	var points, sources, destinations []string
	add := func(list *[]string, p orb.Point) {
		p = rounded(p)
		*list = append(*list, strconv.Itoa(len(points)))
		points = append(points, strconv.FormatFloat(p.Lon(), 'f', -1, 64)+","+strconv.FormatFloat(p.Lat(), 'f', -1, 64))
	}
	for _, p := range from {
		add(&sources, p)
	}
	for _, p := range to {
		add(&destinations, p)
	}
	return "/table/v1/driving/" + strings.Join(points, ";") + "?sources=" + strings.Join(sources, ";") +
		"&destinations=" + strings.Join(destinations, ";") + "&annotations=distance"
}

// read reads a length as the service wrote it; nil for no way. One that cannot be is a failure.
func read(n *json.Number, from, to orb.Point) (metres *decimal.Decimal, failure string) {
	if n == nil {
		return nil, ""
	}
	near, err := strconv.ParseFloat(n.String(), 64)
	if err != nil || near > longest {
		return nil, "the road service named a length that cannot be"
	}
	m, err := decimal.Parse(n.String())
	if err != nil { // such as 1.2e4
		m = decimal.FromFloat(near, 3)
	}
	straight := geodesic.Distance(from.Lat(), from.Lon(), to.Lat(), to.Lon())
	if m.Sign() < 0 || m.Float64()+slack < straight {
		return nil, "the road service named a way that is shorter than the straight line"
	}
	return &m, ""
}
