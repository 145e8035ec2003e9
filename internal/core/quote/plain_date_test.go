package quote

import (
	"slices"
	"time"
)

// plainMoment is when a request is asked, by the clock of the store.
func plainMoment(file, request obj) time.Time {
	zone := time.UTC
	if dispatch := sub(sub(file, "store"), "dispatch"); dispatch != nil {
		zone, _ = time.LoadLocation(text(dispatch, "time_zone"))
	}
	at, err := time.Parse(time.RFC3339, text(request, "at"))
	if err != nil {
		panic(err)
	}
	return at.In(zone)
}

func plainToday(file, request obj) string { return plainMoment(file, request).Format("2006-01-02") }

// plainHas says whether a day lies in a period of dates, both included.
func plainHas(period obj, day string) bool {
	return (text(period, "from") == "" || day >= text(period, "from")) && (text(period, "to") == "" ||
		day <= text(period, "to"))
}

// plainDates are the first and the last day on which goods arrive, in a store without public holidays; "" where that
// cannot be said.
func plainDates(file, m, days, request obj) string {
	shop := sub(sub(file, "store"), "dispatch")
	if shop == nil || days == nil {
		return ""
	}
	field := func(key string) any {
		if v := sub(m, "dispatch")[key]; v != nil && v != "" {
			return v
		}
		return shop[key]
	}
	works := []string{"mon", "tue", "wed", "thu", "fri"}
	if own := texts(obj{"d": field("weekdays")}, "d"); len(own) > 0 {
		works = own
	}
	at := plainMoment(file, request)
	day := at.Format("2006-01-02")
	next := func(day string) string {
		d, _ := time.Parse("2006-01-02", day)
		return d.AddDate(0, 0, 1).Format("2006-01-02")
	}
	weekday := func(day string) string {
		d, _ := time.Parse("2006-01-02", day)
		return []string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}[d.Weekday()]
	}
	if at.Format("15:04") >= field("cut_off").(string) {
		day = next(day)
	}
	shut := func(day string) bool {
		return !slices.Contains(works, weekday(day)) || slices.Contains(texts(shop, "closed"), day)
	}
	for shut(day) {
		day = next(day)
	}
	if lead, ok := field("lead_days").(float64); ok {
		for range int(lead) {
			for day = next(day); shut(day); {
				day = next(day)
			}
		}
	}
	after := func(n int) string {
		arrives := day
		for range n {
			arrives = next(arrives)
			for truth(days, "business", false) && slices.Contains([]string{"sat", "sun"}, weekday(arrives)) {
				arrives = next(arrives)
			}
		}
		return arrives
	}
	return after(int(days["min"].(float64))) + " " + after(int(days["max"].(float64)))
}
