package products

import (
	"cmp"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// columns are the fields that are typed in the grid, in its order.
var columns = productlist.Fields[1:]

type cell struct {
	SKU, Field, Text, Was string
	Label, Slip           string
	Hint                  string // what an empty one means
	Number, Missing       bool
	Switch, On            bool // yes or no
}

// Refuse is shell.Cell's.
func (v *cell) Refuse(why string, was *string) {
	if v.Slip = why; was != nil {
		v.Was = *was
	}
}

type row struct {
	SKU    string
	Picked bool
	Cells  []cell
}

// column is a head of the grid.
type column struct {
	Field, Name, Unit string
	Words             bool   // text, not numbers
	Sort              string // the link that sorts by it
	Sorted            string // ascending, descending
}

type classRow struct {
	ID, Name, Note string
	Goods          int
	Priced         string // where
	Wrong          string
	Slip, Typed    string
	Here           bool
	OOB            bool
}

type missingView struct {
	Kind, Text string
	Here       bool
}

type view struct {
	Rows              []row
	Columns           []column
	Missing           []missingView
	Classes           []classRow
	ClassNames        []string
	PlaceNames        []string // of the shop
	Boxes             int
	Boxed             bool // whether it is the page of boxes
	Find, Class, Lack string
	Filtered          bool
	Total, Found      int
	From, To          int
	Previous, Next    string // links to the pages before and behind
	First, Last       string
	Unit, Currency    string
	Assumed, Divisor  string
	CountsAll         bool // whether the order value counts goods that are not shipped
	SettingSlip       string
	OOB               bool
	NewClass          string
	ClassSlip         string
	Note              string

	SetFields         []shell.Choice // what can be set of the selected ones
	SetValue, SetSlip string
	SetAll            bool

	SKU, Name, Price, Grams, InClass string
	Slip                             string
}

// settable is what can be set of many goods at once.
var settable = []shell.Choice{
	{ID: "class", Name: "class"},
	{ID: "weight", Name: "weight"},
	{ID: "length", Name: "length"},
	{ID: "width", Name: "width"},
	{ID: "height", Name: "height"},
	{ID: "needs_shipping", Name: "sent (yes, no)"},
	{ID: "ships_free", Name: "ships free"},
	{ID: "own_parcel", Name: "own parcel"},
	{ID: "upright", Name: "stays upright"},
	{ID: "from", Name: "leaves from"},
	{ID: "remove", Name: "remove them"},
}

// perPage is how many products are shown at a time.
const perPage = 50

// query is which products are shown, in which order.
type query struct {
	find, class, lack, sort string
	page                    int
}

func queryOf(q url.Values) query {
	page, _ := strconv.Atoi(q.Get("page"))
	return query{
		find:  q.Get("find"),
		class: q.Get("class"),
		lack:  q.Get("lack"),
		sort:  q.Get("sort"),
		page:  max(page, 1),
	}
}

// path is a link to the goods with one thing changed.
func (q query) path(key, value string) string {
	v := url.Values{}
	for _, p := range [][2]string{{"find", q.find}, {"class", q.class}, {"lack", q.lack}, {"sort", q.sort},
		{key, value}} {
		if v.Del(p[0]); p[1] != "" {
			v.Set(p[0], p[1])
		}
	}
	if len(v) == 0 {
		return "/goods"
	}
	return "/goods?" + v.Encode()
}

// noClass stands for goods without a class in a query.
const noClass = "-"

// Kinds of what goods lack.
const (
	lacksWeight = "weight"
	lacksSize   = "size"
)

func lacks(p *store.Product, kind string) bool {
	switch {
	case !p.NeedsShipping:
		return false
	case kind == lacksWeight:
		return p.Weight == nil
	case kind == lacksSize:
		return p.Length == nil || p.Width == nil || p.Height == nil
	}
	return false
}

// list gives the positions of the goods of a query, in its order.
func (q query) list(f *store.File) []int {
	find := world.Fold(q.find)
	var at []int
	for i := range f.Products {
		p := &f.Products[i]
		switch {
		case find != "" && !strings.Contains(world.Fold(p.Name), find) && !strings.Contains(world.Fold(p.SKU), find):
		case q.class == noClass && p.Class != "", q.class != "" && q.class != noClass && p.Class != q.class:
		case q.lack != "" && !lacks(p, q.lack):
		default:
			at = append(at, i)
		}
	}
	field, down := productlist.Field(strings.TrimPrefix(q.sort, "-")), strings.HasPrefix(q.sort, "-")
	if !slices.Contains(productlist.Fields, field) {
		return at
	}
	slices.SortStableFunc(at, func(a, b int) int {
		c := compareGoods(f, &f.Products[a], &f.Products[b], field)
		if down {
			c = -c
		}
		return c
	})
	return at
}

// compareGoods orders goods by a field; what is missing comes first.
func compareGoods(f *store.File, a, b *store.Product, field productlist.Field) int {
	number := func(x, y *decimal.Decimal) int {
		switch {
		case x == nil || y == nil:
			return cmp.Compare(btoi(x != nil), btoi(y != nil))
		}
		return x.Cmp(*y)
	}
	switch field {
	case productlist.Price:
		return a.Price.Cmp(b.Price)
	case productlist.Weight:
		return number(a.Weight, b.Weight)
	case productlist.Length:
		return number(a.Length, b.Length)
	case productlist.Width:
		return number(a.Width, b.Width)
	case productlist.Height:
		return number(a.Height, b.Height)
	case productlist.NeedsShipping:
		return cmp.Compare(btoi(a.NeedsShipping), btoi(b.NeedsShipping))
	case productlist.ShipsFree:
		return cmp.Compare(btoi(a.ShipsFree), btoi(b.ShipsFree))
	case productlist.OwnParcel:
		return cmp.Compare(btoi(a.OwnParcel), btoi(b.OwnParcel))
	case productlist.Upright:
		return cmp.Compare(btoi(a.Upright), btoi(b.Upright))
	case productlist.SKU:
		return cmp.Compare(a.SKU, b.SKU)
	}
	return cmp.Compare(world.Fold(productlist.Text(f, a, field)), world.Fold(productlist.Text(f, b, field)))
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

func cellOf(f *store.File, p *store.Product, field productlist.Field) cell {
	text := productlist.Text(f, p, field)
	c := cell{SKU: p.SKU, Field: string(field), Text: text, Was: text, Label: field.String() + " of " + p.SKU}
	switch field {
	case productlist.NeedsShipping, productlist.ShipsFree, productlist.OwnParcel, productlist.Upright:
		c.Switch, c.On = true, text == "yes"
	case productlist.Name, productlist.Class:
	case productlist.From:
		c.Hint = "usual place"
	default:
		c.Number = true
		c.Missing = text == "" && p.NeedsShipping && (field == productlist.Weight || f.Store.Volumetric != nil ||
			len(f.Boxes) > 0)
	}
	return c
}

// columnNames are the heads of the grid.
var columnNames = map[productlist.Field]string{
	productlist.Name:          "Name",
	productlist.Price:         "Price",
	productlist.Weight:        "Weight",
	productlist.Length:        "Long",
	productlist.Width:         "Wide",
	productlist.Height:        "High",
	productlist.Class:         "Class",
	productlist.NeedsShipping: "Needs shipping",
	productlist.ShipsFree:     "Ships free",
	productlist.OwnParcel:     "Own parcel",
	productlist.Upright:       "Upright",
	productlist.From:          "Leaves from",
}

func (s *Screens) goodsView(c *gin.Context, state *draft.State) view {
	f, q := state.File, queryOf(shell.Viewed(c))
	v := view{
		Unit:     f.Store.WeightUnit,
		Currency: f.Store.Currency,
		Find:     q.find,
		Class:    q.class,
		Lack:     q.lack,
		Total:    len(f.Products),
	}
	v.Filtered = q.find != "" || q.class != "" || q.lack != ""
	v.CountsAll = f.Store.SubtotalCounts == store.All
	if f.Store.AssumedWeight != nil {
		v.Assumed = f.Store.AssumedWeight.String()
	}
	if f.Store.Volumetric != nil {
		v.Divisor = f.Store.Volumetric.String()
	}
	for _, field := range columns {
		v.Columns = append(v.Columns, columnOf(f, &q, field))
	}
	list := q.list(f)
	from, to := v.page(&q, len(list))
	for _, i := range list[from:to] {
		p := &f.Products[i]
		row := row{SKU: p.SKU}
		for _, field := range columns {
			row.Cells = append(row.Cells, cellOf(f, p, field))
		}
		v.Rows = append(v.Rows, row)
	}
	v.SetFields = settable
	v.Missing = missingOf(f, q)
	v.Classes = classRows(f, q)
	for _, class := range f.Classes {
		v.ClassNames = append(v.ClassNames, cmp.Or(class.Name, class.ID))
	}
	for _, l := range f.Locations {
		v.PlaceNames = append(v.PlaceNames, f.LocationText(l.ID))
	}
	v.Boxes = len(f.Boxes)
	return v
}

// columnOf is the head of a column, with the path that sorts by it.
func columnOf(f *store.File, q *query, field productlist.Field) column {
	col := column{
		Field: string(field),
		Name:  columnNames[field],
		Words: field == productlist.Name || field == productlist.Class || field == productlist.From,
		Sort:  q.path("sort", string(field)),
	}
	switch field {
	case productlist.Price:
		col.Unit = f.Store.Currency
	case productlist.Weight:
		col.Unit = f.Store.WeightUnit
	case productlist.Length, productlist.Width, productlist.Height:
		col.Unit = f.Store.LengthUnit
	}
	switch q.sort {
	case col.Field:
		col.Sorted, col.Sort = "ascending", q.path("sort", "-"+col.Field)
	case "-" + col.Field:
		col.Sorted, col.Sort = "descending", q.path("sort", "")
	}
	return col
}

// page shows one page of so many products found, and says which of them stand on it.
func (v *view) page(q *query, found int) (from, to int) {
	pages := max((found+perPage-1)/perPage, 1)
	page := min(q.page, pages)
	from, to = (page-1)*perPage, min(page*perPage, found)
	v.Found, v.From, v.To = found, min(from+1, to), to
	if page > 1 {
		v.First, v.Previous = q.path("page", ""), q.path("page", strconv.Itoa(page-1))
	}
	if page < pages {
		v.Next, v.Last = q.path("page", strconv.Itoa(page+1)), q.path("page", strconv.Itoa(pages))
	}
	return from, to
}

// missingOf says what goods lack, and what that does.
func missingOf(f *store.File, q query) (list []missingView) {
	weights, sizes := 0, 0
	for i := range f.Products {
		weights += btoi(lacks(&f.Products[i], lacksWeight))
		sizes += btoi(lacks(&f.Products[i], lacksSize))
	}
	if weights > 0 {
		quotes := "0 " + f.Store.WeightUnit
		if f.Store.AssumedWeight != nil {
			quotes = f.Store.Units().Measure(rate.ByWeight, *f.Store.AssumedWeight) + ", the assumed weight"
		}
		text := plural.Count(weights, "product") + " have no weight: they quote as " + quotes
		if weights == 1 {
			text = "1 product has no weight: it quotes as " + quotes
		}
		list = append(list, missingView{lacksWeight, text, q.lack == lacksWeight})
	}
	packs := slices.ContainsFunc(f.Methods, func(m store.Method) bool { return len(f.BoxesOf(&m)) > 0 })
	var does []string
	it, its, take := "they", "their", "take"
	if sizes == 1 {
		it, its, take = "it", "its", "takes"
	}
	if packs {
		does = append(does, it+" "+take+" no room in a box")
	}
	if billsVolume(f) {
		does = append(does, its+" volume is not billed")
	}
	if sizes > 0 && len(does) > 0 {
		text := plural.Count(sizes, "product") + " lack a size: "
		if sizes == 1 {
			text = "1 product lacks a size: "
		}
		list = append(list, missingView{lacksSize, text + strings.Join(does, ", and "), q.lack == lacksSize})
	}
	return list
}

// billsVolume says whether some method bills volumetric weight.
func billsVolume(f *store.File) bool {
	for i := range f.Methods {
		m := &f.Methods[i]
		if m.Volumetric == nil && f.Store.Volumetric == nil {
			continue
		}
		if m.Needs != nil && m.Needs.BilledWeight != nil {
			return true
		}
		for j := range m.Tables {
			if m.Tables[j].By == rate.ByBilled {
				return true
			}
		}
	}
	return false
}

// classRows lists the classes: how many goods are in each, and where it is priced.
func classRows(f *store.File, q query) (rows []classRow) {
	goods := map[string]int{}
	for i := range f.Products {
		goods[f.Products[i].Class]++
	}
	for i := range f.Classes {
		class := &f.Classes[i]
		row := classRow{
			ID:    class.ID,
			Name:  cmp.Or(class.Name, class.ID),
			Note:  class.Note,
			Goods: goods[class.ID],
			Here:  q.class == class.ID,
		}
		var priced []string
		for j := range f.Methods {
			m := &f.Methods[j]
			for k := range m.Tables {
				if slices.Contains(m.Tables[k].Classes, class.ID) {
					priced = append(priced, cmp.Or(m.Name, m.ID))
					break
				}
			}
		}
		named := namedInNeeds(f, class.ID)
		switch {
		case len(priced) > 0:
			row.Priced = "priced in " + edit.FirstFew(priced)
		case named != "":
			row.Priced = named
		}
		switch {
		case row.Goods == 0 && row.Priced == "":
			row.Wrong = "no product is in it, and no list prices it"
		case row.Goods == 0:
			row.Wrong = "no product is in it"
		case row.Priced == "":
			row.Wrong = "no list prices it by itself"
		}
		rows = append(rows, row)
	}
	return rows
}

// namedInNeeds says which methods take only a class, or leave it out.
func namedInNeeds(f *store.File, class string) string {
	var only, without []string
	for i := range f.Methods {
		if n := f.Methods[i].Needs; n != nil {
			name := cmp.Or(f.Methods[i].Name, f.Methods[i].ID)
			if slices.Contains(n.OnlyClasses, class) {
				only = append(only, name)
			}
			if slices.Contains(n.WithoutClasses, class) {
				without = append(without, name)
			}
		}
	}
	var parts []string
	if len(only) > 0 {
		parts = append(parts, "taken by "+edit.FirstFew(only))
	}
	if len(without) > 0 {
		parts = append(parts, "not in "+edit.FirstFew(without))
	}
	return strings.Join(parts, ", ")
}

func (s *Screens) goods(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/goods", Title: "Products", Template: "goods"}, s.goodsView(c, s.draft.State()))
}
