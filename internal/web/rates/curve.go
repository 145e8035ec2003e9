package rates

import (
	"cmp"
	"math"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/strip"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// The curve's frame, in its own units.
const (
	curveWidth, curveHeight          = 860.0, 230.0
	curveLeft, curveTop, curveBottom = 52.0, 14.0, 28.0
)

// curveView draws a price list: charge over its measure, a line for each zone, the Till's cart as a dot.
type curveView struct {
	ID, Title string
	Lines     []curveLine
	XTicks    []curveTick
	YTicks    []curveTick
	Dot       *curveDot
	OOB       bool
	Empty     bool // nothing has a price yet

	Axis, Currency string // what the axes measure
	What           string // charge or cost
	Costs          []costLine

	Path    string // of the table
	Handles []curveHandle
	Unit    string
	Low     string // the least and the greatest measure of the drawing, for those who point at it
	High    string
	Log     bool
	Step    string // by how much a key moves
}

type curveLine struct {
	Colour, Name string
	Pieces       []curvePiece
	Ends         []curveEnd
}

type curvePiece struct{ X1, Y1, X2, Y2, Title string }

type curveEnd struct {
	X, Y   string
	Filled bool
}

type curveTick struct{ At, Text string }

// curveHandle is a break point that can be moved.
type curveHandle struct{ X, At, DOM, Label string }

type curveDot struct{ X, Y, TextX, TextY, Anchor, Text string }

// frame maps measures and charges to the drawing.
type frame struct {
	x, y float64 // the greatest of each
	low  float64 // where a logarithmic scale begins; 0 on a linear one
}

func (f frame) px(x decimal.Decimal) string { return strip.Px(f.at(x.Float64())) }

func (f frame) at(x float64) float64 {
	share := x / f.x
	if f.low > 0 {
		share = math.Log(math.Max(x, f.low)/f.low) / math.Log(f.x/f.low)
	}
	return curveLeft + share*(curveWidth-curveLeft-8)
}

func (f frame) py(y float64) string {
	return strip.Px(curveTop + (1-y/f.y)*(curveHeight-curveTop-curveBottom))
}

// curveOf draws a table; nil where it has no curve.
func curveOf(state *draft.State, m *store.Method, t *rate.Table, cart *till.View) *curveView {
	f := state.File
	if t.By == rate.ByOrder || len(t.Zones) == 0 {
		return nil
	}
	x, y, dotted := pointOf(cart, f, m, t)
	limit := drawnTo(t)
	if dotted && limit.Less(x) {
		limit = x.Mul(decimal.MustParse("1.1"))
	}
	goods := rate.Goods{Quantity: 1}
	if cart.OneParcel {
		goods = cart.Cart
	}
	high := y.Float64()
	costs := costsOver(state, m, t, goods, limit)
	for _, line := range costs {
		for _, s := range line {
			high = math.Max(high, math.Max(s.y1, s.y2))
		}
	}
	segments := make([][]rate.Segment, len(t.Zones))
	for j := range t.Zones {
		segments[j] = t.Curve(j, goods, limit)
		for _, s := range segments[j] {
			high = math.Max(high, math.Max(s.Y1.Float64(), s.Y2.Float64()))
		}
	}
	v := &curveView{ID: "curve-" + t.ID, Title: "Charge " + t.By.Words() + ", a line for each zone", What: "charge"}
	if isCost(f, m.ID) {
		v.Title, v.What = "Cost "+t.By.Words()+", a line for each zone", "cost"
	}
	if !slices.ContainsFunc(segments, func(s []rate.Segment) bool { return len(s) > 0 }) {
		v.Empty = true
		return v
	}
	if high == 0 { // all is free
		high = 1
	}
	step := niceStep(high)
	fr := frame{x: limit.Float64(), y: math.Ceil(high/step*1.02) * step, low: logLow(t)}
	v.frame(f, m, t, fr)
	v.ticks(t, fr, step)
	for j, id := range t.Zones {
		v.Lines = append(v.Lines, lineOf(f, t, fr, id, segments[j]))
		v.drawCost(f, fr, id, costs[id])
	}
	if dotted {
		u, what := f.Store.Units(), "this cart"
		if (t.By == rate.ByWeight || t.By == rate.ByBilled) && len(f.BoxesOf(m)) > 0 {
			what += " with its box"
		}
		v.Dot = dotAt(fr.px(x), fr.py(y.Float64()), what+": "+u.Measure(t.By, x)+", "+u.Money(y))
	}
	return v
}

// drawnTo is up to where a table is drawn: past its last break.
func drawnTo(t *rate.Table) decimal.Decimal {
	for i := len(t.Rows) - 1; i >= 0; i-- {
		if at := t.Rows[i].At; at != nil && !at.IsZero() {
			return at.Mul(decimal.MustParse("1.5"))
		}
	}
	return decimal.FromInt(10)
}

// ticks marks the breaks on the x axis and sums a step apart on the y axis.
func (v *curveView) ticks(t *rate.Table, fr frame, step float64) {
	for n := 0.0; n <= fr.y+step/1000; n += step {
		v.YTicks = append(v.YTicks, curveTick{fr.py(n), strconv.FormatFloat(math.Round(n*1000)/1000, 'f', -1, 64)})
	}
	for i := range t.Rows {
		if at := t.Rows[i].At; at != nil {
			v.XTicks = append(v.XTicks, curveTick{fr.px(*at), at.String()})
		}
	}
	v.XTicks = apart(v.XTicks)
}

// lineOf is what a zone pays.
func lineOf(f *store.File, t *rate.Table, fr frame, zone string, segments []rate.Segment) curveLine {
	u := f.Store.Units()
	line := curveLine{Colour: shell.Colour(f.ZoneIndex(zone)), Name: f.ZoneName(zone)}
	for _, s := range segments {
		y1, y2 := s.Y1.Float64(), s.Y2.Float64()
		title := line.Name + ", " + t.RowWords(s.Row, u) + ": " + u.Money(s.Y1.Round(u.Digits))
		if s.Y1.Round(u.Digits).Cmp(s.Y2.Round(u.Digits)) != 0 {
			title += " to " + u.Money(s.Y2.Round(u.Digits))
		}
		line.Pieces = append(line.Pieces, fr.pieces(s.X1.Float64(), y1, s.X2.Float64(), y2, title)...)
		if len(t.Rows)*len(t.Zones) > maxAtOnce { // so many ends would hide the lines
			continue
		}
		if s.X1.Sign() > 0 && isBreak(t, s.X1) {
			line.Ends = append(line.Ends, curveEnd{fr.px(s.X1), fr.py(y1), t.Edges == rate.From})
		}
		if isBreak(t, s.X2) {
			line.Ends = append(line.Ends, curveEnd{fr.px(s.X2), fr.py(y2), t.Edges == rate.UpTo})
		}
	}
	return line
}

// dotAt is a point on the curve with its text where there is room.
func dotAt(x, y, text string) *curveDot {
	at, _ := strconv.ParseFloat(x, 64)
	down, _ := strconv.ParseFloat(y, 64)
	d := &curveDot{X: x, Y: y, Anchor: "start", TextX: strip.Px(at + 11), TextY: strip.Px(down + 18), Text: text}
	if at > curveWidth*0.7 {
		d.TextX, d.Anchor = strip.Px(at-11), "end"
	}
	if down > curveHeight-curveBottom-24 {
		d.TextY = strip.Px(down - 11)
	}
	return d
}

// decades is from how many times the first break on a list's last one has it drawn on a logarithmic scale.
const decades = 100

// logLow is where a logarithmic scale begins, 0 where a linear one does.
func logLow(t *rate.Table) float64 {
	first, last := 0.0, 0.0
	for i := range t.Rows {
		if at := t.Rows[i].At; at != nil && !at.IsZero() {
			if last = at.Float64(); first == 0 {
				first = last
			}
		}
	}
	if first == 0 || last/first < decades {
		return 0
	}
	return first / 2
}

// pieces draws a line from one point to another: one piece, or on a logarithmic scale, where a slope is bent,
// several.
func (f frame) pieces(x1, y1, x2, y2 float64, title string) []curvePiece {
	if f.low == 0 || y1 == y2 {
		return []curvePiece{{strip.Px(f.at(x1)), f.py(y1), strip.Px(f.at(x2)), f.py(y2), title}}
	}
	const bends = 16
	var out []curvePiece
	from := math.Max(x1, f.low)
	x, y := x1, y1
	for i := 1; i <= bends; i++ {
		next := from * math.Pow(x2/from, float64(i)/bends)
		nextY := y1 + (y2-y1)*(next-x1)/(x2-x1)
		out = append(out, curvePiece{strip.Px(f.at(x)), f.py(y), strip.Px(f.at(next)), f.py(nextY), title})
		x, y = next, nextY
	}
	return out
}

// frame says what those need who point at the drawing or move a break of it.
func (v *curveView) frame(f *store.File, m *store.Method, t *rate.Table, fr frame) {
	u := f.Store.Units()
	v.Path, v.Unit = "/rates/"+m.ID+"/"+t.ID, edit.Unit(f, t.By)
	v.Currency, v.Axis = f.Store.Currency, strings.ToLower(measureHeads[t.By])
	if t.By != rate.ByQuantity {
		v.Axis += ", " + v.Unit
	}
	v.Low = strconv.FormatFloat(fr.low, 'f', -1, 64)
	v.High = strconv.FormatFloat(fr.x, 'f', -1, 64)
	v.Log = fr.low > 0
	step := niceStep(fr.x) / 10
	if t.By == rate.ByQuantity {
		step = math.Max(1, math.Round(step))
	}
	v.Step = strconv.FormatFloat(step, 'f', -1, 64)
	for i := range t.Rows {
		if at := t.Rows[i].At; at != nil && !at.IsZero() {
			v.Handles = append(
				v.Handles,
				curveHandle{
					fr.px(*at),
					at.String(),
					"handle-" + t.ID + "-" + strconv.Itoa(i),
					"Break point " + u.Measure(t.By, *at),
				},
			)
		}
	}
}

// readCurve says what each zone pays where the curve is pointed at.
func (s *Screens) readCurve(c *gin.Context) {
	state := s.draft.State()
	f := state.File
	_, t, err := tableAt(c, f)
	at, bad := edit.ParseBreak(c.Query("x"), "")
	if err != nil || bad != nil {
		s.HTML(c, http.StatusOK)
		return
	}
	cart := s.quoted(c, state)
	goods := rate.Goods{Quantity: 1}
	if cart.OneParcel {
		goods = cart.Cart
	}
	u := f.Store.Units()
	var said []curveRead
	for j, id := range t.Zones {
		z, i := f.Zone(id), f.ZoneIndex(id)
		text := "not offered"
		if amount, ok := t.At(j, goods, *at); ok {
			text = u.Money(amount.Round(u.Digits))
		}
		said = append(said, curveRead{shell.Colour(i), cmp.Or(z.Name, z.ID), text})
	}
	s.HTML(c, http.StatusOK, s.Render("curve-read", map[string]any{"At": u.Measure(t.By, *at), "Zones": said}))
}

type curveRead struct{ Colour, Name, Text string }

// niceStep is 1, 2 or 5 times a power of ten, so that high takes about four of them.
func niceStep(high float64) float64 {
	power := math.Pow(10, math.Floor(math.Log10(high/4)))
	for _, n := range []float64{1, 2, 5} {
		if high/(n*power) <= 5 {
			return n * power
		}
	}
	return 10 * power
}

// apart drops ticks that would be written over one another.
func apart(ticks []curveTick) []curveTick {
	kept, last := ticks[:0], math.Inf(-1)
	for _, t := range ticks {
		at, _ := strconv.ParseFloat(t.At, 64)
		if width := 7 * float64(len(t.Text)); at-last >= width+6 {
			kept, last = append(kept, t), at
		}
	}
	return kept
}

func isBreak(t *rate.Table, x decimal.Decimal) bool {
	for i := range t.Rows {
		if at := t.Rows[i].At; at != nil && at.Cmp(x) == 0 {
			return true
		}
	}
	return false
}

// pointOf is where the Till's cart lies on a table's curve; false where it is not priced there as one parcel.
func pointOf(v *till.View, f *store.File, m *store.Method, t *rate.Table) (x, y decimal.Decimal, ok bool) {
	if v.Answer == nil || !v.OneParcel || m.Classes != store.Together {
		return x, y, false
	}
	for _, o := range v.Answer.Options {
		for _, s := range o.Steps {
			if o.Method != m.ID || s.Kind != quote.StepTable || s.Table != t.ID {
				continue
			}
			if len(o.Parcels) != 1 {
				return x, y, false
			}
			var err error
			switch t.By {
			case rate.ByWeight:
				x, err = decimal.Parse(o.Parcels[0].Weight)
			case rate.ByBilled:
				x, err = decimal.Parse(o.Parcels[0].Billed)
			case rate.BySubtotal:
				x = v.Cart.Subtotal
			case rate.ByQuantity:
				x = decimal.FromInt(v.Cart.Quantity)
			case rate.ByDistance:
				// the Till's is another
				if v.Cart.Distance == nil || o.Parcels[0].From != "" || !shipsOnlyFrom(f, m.From) {
					return x, y, false
				}
				x = *v.Cart.Distance
			}
			y, wrong := decimal.Parse(s.Amount)
			return x, y, err == nil && wrong == nil
		}
	}
	return x, y, false
}

// shipsOnlyFrom says whether a method that measures from a location ("" is any) measures what the Till does.
func shipsOnlyFrom(f *store.File, location string) bool {
	for i := range f.Locations {
		if l := &f.Locations[i]; location != "" && l.ShipsFrom != (l.ID == location) {
			return false
		}
	}
	return true
}
