package rates

import (
	"cmp"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/tables/ratelist"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// newCostsInto is where a list goes that becomes new costs.
const newCostsInto = "cost--"

// keyKind is the kind of files that say where the zones of a price list are.
const keyKind = "rates-key"

// choices are what somebody set on the preview of a file; slip is what of it cannot be read.
func (s *Screens) choices(c *gin.Context, f *store.File, query url.Values) (choices ratelist.Choices, slip string) {
	choices = ratelist.Choices{
		Columns: map[int]ratelist.Field{},
		Places:  map[string]string{},
		Unit:    query.Get("unit"),
		Settled: query["ok"],
	}
	choices.Options, choices.Head = upload.Chosen(query)
	choices.List, _ = strconv.Atoi(query.Get("list"))
	choices.Into, choices.Table, _ = strings.Cut(query.Get("into"), "/")
	if _, choices.Costs = edit.CostID(choices.Into); choices.Into == newCostsInto {
		choices.Into = ""
	}
	// What was chosen for the columns of one list says nothing of those of another.
	same := upload.AsShown(query, "sheet") && upload.AsShown(query, "head") && upload.AsShown(query, "list")
	if by := rate.By(query.Get("by")); by.Words() != "" && same && upload.Chose(query, "by") {
		choices.By = by
	}
	if edges := rate.Edges(query.Get("edges")); same && upload.Chose(query, "edges") &&
		(edges == rate.From || edges == rate.UpTo) {
		choices.Edges = edges
	}
	if d := query.Get("decimal"); d == "." || d == "," {
		choices.Decimal = d[0]
	}
	choices.Zeros = upload.Zeros(query)
	choices.Prices, choices.Leave = upload.About(query, upload.PricePrefix), upload.Left(query)
	for name, typed := range upload.About(query, upload.PlacePrefix) {
		choices.Places[name] = zoneTyped(f, typed)
	}
	if same {
		for column, field := range upload.ChosenColumns(query) {
			choices.Columns[column] = ratelist.Field(field)
		}
	}
	choices.Percent, slip = upload.TypedNumber(query.Get("percent"), -100, "write the percentage as 12 or 12.5")
	exchange, wrong := upload.TypedNumber(query.Get("rate"), 0, "write the exchange rate as 0.92")
	choices.Rate, slip = exchange, cmp.Or(slip, wrong)
	if id, err := strconv.ParseInt(query.Get("key"), 10, 64); err == nil {
		u, ok, err := s.db.Upload(c.Request.Context(), keyKind, id)
		if err != nil || !ok {
			slip = "the file with the zones is not kept any more: choose it again"
		} else {
			choices.Key = s.Files.Table(c.Request.Context(), u.Body)
		}
	}
	return choices, slip
}

// zoneTyped is the id of a zone that is called by its name, or else the text as it was typed.
func zoneTyped(f *store.File, text string) string {
	for i := range f.Zones {
		if world.Fold(f.Zones[i].Name) == world.Fold(text) {
			return f.Zones[i].ID
		}
	}
	return text
}

// sendKey keeps a file that says where the zones of a price list are, and goes back to the preview.
func (s *Screens) sendKey(c *gin.Context) {
	t := s.tables()
	u, err := t.Find(c)
	found := err == nil
	if found {
		key := upload.Import{Max: upload.MaxTable, What: "a table"}
		name, body, readErr := key.Read(c)
		if err = readErr; err == nil {
			var id int64
			if id, err = s.db.AddUpload(c.Request.Context(), keyKind, name, body); err == nil {
				query := c.Request.URL.Query()
				query.Set("key", strconv.FormatInt(id, 10))
				c.Redirect(http.StatusSeeOther, t.Address(&u)+"?"+query.Encode())
				return
			}
		}
	}
	if text, ok := shell.Told(err); ok && found {
		if view, status, viewErr := s.previewRates(c, &u, text); viewErr == nil {
			s.ShowStatus(c, max(status, http.StatusUnprocessableEntity), t.Page, view)
			return
		}
	}
	t.Refused(c, err)
}
