package edit

import (
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
)

// SetDistanceBy has distances measured in a straight line or by road.
func SetDistanceBy(f *store.File, by string) error {
	switch store.DistanceBy(by) {
	case store.Straight, "":
		f.Store.DistanceBy = ""
	case store.ByRoad:
		f.Store.DistanceBy = store.ByRoad
	default:
		return Problemf("distances are measured straight or by road, not %q", by)
	}
	return nil
}

// SetRoadFactor sets how many times the straight line a way by road counts as where no road service knows it, as it is
// typed; "" for the usual factor.
func SetRoadFactor(f *store.File, typed string) error {
	text := strings.ReplaceAll(strings.TrimSpace(strings.TrimLeft(strings.TrimSpace(typed), "×x*")), ",", ".")
	if text == "" {
		f.Store.RoadFactor = nil
		return nil
	}
	d, err := decimal.Parse(text)
	if err != nil {
		return Problemf("%q is not a number: a road factor is written 1.3", typed)
	}
	if d.Less(decimal.One) || decimal.FromInt(store.MaxRoadFactor).Less(d) {
		return Problemf("%s is not from 1 to %d: a road is never shorter than the straight line", d,
			store.MaxRoadFactor)
	}
	f.Store.RoadFactor = &d
	return nil
}
