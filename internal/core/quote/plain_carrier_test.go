package quote

import "math/big"

// Carriers in the plain evaluation: one carrier, whose services each take a sum for a parcel and one for a kilogram.

// plainCarrier is what the carrier says.
type plainCarrier struct {
	fails bool
	rates map[string][2]string // by service: for a parcel, for a kilogram
	days  map[string][2]int64  // by service: from, to, in days of the calendar; none where it says none
}

// plainWayTo is a way in which a method is offered: by a service, or by its tables.
type plainWayTo struct {
	name  string
	step1 func() (*big.Rat, int) // nil: the tables
	days  obj                    // nil: the method's
	said  *big.Rat               // what the carrier said; nil where it was not asked
}

func plainServices(file, m obj, parcels []plainParcel, says plainCarrier) (ways []plainWayTo) {
	carrier := sub(m, "carrier")
	var services []string
	days := map[string]obj{}
	for _, v := range list(carrier, "services") {
		code := text(v.(obj), "code")
		if truth(v.(obj), "enabled", true) {
			services = append(services, code)
		}
		if d, ok := says.days[code]; ok {
			days[code] = obj{"min": float64(d[0]), "max": float64(d[1]), "business": false}
		}
		if own := sub(v.(obj), "days"); own != nil {
			days[code] = own
		}
	}
	if text(m, "kind") != "carrier" || len(parcels) == 0 {
		return []plainWayTo{{}}
	}
	refused := func(outcome int) []plainWayTo {
		return []plainWayTo{{step1: func() (*big.Rat, int) { return nil, outcome }}}
	}
	switch {
	case says.fails && truth(carrier, "fallback", false):
		return []plainWayTo{{}}
	case says.fails:
		return refused(plainFailed)
	}
	for _, service := range services {
		rate, priced := says.rates[service]
		if !priced {
			continue
		}
		said := new(big.Rat)
		for _, p := range parcels {
			kilograms := new(big.Rat).Mul(p.all().weight, rat(map[string]string{"": "1", "kg": "1", "g": "0.001",
				"lb": "0.45359237", "oz": "0.028349523125"}[text(sub(file, "store"), "weight_unit")]))
			kilograms = halfUp(kilograms, 6)
			said.Add(said, halfUp(new(big.Rat).Add(rat(rate[0]), new(big.Rat).Mul(rat(rate[1]), kilograms)), 2))
		}
		percent := new(big.Rat).Quo(ratOr(carrier, "percent", "0"), big.NewRat(100, 1))
		made := new(big.Rat).Add(said, new(big.Rat).Mul(said, percent))
		if made.Add(made, ratOr(carrier, "amount", "0")); made.Sign() < 0 {
			made = new(big.Rat)
		}
		ways = append(ways, plainWayTo{"/" + service, func() (*big.Rat, int) { return made, plainPriced },
			days[service], said})
	}
	if len(ways) == 0 {
		return refused(plainNoRate)
	}
	return ways
}
