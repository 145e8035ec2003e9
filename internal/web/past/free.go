package past

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/history"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/strip"

	"github.com/gin-gonic/gin"
)

var freePage = shell.Page{Here: "/quotes", Title: "Past orders: what if", Template: "past-free"}

// freeView is the page on which a change is tried on past orders.
type freeView struct {
	None    bool
	Orders  string
	Methods []shell.Choice
	Kinds   []shell.Choice
	Zones   []shell.Choice
	Days    []shell.Choice
	Kind    edit.TrialKind
	Unit    string // of the value
	Value   string
	Low     string
	High    string
	Step    string
	Now     string // what the draft has
	Slip    string
	At      *atView
	Chosen  string // as hidden fields: the query
}

// atView is what a value would have done.
type atView struct {
	OOB      bool
	Value    string
	Lines    []string
	Compared string
	Smallest string // the sum, as typed; "" where there is none
	Least    string // what is said of it
	Curve    *freeCurve
	Slip     string
	Rating   bool // the orders are being rated
	Done     int
	Query    template.URL
}

// freeCurve draws what is left over the threshold.
type freeCurve struct {
	Path, Zero, X, Y string
	XTicks, YTicks   []tick
	XName, YName     string
}

var trialKinds = []shell.Choice{{ID: string(edit.TrialFree), Name: "free delivery from"},
	{
		ID:   string(edit.TrialHandling),
		Name: "handling of",
	}, {ID: string(edit.TrialPercent), Name: "all prices changed by"}}

// trial reads what is tried.
func trial(c *gin.Context, f *store.File) (t edit.Trial, slip string) {
	get := func(name string) string {
		if text, ok := c.GetPostForm(name); ok {
			return text
		}
		return c.Query(name)
	}
	t = edit.Trial{Method: get("method"), Zone: get("zone"), Kind: edit.TrialKind(get("kind"))}
	if f.Method(t.Method) == nil {
		t.Method = mostPriced(f)
	}
	if t.Kind != edit.TrialHandling && t.Kind != edit.TrialPercent {
		t.Kind = edit.TrialFree
	}
	known := t.Zone == "" || t.Zone == edit.AllZones && t.Kind != edit.TrialPercent
	if m := f.Method(t.Method); !known && m != nil &&
		!slices.Contains(m.ServedZones(), t.Zone) { // of the method before
		t.Zone = ""
	}
	text := strings.TrimSpace(strings.NewReplacer(",", ".", "−", "-", "%", "", "+", "").Replace(get("value")))
	if text == "" {
		t.Value = valueNow(f, &t)
		return t, ""
	}
	d, err := decimal.Parse(text)
	if err != nil || d.Decimals() > 4 {
		return t, fmt.Sprintf("“%.20s” is not a number such as 75 or 7.50", text)
	}
	t.Value = d
	return t, ""
}

// mostPriced is the first method that is on and delivers: one with costs and a threshold of free delivery, else one
// with costs, else any.
func mostPriced(f *store.File) string {
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled && m.Free != nil && m.Free.Subtotal != nil && f.CostOf(m.ID) != nil {
			return m.ID
		}
	}
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled && m.Kind == store.Delivery && f.CostOf(m.ID) != nil {
			return m.ID
		}
	}
	for i := range f.Methods {
		if f.Methods[i].Enabled {
			return f.Methods[i].ID
		}
	}
	return ""
}

// valueNow is what the draft has of what is tried.
func valueNow(f *store.File, t *edit.Trial) decimal.Decimal {
	has := termsNow(f, t)
	switch {
	case t.Kind == edit.TrialFree && has.Free != nil && has.Free.Subtotal != nil:
		return *has.Free.Subtotal
	case t.Kind == edit.TrialFree:
		return decimal.Hundred
	case t.Kind == edit.TrialHandling && has.Handling != nil && has.Handling.Amount != nil:
		return *has.Handling.Amount
	}
	return decimal.Zero
}

// termsNow are the terms that hold where a change would.
func termsNow(f *store.File, t *edit.Trial) store.Terms {
	m := f.Method(t.Method)
	switch {
	case m == nil:
		return store.Terms{}
	case t.Zone == "" || t.Zone == edit.AllZones:
		return m.Everywhere()
	}
	return m.TermsIn(t.Zone)
}

// nowWords says what the draft has of what is tried.
func nowWords(f *store.File, t *edit.Trial) string {
	has := termsNow(f, t)
	switch {
	case t.Kind == edit.TrialPercent:
		return ""
	case t.Kind == edit.TrialFree && has.Free != nil && has.Free.Subtotal != nil:
		return "The draft has free delivery from " + price(f, *has.Free.Subtotal) + "."
	case t.Kind == edit.TrialFree:
		return "The draft has no free delivery from an order value on."
	case has.Handling != nil && has.Handling.Amount != nil:
		return "The draft has handling of " + price(f, *has.Handling.Amount) + "."
	}
	return "The draft has no handling fee."
}

func (s *Screens) free(c *gin.Context) {
	state, ctx := s.draft.State(), c.Request.Context()
	f := state.File
	span, err := s.history.Span(ctx)
	if err != nil {
		s.Internal(c, err)
		return
	}
	t, slip := trial(c, f)
	v := freeView{None: span.Orders == 0 || t.Method == "", Orders: spanWords(&span), Kind: t.Kind, Slip: slip,
		Value: t.Value.String(), Low: "0", Now: nowWords(f, &t)}
	if v.None {
		s.Show(c, freePage, v)
		return
	}
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled {
			v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Chosen: m.ID == t.Method})
		}
	}
	v.Kinds, _ = chosen(trialKinds, string(t.Kind))
	v.Days, _ = chosen(spans, c.DefaultQuery("days", "365"))
	v.Unit = f.Store.Currency
	switch t.Kind {
	case edit.TrialFree:
		v.High, v.Step = strconv.Itoa(freeHigh(t.Value)), "1"
	case edit.TrialHandling:
		v.High, v.Step = "10", "0.1"
	default:
		v.Low, v.High, v.Step, v.Unit = "-50", "50", "1", "%"
	}
	if t.Kind == edit.TrialPercent {
		v.Zones = append(v.Zones, shell.Choice{Name: "all zones", Chosen: t.Zone == ""})
	} else {
		v.Zones = append(v.Zones, shell.Choice{Name: "zones without their own", Chosen: t.Zone == ""},
			shell.Choice{ID: edit.AllZones, Name: "all zones", Chosen: t.Zone == edit.AllZones})
	}
	for _, id := range f.Method(t.Method).ServedZones() {
		v.Zones = append(v.Zones, shell.Choice{ID: id, Name: f.ZoneName(id), Chosen: id == t.Zone})
	}
	v.At = s.at(c, &t, &span)
	s.Show(c, freePage, v)
}

// freeHigh is up to which sum a threshold can be moved.
func freeHigh(now decimal.Decimal) int {
	return max(300, int(now.Mul(decimal.FromInt(2)).Whole(0, true, 1_000_000)))
}

// freeAt answers with what a value would have done, while it moves.
func (s *Screens) freeAt(c *gin.Context) {
	t, slip := trial(c, s.draft.State().File)
	span, err := s.history.Span(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	v := &atView{Slip: slip}
	if slip == "" {
		v = s.at(c, &t, &span)
	}
	s.HTML(c, http.StatusOK, s.Render("past-at", v))
}

// at says what a value would have done.
func (s *Screens) at(c *gin.Context, t *edit.Trial, span *sqlite.PastSpan) *atView {
	state := s.draft.State()
	f := state.File
	days := c.DefaultQuery("days", "365")
	n, _ := strconv.Atoi(days)
	from := ""
	if n > 0 {
		from = sinceLast(span, n)
	}
	v := &atView{Value: t.Value.String(), Query: template.URL(url.Values{"method": {t.Method}, "kind": {string(t.Kind)},
		"zone": {t.Zone}, "days": {days}, "value": {t.Value.String()}}.Encode())}
	changed := f.Clone()
	if err := t.Apply(changed); err != nil {
		text, _ := shell.Told(err)
		v.Slip = cmp.Or(text, "this cannot be tried")
		return v
	}
	draft, _ := s.sideOf(c.Request.Context(), "draft")
	key := strings.Join(
		[]string{"trial", draft.Key, string(v.Query), from, strconv.FormatInt(span.Version, 10)},
		"\x00",
	)
	r, at := s.history.Report(history.Ask{Key: key, Under: state.Engine,
		Against: quote.Compile(
			changed,
			state.Engine.Gazetteer(),
		), By: []past.By{past.Method}, Instead: "trial", From: from}, 400*time.Millisecond)
	switch {
	case at.Err != nil:
		v.Slip = "the orders could not be rated; the log of the server says why"
		return v
	case r == nil:
		v.Done, v.Rating = 100*at.Done/max(at.Of, 1), true
	case r.Total == nil:
		v.Slip = "there are no orders in this time"
		return v
	default:
		v.Compared = Compared(f, r.Total, "This")
		v.Lines = append(v.Lines, "Left of all charges after tax and cost: "+price(f, r.Total.Against.Margin)+", now "+
			price(f, r.Total.Margin)+".")
	}
	if t.Kind == edit.TrialFree {
		s.freeLines(v, t, from)
	}
	return v
}

// freeLines say what a threshold gives away.
func (s *Screens) freeLines(v *atView, t *edit.Trial, from string) {
	state := s.draft.State()
	f := state.File
	free, err := s.history.FreeOf(state.Engine, strconv.FormatInt(state.Revision, 10), t, from, 400*time.Millisecond)
	if err == nil && free == nil { // they are being collected
		v.Rating = true
		return
	}
	if err != nil || free.Orders() == 0 {
		if err != nil {
			s.Log.Warn("free delivery", "error", err)
		}
		v.Lines = append(v.Lines, "No order that went by "+f.MethodName(t.Method)+" has a known cost.")
		return
	}
	at := free.At(t.Value)
	share := decimal.FromInt(int64(100*at.Free)).QuoRound(decimal.FromInt(int64(at.Orders)), 0)
	v.Lines = append(
		v.Lines,
		fmt.Sprintf(
			"By %s: %s of %s (%s %%) would have had free delivery, %s of charges without tax given away.",
			f.MethodName(
				t.Method,
			),
			plural.Count(at.Free, "order"),
			strconv.Itoa(at.Orders),
			share,
			price(f, at.Forgone),
		),
		fmt.Sprintf(
			"%s lay just under it, at %s or more: buyers who may add something.",
			plural.Count(at.JustUnder, "cart"),
			price(f, t.Value.Mul(decimal.MustParse("0.8"))),
		),
		"Left by this method: "+price(f, at.Margin)+"; without any free delivery "+price(f, free.Never())+".",
	)
	least, ok := free.Smallest(f.Store.Units().Digits)
	switch {
	case !ok:
		v.Least = "With this method money is lost even if delivery is free for nobody."
	case least.IsZero():
		v.Least = "Even free delivery for everybody loses nothing."
	default:
		v.Smallest = least.String()
		v.Least = "The smallest threshold at which this method loses nothing on these orders is " + price(
			f,
			least,
		) + "."
	}
	v.Curve = curveOf(f, free, t.Value)
}

// curveSteps is at how many thresholds the curve of what is left is drawn.
const curveSteps = 80

// curveOf draws what is left over the threshold.
func curveOf(f *store.File, free *past.Free, now decimal.Decimal) *freeCurve {
	high := float64(freeHigh(now))
	values := make([]float64, curveSteps+1)
	low, top := 0.0, 0.0
	for i := range values {
		x := decimal.FromFloat(high*float64(i)/curveSteps, 2)
		values[i] = free.At(x).Margin.Float64()
		low, top = min(low, values[i]), max(top, values[i])
	}
	if top == low {
		return nil
	}
	const width, height, left, bottom = 640.0, 200.0, 56.0, 30.0
	px := func(x float64) string { return strip.Px(left + min(x, high)/high*(width-left-20)) }
	py := func(y float64) string { return strip.Px(8 + (top-y)/(top-low)*(height-8-bottom)) }
	d := &freeCurve{Zero: py(0), X: px(now.Float64()), Y: py(free.At(now).Margin.Float64()),
		XName: "free delivery from, " + f.Store.Currency, YName: "left, " + f.Store.Currency}
	for i, v := range values {
		x := px(high * float64(i) / curveSteps)
		d.Path += map[bool]string{true: "M", false: "L"}[i == 0] + x + " " + py(v)
	}
	d.XTicks = ticks(high, px)
	d.YTicks = []tick{{py(top), strconv.FormatFloat(top, 'f', 0, 64)}, {py(0), "0"}}
	if low < 0 {
		d.YTicks = append(d.YTicks, tick{py(low), strings.Replace(strconv.FormatFloat(low, 'f', 0, 64), "-", "−", 1)})
	}
	return d
}

// setFree makes what was tried an edit of the draft.
func (s *Screens) setFree(c *gin.Context) {
	t, slip := trial(c, s.draft.State().File)
	var err error
	if slip != "" {
		err = shell.Refusef("%s", slip)
	} else {
		_, err = s.draft.Edit(c.Request.Context(), t.Apply)
	}
	if text, ok := shell.Told(err); err != nil {
		if !ok {
			s.Internal(c, err)
			return
		}
		s.Problem(c, http.StatusUnprocessableEntity, text)
		return
	}
	query := url.Values{"method": {t.Method}, "kind": {string(t.Kind)}, "zone": {t.Zone}, "days": {c.PostForm("days")}}
	if t.Kind != edit.TrialPercent {
		query.Set("value", t.Value.String())
	}
	c.Redirect(http.StatusSeeOther, "/past/free?"+query.Encode())
}
