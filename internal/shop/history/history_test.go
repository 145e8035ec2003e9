package history_test

import (
	"bytes"
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/history"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/orderlist"
	"diadrom/internal/test/child"

	"database/sql"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

var (
	ctx   = context.Background()
	until = time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)
)

// Files are read in child processes, as the server reads them.
func TestMain(m *testing.M) { child.Main(m) }

// opened is the past orders of a shop in a folder.
func opened(t *testing.T) (*history.History, string) {
	t.Helper()
	dir := t.TempDir()
	return again(t, dir), dir
}

func again(t *testing.T, dir string) *history.History {
	t.Helper()
	db, err := sqlite.OpenPast(ctx, dir)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	read, err := files.New(slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	return history.New(db, dir, read)
}

// take takes a text in as its heads say.
func take(t *testing.T, h *history.History, text string) sqlite.PastFile {
	t.Helper()
	f, err := h.Keep(ctx, "orders.csv", strings.NewReader(text))
	require.NoError(t, err)
	l, err := h.Look(&f, history.Choices{Currency: "EUR", Location: "Europe/Helsinki", Dates: orderlist.DayFirst})
	require.NoError(t, err)
	require.Empty(t, l.Asks)
	require.NoError(t, h.Take(ctx, &f, l.Choices))
	f, _, err = h.DB().File(ctx, f.ID)
	require.NoError(t, err)
	return f
}

func compiled(t *testing.T, text string) *quote.Engine {
	t.Helper()
	f, faults := store.Read([]byte(text))
	require.Empty(t, faults)
	return quote.Compile(f, nil)
}

// flat charges 4.00 and 1.00 for each item to Finland, and 10.00 elsewhere.
const flat = `{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"fi","places":[{"country":"FI"}]},
	{"id":"world","places":[{"world":true}]}],"products":[%s],"methods":[{"id":"m","tables":[{"id":"t","zones":["fi","world"],
	"by":"order","rows":[{"charges":[{"base":"4.00","per_item":"1.00"},"10.00"]}]}]}]}`

// The sums are those that SQL makes of the rows that were taken in, computed there in cents from the goods. With
// DIADROM_TEST_ORDERS=1000000 they are those of a million.
func TestSumsEqualThoseOfSQL(t *testing.T) {
	h, dir := opened(t)
	var text bytes.Buffer
	many := 3000
	if n, err := strconv.Atoi(os.Getenv("DIADROM_TEST_ORDERS")); err == nil {
		many = n
	}
	require.NoError(t, demo.WriteOrders(&text, many, until))
	f := take(t, h, text.String())
	assert.Equal(t, []any{many, 0, sqlite.PastDone}, []any{f.Orders, f.Refused, f.State})
	lauha, err := demo.Store()
	require.NoError(t, err)
	var products []string
	for _, p := range lauha.Products {
		products = append(products, fmt.Sprintf(`{"sku":%q}`, p.SKU))
	}
	e := compiled(t, fmt.Sprintf(flat, strings.Join(products, ",")))
	r, at := h.Report(history.Ask{Key: "sql", Under: e, By: []past.By{past.Zone, past.Month}}, time.Minute)
	require.NoError(t, at.Err)

	db, err := sql.Open("sqlite", filepath.Join(dir, sqlite.PastName))
	require.NoError(t, err)
	defer db.Close()
	rows, err := db.Query(`WITH cents AS (SELECT id, CASE country WHEN 'FI' THEN 'fi' ELSE 'world' END AS zone,
		substr(day, 1, 7) AS month, CASE country WHEN 'FI' THEN 400 + 100 * (SELECT sum(json_extract(value, '$.n')) FROM
		json_each(lines)) ELSE 1000 END AS charge, CAST(round(CAST(coalesce(paid, '0') AS REAL) * 100) AS INTEGER) AS paid,
		CAST(round(CAST(cost AS REAL) * 100) AS INTEGER) AS cost FROM past_order)
		SELECT zone, month, count(*), sum(charge), sum(paid), coalesce(sum(cost), 0), coalesce(sum(CASE WHEN cost IS NOT NULL
		THEN charge - cost END), 0), sum(cost IS NULL) FROM cents GROUP BY zone, month ORDER BY zone, month`)
	require.NoError(t, err)
	defer rows.Close()
	n := 0
	for ; rows.Next(); n++ {
		var zone, month string
		var orders, unknown int
		var charge, paid, cost, margin int64
		require.NoError(t, rows.Scan(&zone, &month, &orders, &charge, &paid, &cost, &margin, &unknown))
		require.Less(t, n, len(r.Groups))
		g := r.Groups[n]
		assert.Equal(t, []any{[]string{zone, month}, orders, unknown}, []any{g.Key, g.Orders, g.CostUnknown})
		for name, pair := range map[string][2]decimal.Decimal{"charge": {decimal.New(charge, 2), g.Charge},
			"paid": {decimal.New(paid, 2), g.Paid}, "cost": {decimal.New(cost, 2), g.Cost},
			"margin": {decimal.New(margin, 2), g.Margin}} {
			assert.Zero(t, pair[0].Cmp(pair[1]), "%s of %v: %s, %s", name, g.Key, pair[0], pair[1])
		}
	}
	assert.Len(t, r.Groups, n)
	assert.GreaterOrEqual(t, n, 24, "twelve months in two zones")
}

// The demo's export, with the mistakes that owners make: each is told, nothing is dropped without a word, and nobody's
// name is kept.
func TestTheShopsExportWithItsMistakes(t *testing.T) {
	h, dir := opened(t)
	f, err := demo.Store()
	require.NoError(t, err)
	require.NoError(t, demo.FillOrders(ctx, h, f, until))
	files, err := h.DB().Files(ctx)
	require.NoError(t, err)
	require.Len(t, files, 1)
	file := files[0]
	assert.Equal(t, []any{sqlite.PastDone, 1}, []any{file.State, file.Repeated}, "the last order stands there twice")
	assert.Positive(t, file.Refunds)
	assert.Negative(t, file.Refunded.Sign())
	refused, err := h.DB().RefusedOf(ctx, file.ID, 1000)
	require.NoError(t, err)
	assert.Len(t, refused, file.Refused)
	reasons := ""
	for _, r := range refused {
		reasons += r.Reason + "\n"
	}
	for _, want := range []string{"is in SEK; the store is in EUR", `"two" is not a number`,
		"cells; the first line has 13",
		"of the same order is refused"} {
		assert.Contains(t, reasons, want)
	}
	span, err := h.DB().Span(ctx)
	require.NoError(t, err)
	assert.Equal(t, file.Orders, span.Orders)
	assert.Equal(t, "2026-10-31", span.Last)
	names, err := h.DB().MethodNames(ctx)
	require.NoError(t, err)
	assert.Positive(t, names["Home parcel"])
	r, at := h.Report(history.Ask{Key: "1", Under: quote.Compile(f, nil), By: []past.By{past.Method}}, time.Minute)
	require.NoError(t, at.Err)
	assert.Equal(t, "Home parcel", r.Names[0].Name)
	assert.Equal(t, names["Home parcel"], r.Names[0].Orders)
	assert.Equal(t, "SOAP-OLD", r.Unknown[0].Name)
	assert.Equal(t, r.Total.Unrated, r.Unknown[0].Orders)
	require.NoError(t, h.NameMethod(ctx, "Home parcel", "parcel"))
	named, at := h.Report(history.Ask{Key: "1", Under: quote.Compile(f, nil), By: []past.By{past.Method}}, time.Minute)
	require.NoError(t, at.Err)
	assert.Empty(t, named.Names, "said once, remembered")
	assert.Less(t, named.Total.OtherMethod, r.Total.OtherMethod)

	kept := contents(t, dir)
	assert.NotContains(t, kept, "Buyer ")
	assert.Contains(t, kept, "SOAP-OLD")
	require.NoError(t, h.Forget(ctx))
	assert.NotContains(t, contents(t, dir), "SOAP-OLD", "forgotten is gone from the disk")
	span, err = h.DB().Span(ctx)
	require.NoError(t, err)
	assert.Zero(t, span.Orders)
}

// contents are all bytes of the files in a folder.
func contents(t *testing.T, dir string) string {
	t.Helper()
	var all []byte
	require.NoError(t, filepath.Walk(dir, func(path string, info os.FileInfo, err error) error {
		if err != nil || info.IsDir() {
			return err
		}
		data, err := os.ReadFile(path)
		all = append(all, data...)
		return err
	}))
	return string(all)
}

// Taking in that ends with the program goes on where it was, and gives what it would have given at once.
func TestTakingInGoesOn(t *testing.T) {
	h, dir := opened(t)
	var text bytes.Buffer
	require.NoError(t, demo.WriteOrders(&text, 12_000, until))
	f, err := h.Keep(ctx, "orders.csv", &text)
	require.NoError(t, err)
	l, err := h.Look(&f, history.Choices{Currency: "EUR"})
	require.NoError(t, err)
	require.NoError(t, h.Begin(ctx, f.ID, l.Choices))
	running, stop := context.WithCancel(ctx)
	done := make(chan error)
	go func() { done <- h.Run(running) }()
	for taken := 0; taken == 0; {
		span, err := h.DB().Span(ctx)
		require.NoError(t, err)
		taken = span.Orders
	}
	stop()
	require.NoError(t, <-done)
	f, _, err = h.DB().File(ctx, f.ID)
	require.NoError(t, err)
	assert.Equal(t, sqlite.PastWaiting, f.State)
	assert.Less(t, f.Orders, 12_000)
	h = again(t, dir)
	running, stop = context.WithTimeout(ctx, time.Minute)
	defer stop()
	go func() { done <- h.Run(running) }()
	for f.State == sqlite.PastWaiting {
		f, _, err = h.DB().File(ctx, f.ID)
		require.NoError(t, err)
	}
	assert.Equal(t, []any{sqlite.PastDone, 12_000, 0, 0}, []any{f.State, f.Orders, f.Repeated, f.Refused})
	assert.Eventually(t, func() bool { // it is removed once that is known
		left, err := os.ReadDir(filepath.Join(dir, "orders"))
		return err == nil && len(left) == 0
	}, time.Minute, 10*time.Millisecond, "the file is not needed any more")
}

func TestStoppingKeepsWhatIsIn(t *testing.T) {
	h, _ := opened(t)
	var text bytes.Buffer
	require.NoError(t, demo.WriteOrders(&text, 12_000, until))
	f, err := h.Keep(ctx, "orders.csv", &text)
	require.NoError(t, err)
	l, err := h.Look(&f, history.Choices{Currency: "EUR"})
	require.NoError(t, err)
	running, end := context.WithCancel(ctx)
	defer end()
	go h.Run(running)
	require.NoError(t, h.Begin(ctx, f.ID, l.Choices))
	for taken := 0; taken == 0; {
		span, err := h.DB().Span(ctx)
		require.NoError(t, err)
		taken = span.Orders
	}
	require.NoError(t, h.Stop(ctx, f.ID))
	f, _, err = h.DB().File(ctx, f.ID)
	require.NoError(t, err)
	assert.Equal(t, sqlite.PastStopped, f.State)
	assert.Positive(t, f.Orders)
}

// A file with names in it that nobody said how to read does not lie about for ever.
func TestFilesThatNobodyReadsGo(t *testing.T) {
	h, dir := opened(t)
	const list = "order,country,sku,quantity\n1,FI,A,1\n"
	old, err := h.Keep(ctx, "old.csv", strings.NewReader(list))
	require.NoError(t, err)
	db, err := sql.Open("sqlite", filepath.Join(dir, sqlite.PastName))
	require.NoError(t, err)
	_, err = db.Exec("UPDATE file SET added = ?", time.Now().AddDate(0, 0, -300).UTC().Format(time.RFC3339))
	require.NoError(t, err)
	require.NoError(t, db.Close())
	fresh, err := h.Keep(ctx, "fresh.csv", strings.NewReader(list))
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "orders", "x.part"), nil, 0o600))
	done, stop := context.WithCancel(ctx)
	stop()
	require.NoError(t, h.Run(done))
	lying, err := os.ReadDir(filepath.Join(dir, "orders"))
	require.NoError(t, err)
	require.Len(t, lying, 3, "nothing is done where the program ends")
	running, end := context.WithCancel(ctx)
	go func() {
		for range 500 {
			if lying, _ := os.ReadDir(filepath.Join(dir, "orders")); len(lying) == 1 {
				break
			}
			time.Sleep(time.Millisecond)
		}
		end()
	}()
	require.NoError(t, h.Run(running))
	_, ok, err := h.DB().File(ctx, old.ID)
	require.NoError(t, err)
	assert.False(t, ok)
	_, ok, err = h.DB().File(ctx, fresh.ID)
	require.NoError(t, err)
	assert.True(t, ok)
}

func TestTheSameOrderTwice(t *testing.T) {
	h, _ := opened(t)
	const head = "order,at,country,sku,quantity,paid,cost\n"
	first := take(t, h, head+"1,2026-03-02,FI,A,1,4.90,\n2,2026-03-02,FI,A,1,4.90,\n")
	assert.Equal(t, []int{2, 0, 0}, []int{first.Orders, first.Repeated, first.Refused})
	second := take(t, h, head+"1,2026-03-02,FI,A,1,4.90,\n2,2026-03-02,FI,A,2,4.90,\n3,2026-03-02,FI,A,1,,\n")
	assert.Equal(t, []int{1, 1, 1}, []int{second.Orders, second.Repeated, second.Refused})
	refused, err := h.DB().RefusedOf(ctx, second.ID, 9)
	require.NoError(t, err)
	assert.Equal(t, []sqlite.PastRefused{{Line: 3, Text: "2",
		Reason: "order 2 is there already and says something else: it was kept as it was"}}, refused)
}

func TestWhatCarriersBilled(t *testing.T) {
	h, _ := opened(t)
	take(
		t,
		h,
		"order,country,sku,quantity,tracking,cost\n1,FI,A,1,TR1,\n2,FI,A,1,TR2,\n3,FI,A,1,,2.00\n4,FI,A,1,,3.00\n",
	)
	out, refused, err := h.Invoices(
		ctx,
		[]byte("Parcel number;Order;Net amount\nTR1;;5,10\nTR1;;0,40\nTR2;;\n;3;2,50\n;4;3,00\nTR9;;1,00\n"+
			";;1,00\nTR2;;-1,00\n"),
	)
	require.NoError(t, err)
	assert.Equal(t, []int{5, 1, 1}, []int{out.Matched, out.Changed, len(out.Unknown)})
	assert.Equal(t, "TR9", out.Unknown[0].Tracking)
	require.Len(t, refused, 2)
	assert.Equal(
		t,
		[]string{"it has no sum", "it names no order and no parcel"},
		[]string{refused[0].Reason, refused[1].Reason},
	)
	costs := map[string]string{}
	require.NoError(t, h.DB().Orders(ctx, "", nil, func(o *past.Order) error {
		if o.Cost != nil {
			costs[o.ID] = o.Cost.String()
		}
		return nil
	}))
	assert.Equal(t, map[string]string{"1": "5.5", "2": "-1", "3": "2.5", "4": "3"}, costs)
	_, _, err = h.Invoices(ctx, []byte("Who,What\na,b\n"))
	assert.ErrorContains(t, err, "the first line has to name the columns")
}

func TestAWorkbookOfOrders(t *testing.T) {
	h, _ := opened(t)
	book := excelize.NewFile()
	for i, row := range [][]any{{"Order", "Date", "Country", "SKU", "Quantity", "Paid"},
		{"1", "2026-03-02", "FI", "A", 2, 4.9},
		{"2", "2026-03-02", "FI", "A", 1}} {
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	var data bytes.Buffer
	require.NoError(t, book.Write(&data))
	f := take(t, h, data.String())
	assert.Equal(t, []any{2, 0}, []any{f.Orders, f.Refused})
	o, ok, err := h.DB().Order(ctx, "1")
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, []any{"FI", int64(2), "4.9"}, []any{o.To.Country, o.Lines[0].Quantity, o.Paid.String()})
	_, ok, err = h.DB().Order(ctx, "9")
	require.NoError(t, err)
	assert.False(t, ok)
}

func TestFilesThatAreNone(t *testing.T) {
	h, _ := opened(t)
	_, err := h.Keep(ctx, "empty.csv", strings.NewReader(" \n"))
	assert.ErrorIs(t, err, history.ErrEmpty)
	_, err = h.Keep(ctx, "broken.xlsx", strings.NewReader("PK\x03\x04 nothing"))
	assert.Error(t, err)
	f, err := h.Keep(ctx, "others.csv", strings.NewReader("a,b\n1,2\n"))
	require.NoError(t, err)
	l, err := h.Look(&f, history.Choices{})
	require.NoError(t, err)
	assert.Equal(t, "Which column has the number of the order?", l.Asks[0].Message)
	f, err = h.Keep(
		ctx,
		"dates.csv",
		strings.NewReader("order,at,country,sku,quantity,paid\n1,03/04/2026,FI,A,1,1.200\n"),
	)
	require.NoError(t, err)
	l, err = h.Look(&f, history.Choices{})
	require.NoError(t, err)
	assert.Contains(t, l.Asks[0].Message, "1.200 is a thousand or one")
	l, err = h.Look(&f, history.Choices{Decimal: "."})
	require.NoError(t, err)
	assert.Contains(t, l.Asks[0].Message, "dates such as 03/04/2026")
}

// A report that takes long says how far it is, can be stopped, and is made anew once the orders have changed.
func TestReportsOnTheirWay(t *testing.T) {
	h, _ := opened(t)
	var text bytes.Buffer
	require.NoError(t, demo.WriteOrders(&text, 4000, until))
	take(t, h, text.String())
	f, err := demo.Store()
	require.NoError(t, err)
	ask := history.Ask{Key: "a", Under: quote.Compile(f, nil), By: []past.By{past.Zone}}
	r, at := h.Report(ask, 0)
	assert.Nil(t, r)
	assert.NoError(t, at.Err)
	h.Cancel("a")
	r, at = h.Report(ask, time.Minute)
	require.NoError(t, at.Err)
	assert.Equal(t, 4000, r.Total.Orders)
	assert.LessOrEqual(t, len(r.Losses), 20)
	take(t, h, "order,country,sku,quantity\nnew,FI,LADLE-B,1\n")
	r, at = h.Report(ask, time.Minute)
	require.NoError(t, at.Err)
	assert.Equal(t, 4001, r.Total.Orders)
	from := ask
	from.Key, from.From = "b", "2026-10-01"
	part, at := h.Report(from, time.Minute)
	require.NoError(t, at.Err)
	assert.Less(t, part.Total.Orders, 1000)

	p, err := h.Propose(ctx, ask.Under, past.Selection{Method: "parcel", Zone: "finland", By: rate.ByWeight},
		propose.Options{Rows: 3, Digits: 2}, "")
	require.NoError(t, err)
	assert.Len(t, p.Rows, 3)
	free, err := h.FreeOf(ask.Under, "1", &edit.Trial{Method: "parcel", Kind: edit.TrialFree}, "", time.Minute)
	require.NoError(t, err)
	again, err := h.FreeOf(ask.Under, "1", &edit.Trial{Method: "parcel", Kind: edit.TrialFree}, "", time.Minute)
	require.NoError(t, err)
	assert.Same(t, free, again)
	assert.Positive(t, free.Orders())

	// What is tried next has what was tried before stop.
	trial := func(key string, wait time.Duration) (*history.Result, history.Progress) {
		return h.Report(history.Ask{Key: key, Under: quote.Compile(f, nil), Against: quote.Compile(f, nil),
			By: []past.By{past.Method}, Instead: "trial"}, wait)
	}
	first, at := trial("first", 0)
	assert.Nil(t, first)
	require.NoError(t, at.Err)
	second, at := trial("second", time.Minute)
	require.NoError(t, at.Err)
	assert.NotNil(t, second)
	n, err := h.DB().Count(ctx, "2026-10-01")
	require.NoError(t, err)
	assert.Equal(t, part.Total.Orders, n)
}
