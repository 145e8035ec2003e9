package standin

import (
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math"
	"net/http"
	"strconv"
	"strings"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/geodesic"

	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/paulmach/orb"
	"github.com/tidwall/rtree"
	"gonum.org/v1/gonum/graph"
	"gonum.org/v1/gonum/graph/path"
	"gonum.org/v1/gonum/graph/simple"
	"gonum.org/v1/gonum/graph/topo"
)

// How roads wind in the stand-in. Invented, but roads of real countries are 1.2 to 1.5 times the straight line.
const (
	neighbours = 5       // places that each place has a road to, at least
	leastWind  = 1.15    // a road's length over its straight line, at least
	windSpread = 0.35    // and so much more at most
	offRoad    = 1.2     // the way from a point to the nearest place, over its straight line
	maxOffRoad = 100_000 // metres; farther from any place there are no roads
	maxFerry   = 150_000 // metres; islands farther off than that cannot be reached
	keptTrees  = 256
	maxPoints  = 100 // of one question
)

// Roads is a road service over the places of a list: each has roads to its neighbours, which wind more or less, always
// the same. It is safe for many goroutines.
type Roads struct {
	places []orb.Point
	tree   rtree.RTreeG[int]
	graph  *simple.WeightedUndirectedGraph
	trees  *lru.Cache[int64, path.Shortest]
}

// NewRoads lays roads between the places of a list.
func NewRoads(g *gazetteer.Gazetteer) *Roads {
	r := &Roads{graph: simple.NewWeightedUndirectedGraph(0, math.Inf(1))}
	r.trees, _ = lru.New[int64, path.Shortest](keptTrees)
	seen := map[orb.Point]bool{}
	for i := range int32(g.Len()) {
		p := g.At(i)
		at := orb.Point{p.Lon, p.Lat}
		if !p.Located || seen[at] {
			continue
		}
		seen[at] = true
		r.tree.Insert(at, at, len(r.places))
		r.graph.AddNode(simple.Node(len(r.places)))
		r.places = append(r.places, at)
	}
	for i := range r.places {
		n := 0
		r.near(r.places[i], func(j int) bool {
			if j != i {
				r.connect(i, j)
				n++
			}
			return n < neighbours
		})
	}
	r.ferries()
	return r
}

// near goes through the places by their distance in degrees, longitudes shrunk as they are at that latitude.
func (r *Roads) near(p orb.Point, each func(i int) bool) {
	shrink := math.Cos(p.Lat() * math.Pi / 180)
	off := func(from, to float64) float64 { return max(from, 0, to) }
	r.tree.Nearby(func(low, high [2]float64, _ int, _ bool) float64 {
		x := off(low[0]-p[0], p[0]-high[0]) * shrink
		y := off(low[1]-p[1], p[1]-high[1])
		return x*x + y*y
	}, func(_, _ [2]float64, i int, _ float64) bool { return each(i) })
}

// connect lays a road between two places.
func (r *Roads) connect(i, j int) {
	if i == j || r.graph.HasEdgeBetween(int64(i), int64(j)) {
		return
	}
	h := fnv.New32a()
	fmt.Fprintf(h, "%.5f %.5f", r.places[min(i, j)], r.places[max(i, j)])
	wind := leastWind + windSpread*float64(h.Sum32())/math.MaxUint32
	length := straight(r.places[i], r.places[j]) * wind
	r.graph.SetWeightedEdge(r.graph.NewWeightedEdge(simple.Node(i), simple.Node(j), length))
}

// ferries joins parts that no road joins to their nearest neighbours, where those are not too far.
func (r *Roads) ferries() {
	for {
		parts := topo.ConnectedComponents(r.graph)
		if len(parts) < 2 {
			return
		}
		part := make([]int, len(r.places))
		for k, nodes := range parts {
			for _, n := range nodes {
				part[n.ID()] = k
			}
		}
		joined := false
		for k, nodes := range parts {
			if k == largest(parts) {
				continue
			}
			from, to, least := -1, -1, float64(maxFerry)
			for _, n := range nodes {
				i := int(n.ID())
				r.near(r.places[i], func(j int) bool {
					if part[j] == k {
						return true
					}
					if d := straight(r.places[i], r.places[j]); d < least {
						from, to, least = i, j, d
					}
					return false
				})
			}
			if from >= 0 {
				r.connect(from, to)
				joined = true
			}
		}
		if !joined {
			return
		}
	}
}

func largest(parts [][]graph.Node) (at int) {
	for i := range parts {
		if len(parts[i]) > len(parts[at]) {
			at = i
		}
	}
	return at
}

func straight(a, b orb.Point) float64 { return geodesic.Distance(a.Lat(), a.Lon(), b.Lat(), b.Lon()) }

// Metres is the length of the shortest way between two points, rounded up to a decimetre; false where there is none.
func (r *Roads) Metres(from, to orb.Point) (float64, bool) {
	if from == to {
		return 0, true
	}
	i, ok := r.nearest(from)
	j, known := r.nearest(to)
	if !ok || !known {
		return 0, false
	}
	tree, ok := r.trees.Get(int64(i))
	if !ok {
		tree = path.DijkstraFrom(simple.Node(i), r.graph)
		r.trees.Add(int64(i), tree)
	}
	between := tree.WeightTo(int64(j))
	if math.IsInf(between, 1) {
		return 0, false
	}
	metres := between + offRoad*(straight(from, r.places[i])+straight(to, r.places[j]))
	return math.Ceil(metres*10) / 10, true
}

// nearest is the place nearest to a point, if one is near enough.
func (r *Roads) nearest(p orb.Point) (at int, ok bool) {
	at = -1
	r.near(p, func(i int) bool {
		at = i
		return false
	})
	return at, at >= 0 && straight(p, r.places[at]) <= maxOffRoad
}

// ServeHTTP answers the table service.
func (r *Roads) ServeHTTP(w http.ResponseWriter, q *http.Request) {
	points, ok := coordinates(strings.TrimPrefix(q.URL.Path, "/table/v1/driving/"))
	if !strings.HasPrefix(q.URL.Path, "/table/v1/driving/") || !ok {
		send(w, http.StatusBadRequest, map[string]any{"code": "InvalidUrl", "message": "URL string malformed"})
		return
	}
	if len(points) > maxPoints {
		send(w, http.StatusBadRequest, map[string]any{"code": "TooBig", "message": "Too many table coordinates"})
		return
	}
	query := q.URL.Query()
	// Semicolons part numbers here; the standard library takes them for parts of the query.
	sources, ok := chosen(q.URL.RawQuery, "sources", len(points))
	destinations, known := chosen(q.URL.RawQuery, "destinations", len(points))
	if a := query.Get("annotations"); !ok || !known || a != "" && a != "distance" {
		send(w, http.StatusBadRequest, map[string]any{"code": "InvalidOptions", "message": "Options are invalid"})
		return
	}
	table := make([][]*float64, len(sources))
	for i, s := range sources {
		table[i] = make([]*float64, len(destinations))
		for j, d := range destinations {
			if metres, ok := r.Metres(points[s], points[d]); ok {
				table[i][j] = &metres
			}
		}
	}
	waypoints := func(list []int) []any {
		out := make([]any, len(list))
		for i, at := range list {
			out[i] = map[string]any{"location": points[at], "name": "", "distance": 0}
		}
		return out
	}
	send(w, http.StatusOK, map[string]any{"code": "Ok", "distances": table, "sources": waypoints(sources),
		"destinations": waypoints(destinations)})
}

// coordinates reads "lon,lat;lon,lat".
func coordinates(text string) (list []orb.Point, ok bool) {
	for pair := range strings.SplitSeq(text, ";") {
		lonText, latText, _ := strings.Cut(pair, ",")
		lon, lonErr := strconv.ParseFloat(lonText, 64)
		lat, latErr := strconv.ParseFloat(latText, 64)
		if lonErr != nil || latErr != nil || !(math.Abs(lon) <= 180 && math.Abs(lat) <= 90) {
			return nil, false
		}
		list = append(list, orb.Point{lon, lat})
	}
	return list, true
}

// chosen reads which of n points a parameter of a query names: "0;2", "all" or nothing for all of them.
func chosen(query, name string, n int) (list []int, ok bool) {
	value := "all"
	for part := range strings.SplitSeq(query, "&") {
		if key, v, _ := strings.Cut(part, "="); key == name {
			value = strings.ReplaceAll(v, "%3B", ";")
		}
	}
	if value == "all" {
		for i := range n {
			list = append(list, i)
		}
		return list, true
	}
	for text := range strings.SplitSeq(value, ";") {
		i, err := strconv.Atoi(text)
		if err != nil || i < 0 || i >= n {
			return nil, false
		}
		list = append(list, i)
	}
	return list, true
}

func send(w http.ResponseWriter, status int, body any) {
	w.Header().Set("Content-Type", "application/json; charset=utf-8")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(body) //nolint:errcheck // nobody listens any more
}
