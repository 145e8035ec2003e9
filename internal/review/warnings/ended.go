package warnings

import (
	"maps"
	"slices"
	"time"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/store"
)

// Ended says of a method, and of its free delivery, that their dates have passed by a day of the shop's clock: nobody
// gets them any more, and nothing else says so.
func Ended(f *store.File, m *store.Method, day time.Time) (list []string) {
	over := func(p *calendar.Period) bool { return p != nil && p.To != "" && p.To < day.Format(time.DateOnly) }
	if over(m.Available) {
		list = append(list, "this has ended, so no buyer is offered it: it was available "+m.Available.String())
	}
	if m.Free != nil && over(m.Free.Available) {
		list = append(list, "free delivery has ended: it was available "+m.Free.Available.String())
	}
	for _, zone := range slices.Sorted(maps.Keys(m.Terms)) {
		if free := m.Terms[zone].Free; free != nil && over(free.Available) {
			list = append(list, f.ZoneName(zone)+": free delivery has ended: it was available "+free.Available.String())
		}
	}
	return list
}
