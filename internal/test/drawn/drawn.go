// Package drawn draws stores and requests for property tests: odd ones, but without faults.
package drawn

import (
	"fmt"

	"diadrom/internal/core/store"

	"pgregory.net/rapid"
)

type obj = map[string]any

// Amount draws an amount that is not below 0.
func Amount(t *rapid.T, name string) string {
	return rapid.SampledFrom(
		[]string{"0", "0.50", "1.00", "2.345", "4.90", "6.66", "9.999", "12.00", "30.00", "0.005"},
	).Draw(t, name)
}

// Maybe is true once in four draws.
func Maybe(t *rapid.T, name string) bool { return rapid.IntRange(0, 3).Draw(t, name+"?") == 0 }

// Rule draws a place rule.
func Rule(t *rapid.T) obj {
	return rapid.SampledFrom([]obj{
		{"world": true},
		{"group": "EU"},
		{"group": "154"},
		{"country": "FI"},
		{"country": "SE"},
		{"country": "FI", "region": "FI-19"},
		{"country": "FI", "city": "Naantali"},
		{"country": "FI", "postcodes": []any{"21100", "22*"}},
		{"country": "FI", "postcodes": []any{"21*"}},
		{"country": "FI", "postcodes": []any{"20100 to 21999"}},
		{"country": "FI", "postcodes": []any{"211*", "99999"}},
		{"country": "SE", "postcodes": []any{"10000 to 19999"}},
		{"within": obj{"location": "w", "distance": "15"}},
		{"within": obj{"lat": "60.45", "lon": "22.25", "distance": "8.5"}},
	}).Draw(t, "rule")
}

func drawRules(t *rapid.T, least, most int) []any {
	rules := []any{}
	for range rapid.IntRange(least, most).Draw(t, "rules") {
		rules = append(rules, Rule(t))
	}
	return rules
}

func drawCharge(t *rapid.T, graduated bool) any {
	switch rapid.IntRange(0, 5).Draw(t, "charge") {
	case 0:
		if rapid.Bool().Draw(t, "no") {
			return nil
		}
		fallthrough
	case 1:
		return Amount(t, "base")
	}
	c := obj{"base": Amount(t, "base")}
	for _, key := range []string{"per_item", "first_item", "next_item", "percent"} {
		if Maybe(t, key) {
			c[key] = Amount(t, key)
		}
	}
	for _, key := range []string{"per_weight", "per_distance"} {
		if Maybe(t, key) {
			p := obj{"amount": Amount(t, key)}
			if Maybe(t, "every") {
				p["every"] = rapid.SampledFrom([]string{"0.5", "3", "7", "1"}).Draw(t, "every")
			}
			if !graduated && Maybe(t, "above") {
				p["above"] = rapid.SampledFrom([]string{"1", "2.5", "10"}).Draw(t, "above")
			}
			if !graduated && Maybe(t, "started") {
				p["part"] = "started"
			}
			c[key] = p
		}
	}
	return c
}

func drawTable(t *rapid.T, id string, zones, classes []any) obj {
	by := rapid.SampledFrom(
		[]string{"order", "weight", "billed_weight", "subtotal", "quantity", "distance"},
	).Draw(t, "by")
	table := obj{"id": id, "zones": zones, "classes": classes, "by": by}
	if Maybe(t, "per order") {
		table["per"] = "order"
	}
	row := func(at any) obj {
		graduated, _ := table["graduated"].(bool)
		charges := []any{}
		for range zones {
			charges = append(charges, drawCharge(t, graduated))
		}
		return obj{"at": at, "charges": charges}
	}
	if by == "order" {
		table["rows"] = []any{row(nil)}
		return table
	}
	table["graduated"] = by != "subtotal" && Maybe(t, "graduated")
	rows, at := []any{}, 0
	edges := rapid.SampledFrom([]string{"from", "up_to"}).Draw(t, "edges")
	table["edges"] = edges
	if edges == "from" {
		rows = append(rows, row("0"))
	}
	for range rapid.IntRange(1, 3).Draw(t, "rows") {
		at += rapid.IntRange(1, 9).Draw(t, "step")
		rows = append(rows, row(fmt.Sprint(at)))
	}
	if edges == "up_to" && rapid.Bool().Draw(t, "open") {
		rows = append(rows, row(nil))
	}
	table["rows"] = rows
	return table
}

// samePer has tables of which the dearest counts price the same: each parcel, or the order.
func samePer(m obj) {
	tables := m["tables"].([]any)
	if m["classes"] != "dearest" {
		return
	}
	for _, t := range tables[1:] {
		delete(t.(obj), "per")
		if per, ok := tables[0].(obj)["per"]; ok {
			t.(obj)["per"] = per
		}
	}
}

func drawTerms(t *rapid.T, into obj) {
	if Maybe(t, "minimum") {
		into["minimum"] = Amount(t, "minimum")
	}
	if Maybe(t, "maximum") {
		into["maximum"] = Amount(t, "maximum")
	}
	if Maybe(t, "handling") {
		into["handling"] = obj{
			"amount":  Amount(t, "handling"),
			"percent": Amount(t, "percent"),
			"of":      rapid.SampledFrom([]string{"charge", "subtotal"}).Draw(t, "of"),
		}
	}
	if Maybe(t, "days") {
		least := rapid.IntRange(0, 4).Draw(t, "min days")
		into["days"] = obj{
			"min":      float64(least),
			"max":      float64(least + rapid.IntRange(0, 3).Draw(t, "more days")),
			"business": rapid.Bool().Draw(t, "business"),
		}
	}
	if Maybe(t, "free") {
		into["free"] = obj{
			"subtotal": "40",
			"coupons":  []any{"LÖYLY"},
			"require":  rapid.SampledFrom([]string{"any", "all"}).Draw(t, "require"),
		}
		if Maybe(t, "quantity") {
			into["free"] = obj{"quantity": float64(4)}
		}
		if Maybe(t, "free for a while") {
			into["free"].(obj)["available"] = drawPeriod(t)
		}
	}
	if Maybe(t, "needs") {
		into["needs"] = rapid.SampledFrom([]obj{
			{"weight": obj{"to": "9"}},
			{"subtotal": obj{"from": "10", "to": "90"}},
			{"quantity": obj{"from": "2"}},
			{"longest_side": obj{"to": "60"}},
			{"billed_weight": obj{"from": "1", "to": "12"}},
			{"distance": obj{"to": "20"}},
			{"parcel_weight": obj{"to": "9"}},
			{"parcel_weight": obj{"from": "1"}},
			{"girth": obj{"to": "140"}},
			{"coupons": []any{"LÖYLY"}},
			{"groups": []any{"trade"}},
			{"only_classes": []any{"a"}},
			{"without_classes": []any{"b"}},
		}).Draw(t, "needs")
	}
}

// Store draws a store file without faults, as JSON has it, in which everything that the contract names occurs.
func Store(t *rapid.T) obj {
	zones, ids := []any{}, []any{}
	for i := range rapid.IntRange(1, 4).Draw(t, "zones") {
		z := obj{
			"id":      fmt.Sprintf("z%d", i),
			"places":  drawRules(t, 1, 2),
			"except":  []any{},
			"enabled": !Maybe(t, "off"),
			"only":    Maybe(t, "only"),
		}
		if Maybe(t, "except") {
			z["except"] = drawRules(t, 1, 1)
		}
		if Maybe(t, "rank") {
			z["rank"] = float64(rapid.IntRange(-1, 2).Draw(t, "rank"))
		}
		zones, ids = append(zones, z), append(ids, z["id"])
	}
	methods := []any{}
	for i := range rapid.IntRange(1, 3).Draw(t, "methods") {
		m := obj{"id": fmt.Sprintf("m%d", i), "taxable": !Maybe(t, "untaxed"), "enabled": !Maybe(t, "off")}
		drawTerms(t, m)
		m["classes"] = rapid.SampledFrom([]string{"together", "add", "dearest"}).Draw(t, "classes")
		served := ids[:rapid.IntRange(1, len(ids)).Draw(t, "served")]
		switch {
		case m["classes"] == "together":
			m["tables"] = []any{drawTable(t, "all", served, []any{})}
		case rapid.Bool().Draw(t, "rest"):
			m["tables"] = []any{drawTable(t, "a", served, []any{"a"}), drawTable(t, "rest", served, []any{})}
		default:
			m["tables"] = []any{drawTable(t, "a", served, []any{"a"}), drawTable(t, "b", served, []any{"b"})}
		}
		samePer(m)
		if Maybe(t, "terms") {
			own := obj{"enabled": !Maybe(t, "off")}
			drawTerms(t, own)
			m["terms"] = obj{served[0].(string): own}
		}
		if Maybe(t, "from") {
			m["from"] = "hall"
		}
		if Maybe(t, "available") {
			m["available"] = drawPeriod(t)
		}
		if Maybe(t, "asks a carrier") {
			m["kind"] = "carrier"
			m["carrier"] = rapid.SampledFrom([]obj{
				{"id": "post", "services": []any{obj{"code": "slow"}, obj{"code": "express", "label": "Tomorrow"}}},
				{"id": "post", "services": []any{obj{"code": "express"}, obj{"code": "slow", "enabled": false}},
					"percent": "12.5", "amount": "-0.50", "fallback": true},
				{"id": "post", "services": []any{obj{"code": "slow"}}, "amount": "-100"},
				{"id": "post", "services": []any{obj{"code": "express", "days": obj{"min": 1.0, "max": 4.0,
					"business": true}}, obj{"code": "slow"}}, "percent": "-100", "amount": "3.33"},
				{"id": "post", "services": []any{obj{"code": "unknown"}}, "fallback": true},
			}).Draw(t, "carrier")
		}
		if parcels := drawParcels(t); len(parcels) > 0 {
			m["parcels"] = parcels
		}
		methods = append(methods, m)
	}
	file := obj{
		"format":  store.Format,
		"zones":   zones,
		"methods": methods,
		"classes": []any{obj{"id": "a"}, obj{"id": "b"}},
		"store": obj{
			"currency":        "EUR",
			"sells_to":        drawRules(t, 0, 2),
			"subtotal_counts": rapid.SampledFrom([]string{"", "all"}).Draw(t, "counts"),
			"tax": obj{
				"prices_include_tax": rapid.Bool().Draw(t, "included"),
				"rates": []any{
					obj{"country": "FI", "percent": "25.5"},
					obj{"country": "FI", "postcodes": []any{"22*"}, "percent": "0"},
					obj{"group": "EU", "percent": "19"},
				},
			},
		},
		"locations": []any{
			obj{"id": "w", "country": "FI", "lat": "60.4674", "lon": "22.0260", "ships_from": true},
			obj{
				"id":         "hall",
				"country":    "FI",
				"lat":        "60.4492",
				"lon":        "22.2661",
				"ships_from": Maybe(t, "hall ships"),
			},
			obj{"id": "shed"}, // nobody knows where
		},
		"carriers": []any{obj{"id": "post", "name": "Post", "url": "http://post.example"}},
		"boxes": []any{
			obj{"id": "small", "length": "50", "width": "20", "height": "15", "weight": "0.2", "cost": "0.60"},
			obj{"id": "large", "length": "80", "width": "40", "height": "35.5", "weight": "1", "max_weight": "25"},
			obj{"id": "tube", "length": "90", "width": "15", "height": "15"},
		},
	}
	file["costs"] = drawCosts(t, ids, methods)
	shop := file["store"].(obj)
	if rapid.Bool().Draw(t, "volumetric") {
		shop["volumetric_divisor"] = rapid.SampledFrom([]string{"5000", "6000", "7"}).Draw(t, "divisor")
	}
	if Maybe(t, "own divisor") {
		methods[0].(obj)["volumetric_divisor"] = rapid.SampledFrom([]string{"4000", "3"}).Draw(t, "own divisor")
	}
	if Maybe(t, "units") {
		shop["weight_unit"] = rapid.SampledFrom([]string{"g", "kg", "oz", "lb"}).Draw(t, "weight unit")
		shop["length_unit"] = rapid.SampledFrom([]string{"mm", "cm", "m", "in"}).Draw(t, "length unit")
	}
	if rapid.Bool().Draw(t, "by road") {
		shop["distance_by"] = "road"
		shop["road_factor"] = rapid.SampledFrom([]string{"", "1", "1.3", "1.4567"}).Draw(t, "factor")
	}
	if Maybe(t, "miles") {
		shop["distance_unit"] = "mi"
	}
	if rapid.Bool().Draw(t, "dispatch") {
		shop["dispatch"] = obj{
			"time_zone": rapid.SampledFrom([]string{"Europe/Helsinki", "America/New_York", "UTC"}).Draw(t, "time zone"),
			"cut_off":   rapid.SampledFrom([]string{"00:00", "14:00", "24:00"}).Draw(t, "cut-off"),
			"closed":    []any{"2026-12-07", "2026-12-11"},
		}
		drawOwnDispatch(t, shop["dispatch"].(obj))
		for _, m := range methods {
			if Maybe(t, "own dispatch") {
				own := obj{}
				if drawOwnDispatch(t, own); Maybe(t, "own cut-off") {
					own["cut_off"] = "09:30"
				}
				m.(obj)["dispatch"] = own
			}
		}
	}
	if Maybe(t, "surcharge") {
		file["surcharges"] = []any{
			obj{
				"id":      "s",
				"places":  drawRules(t, 1, 2),
				"except":  []any{},
				"amount":  Amount(t, "s"),
				"percent": Amount(t, "s%"),
			},
		}
	}
	if Maybe(t, "agreed") {
		file["agreed"] = []any{
			obj{"id": "g", "group": "trade", "amount": Amount(t, "agreed")},
			obj{"id": "c", "customer": "C-1", "amount": Amount(t, "agreed")},
			obj{
				"id":      "p",
				"place":   obj{"country": "FI", "postcode": "21100"},
				"methods": []any{"m0"},
				"amount":  Amount(t, "agreed"),
			},
		}
	}
	return file
}

// drawParcels draws how a method's goods become parcels.
func drawParcels(t *rapid.T) obj {
	parcels := rapid.SampledFrom([]obj{
		{}, {}, {"boxes": []any{"large", "small"}}, {"boxes": []any{"tube"}}, {"all_boxes": true},
		{"max_weight": "12"}, {"all_boxes": true, "max_weight": "10.5"}, {"boxes": []any{"small"}, "max_weight": "30"},
	}).Draw(t, "parcels")
	copied := obj{}
	for k, v := range parcels {
		copied[k] = v
	}
	return copied
}

// drawCosts draws what some of the methods cost the shop.
func drawCosts(t *rapid.T, zones, methods []any) []any {
	costs := []any{}
	left := methods
	for i := range rapid.IntRange(0, 2).Draw(t, "costs") {
		n := rapid.IntRange(0, len(left)).Draw(t, "cost of methods")
		named := []any{}
		for _, m := range left[:n] {
			named = append(named, m.(obj)["id"])
		}
		left = left[n:]
		c := obj{"id": fmt.Sprintf("c%d", i), "methods": named,
			"classes": rapid.SampledFrom([]string{"together", "add", "dearest"}).Draw(t, "cost classes")}
		served := zones[:rapid.IntRange(1, len(zones)).Draw(t, "cost zones")]
		if c["classes"] == "together" {
			c["tables"] = []any{drawTable(t, "all", served, []any{})}
		} else {
			c["tables"] = []any{drawTable(t, "a", served, []any{"a"}), drawTable(t, "rest", served, []any{})}
		}
		samePer(c)
		if Maybe(t, "per parcel") {
			c["per_parcel"] = Amount(t, "per parcel")
		}
		costs = append(costs, c)
	}
	return costs
}

// drawPeriod draws a period around the moments of requests.
func drawPeriod(t *rapid.T) obj {
	return rapid.SampledFrom([]obj{
		{"from": "2026-12-01", "to": "2026-12-07"},
		{"from": "2026-12-06"},
		{"to": "2026-12-05"},
		{"from": "2026-12-06", "to": "2026-12-06"},
		{},
	}).Draw(t, "period")
}

// drawOwnDispatch draws what the store and a method say alike of when orders leave.
func drawOwnDispatch(t *rapid.T, into obj) {
	if Maybe(t, "weekdays") {
		into["weekdays"] = rapid.SampledFrom([][]any{{"fri"}, {"mon", "wed"}, {"sat", "sun", "tue"}}).Draw(t,
			"weekdays")
	}
	if Maybe(t, "lead days") {
		into["lead_days"] = float64(rapid.IntRange(0, 6).Draw(t, "lead days"))
	}
}

// Request draws a request that can be asked of a drawn store.
func Request(t *rapid.T) obj {
	to := obj{"country": rapid.SampledFrom([]string{"FI", "FI", "FI", "SE", "NO", "US"}).Draw(t, "country")}
	if to["country"] == "FI" {
		to["postcode"] = rapid.SampledFrom(
			[]string{"21100", "21160", "22100", "20100", "20999", "99999", "", "21999"},
		).Draw(t, "postcode")
		to["region"] = rapid.SampledFrom([]string{"", "FI-19", "FI-01"}).Draw(t, "region")
		to["city"] = rapid.SampledFrom([]string{"", "NAANTALI", "Turku"}).Draw(t, "city")
	} else if to["country"] == "SE" {
		to["postcode"] = rapid.SampledFrom([]string{"111 22", "99999"}).Draw(t, "postcode")
	}
	if rapid.Bool().Draw(t, "street") {
		to["street"] = "Satamatie 4"
	}
	if rapid.Bool().Draw(t, "point") {
		p := rapid.SampledFrom(
			[][2]string{{"60.4674", "22.0260"}, {"60.45", "22.25"}, {"60.50", "22.10"}, {"59.33", "18.06"}},
		).Draw(t, "point")
		to["lat"], to["lon"] = p[0], p[1]
	}
	lines := []any{}
	for range rapid.IntRange(0, 4).Draw(t, "lines") {
		lines = append(
			lines,
			obj{
				"price":          Amount(t, "price"),
				"weight":         Amount(t, "weight"),
				"length":         rapid.SampledFrom([]string{"", "50", "80"}).Draw(t, "length"),
				"width":          rapid.SampledFrom([]string{"", "20", "35.5"}).Draw(t, "width"),
				"height":         rapid.SampledFrom([]string{"", "7", "15"}).Draw(t, "height"),
				"class":          rapid.SampledFrom([]string{"", "a", "b"}).Draw(t, "class"),
				"quantity":       float64(rapid.IntRange(1, 5).Draw(t, "quantity")),
				"needs_shipping": !Maybe(t, "digital"),
				"ships_free":     Maybe(t, "free"),
				"own_parcel":     Maybe(t, "own"),
				"upright":        Maybe(t, "upright"),
				"from":           rapid.SampledFrom([]string{"", "", "", "", "w", "hall", "shed"}).Draw(t, "from"),
			},
		)
	}
	q := obj{"to": to, "lines": lines, "coupons": []any{}, "at": rapid.SampledFrom([]string{
		"2026-12-04T13:59:00+02:00", "2026-12-05T23:30:00Z", "2026-12-06T10:00:00-05:00", "2026-12-07T00:00:00+02:00",
	}).Draw(t, "at")}
	if Maybe(t, "coupon") {
		q["coupons"] = []any{"LÖYLY"}
	}
	if Maybe(t, "group") {
		q["group"] = "trade"
	}
	if Maybe(t, "customer") {
		q["customer"] = "C-1"
	}
	if rapid.Bool().Draw(t, "costs") {
		q["costs"] = true
	}
	return q
}
