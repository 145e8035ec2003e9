package rates

import (
	"context"
	"net/url"
	"slices"
	"strings"

	"diadrom/internal/tables/ratelist"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// Store keeps files until they are applied, and how the last file of each list was read.
type Store interface {
	upload.Store
	Settings(ctx context.Context) (map[string]string, error)
	SaveSetting(ctx context.Context, name, value string) error
}

// readingOf names the setting that says how the last file of a list was read.
func readingOf(into string) string { return "reading of " + into }

// again are the choices on a preview that say how a file is read: they hold for the next file of the same list too.
// What was added to prices, an exchange rate and what was left as it is do not: they are asked again.
var again = []string{"sheet", "separator", "encoding", "decimal", "unit", "by"}

// remember keeps how a file was read, for the next one of the list that it went into.
func (s *Screens) remember(c *gin.Context, into string, r *ratelist.Reading) {
	kept := url.Values{"heads": {strings.Join(r.Heads, "\n")}}
	for name, values := range c.Request.URL.Query() {
		if values[0] != "" && (slices.Contains(again, name) || isAbout(name) || isColumn(name)) {
			kept[name] = values[:1]
		}
	}
	if err := s.db.SaveSetting(c.Request.Context(), readingOf(into), kept.Encode()); err != nil {
		s.Log.Warn("how a price list was read", "error", err)
	}
}

// isAbout says whether a field of the preview answers what a text of the file means.
func isAbout(name string) bool {
	return strings.HasPrefix(name, upload.PlacePrefix) || strings.HasPrefix(name, upload.PricePrefix) ||
		strings.HasPrefix(name, upload.LeavePrefix)
}

// isColumn says whether a field of the preview says what a column holds.
func isColumn(name string) bool {
	return len(name) > 1 && name[0] == 'c' && strings.Trim(name[1:], "0123456789") == ""
}

// asLastTime adds to the query of a file that is to update a list, and of which nothing was chosen yet, how the last
// file of that list was read. Columns count where the heads are the same. used says what of it was added.
func (s *Screens) asLastTime(c *gin.Context, query url.Values, heads []string) (out url.Values, used []string) {
	into := query.Get("into")
	if into == "" || len(query) > 1 {
		return query, nil
	}
	settings, err := s.db.Settings(c.Request.Context())
	if err != nil {
		s.Log.Warn("how a price list was read", "error", err)
		return query, nil
	}
	kept, err := url.ParseQuery(settings[readingOf(into)])
	if err != nil || len(kept) == 0 {
		return query, nil
	}
	out = url.Values{"into": {into}}
	for name, values := range kept {
		switch {
		case name == "heads", isColumn(name) && kept.Get("heads") != strings.Join(heads, "\n"):
			continue
		case name == "unit":
			used = append(used, "weights in "+values[0])
		case name == "decimal":
			used = append(used, "the decimal sign "+values[0])
		}
		out[name] = values
	}
	for _, given := range upload.GivenIn(out) {
		used = append(used, given.Said)
	}
	slices.Sort(used)
	return out, used
}
