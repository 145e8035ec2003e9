package quote

import (
	"math/big"
	"slices"
	"sort"
	"strconv"
	"strings"

	"diadrom/internal/core/world"
)

// Zones and their narrowness in the plain evaluation.

// plainMatch says whether a rule takes an address, and how narrowly: level and size within it.
func plainMatch(file, rule, to obj) (level int, size *big.Rat, ok bool) {
	zero := new(big.Rat)
	country, code := text(to, "country"), strings.NewReplacer(" ", "", "-", "").Replace(text(to, "postcode"))
	switch {
	case rule["within"] != nil:
		w := sub(rule, "within")
		lat, lon := text(w, "lat"), text(w, "lon")
		for _, l := range list(file, "locations") {
			if o := l.(obj); text(o, "id") == text(w, "location") {
				lat, lon = text(o, "lat"), text(o, "lon")
			}
		}
		if text(to, "lat") == "" {
			return 0, nil, false
		}
		radius := ratOr(w, "distance", "0")
		return 1, new(
				big.Rat,
			).Mul(radius, radius), plainDistance(
				file,
				lat,
				lon,
				text(to, "lat"),
				text(to, "lon"),
			).Cmp(radius) <= 0
	case rule["postcodes"] != nil:
		if text(rule, "country") != country || code == "" {
			return 0, nil, false
		}
		best := -1
		for _, e := range texts(rule, "postcodes") {
			codes, takes := 0, false
			switch from, until, isRange := strings.Cut(e, " to "); {
			case isRange:
				takes = len(code) == len(from) && code >= from && code <= until
				a, _ := strconv.Atoi(from)
				b, _ := strconv.Atoi(until)
				codes = b - a + 1
			case strings.HasSuffix(e, "*"):
				prefix := strings.TrimSuffix(e, "*")
				takes = strings.HasPrefix(code, prefix)
				codes = 1
				for range 5 - len(prefix) {
					codes *= 10
				}
			default:
				takes = code == e
			}
			if takes && (best < 0 || codes < best) {
				best = codes
			}
		}
		return 2, new(big.Rat).SetInt64(int64(max(best, 0))), best >= 0
	case text(rule, "city") != "":
		return 3, zero, text(rule, "country") == country &&
			world.Fold(text(rule, "city")) == world.Fold(text(to, "city"))
	case text(rule, "region") != "":
		return 4, zero, text(rule, "country") == country && text(rule, "region") == text(to, "region")
	case text(rule, "country") != "":
		return 5, zero, text(rule, "country") == country
	case text(rule, "group") != "":
		g, _ := world.GroupByCode(text(rule, "group"))
		return 6, new(big.Rat).SetInt64(int64(len(g.Countries))), slices.Contains(g.Countries, country)
	}
	return 7, zero, truth(rule, "world", false)
}

type plainZone struct {
	index, level int
	size         *big.Rat
	zone         obj
}

func plainTakes(file, owner, to obj) (z plainZone, ok bool) {
	for _, r := range list(owner, "except") {
		if _, _, takes := plainMatch(file, r.(obj), to); takes {
			return z, false
		}
	}
	for _, r := range list(owner, "places") {
		if level, size, takes := plainMatch(file, r.(obj), to); takes {
			if !ok || level < z.level || level == z.level && size.Cmp(z.size) < 0 {
				z.level, z.size, ok = level, size, true
			}
		}
	}
	return z, ok
}

func plainZones(file, to obj) (out []plainZone) {
	for i, v := range list(file, "zones") {
		zone := v.(obj)
		if z, ok := plainTakes(file, zone, to); ok && truth(zone, "enabled", true) {
			z.index, z.zone = i, zone
			out = append(out, z)
		}
	}
	sort.SliceStable(out, func(i, j int) bool {
		a, b := out[i], out[j]
		ra, rankedA := a.zone["rank"].(float64)
		rb, rankedB := b.zone["rank"].(float64)
		switch {
		case rankedA != rankedB:
			return rankedA
		case rankedA && ra != rb:
			return ra < rb
		case a.level != b.level:
			return a.level < b.level
		}
		return a.size.Cmp(b.size) < 0
	})
	return out
}
