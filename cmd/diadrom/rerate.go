package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"runtime"
	"runtime/debug"
	"strings"
	"time"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/orderlist"

	"github.com/spf13/cobra"
)

// rerateFlags are those of rerate.
type rerateFlags struct {
	store, against, gazetteer, orders, by, dates, out string
	stdin                                             bool
}

func rerateCommand() *cobra.Command {
	var is rerateFlags
	cmd := &cobra.Command{
		Use: "rerate --store FILE [--against FILE] --orders FILE.csv|--stdin [--by method,zone,month] " +
			"[--gazetteer FILE] [--out FILE.csv|FILE.parquet]",
		Short: "Rate past orders anew: what a store charges for them, what they cost and what is left; " +
			"--against compares another store",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return rerate(cmd, &is) },
	}
	cmd.Flags().StringVar(&is.store, "store", "", "the store file")
	cmd.Flags().StringVar(&is.against, "against", "", "another store file, which is compared with it")
	cmd.Flags().StringVar(&is.orders, "orders", "", "past orders as CSV; - reads them from standard input")
	cmd.Flags().
		StringVar(&is.by, "by", "", "what orders are grouped by: some of method, zone, month, country, weight, "+
			"class")
	cmd.Flags().StringVar(&is.gazetteer, "gazetteer", "", "places in the GeoNames postal layout")
	cmd.Flags().StringVar(&is.dates, "dates", "", "what comes first in dates such as 03/04/2026: day or month")
	cmd.Flags().StringVar(&is.out, "out", "", "a file that gets each order as it was rated, .csv or .parquet")
	cmd.Flags().BoolVar(&is.stdin, "stdin", false, "read the orders from standard input")
	cmd.MarkFlagRequired("store")
	cmd.MarkFlagsOneRequired("orders", "stdin")
	cmd.MarkFlagsMutuallyExclusive("orders", "stdin")
	return cmd
}

// rerated is what rerate prints.
type rerated struct {
	Orders       int                 `json:"orders"`
	RefusedLines int                 `json:"refused_lines"`
	Refused      []orderlist.Refused `json:"refused"`
	Refunds      refunds             `json:"refunds"`
	Ignored      []string            `json:"ignored_columns"`
	Groups       []past.WireGroup    `json:"groups"`
}

// refunds are orders with a number below zero.
type refunds struct {
	Orders int    `json:"orders"`
	Paid   string `json:"paid"`
}

// maxMemory is up to how many bytes of memory garbage is left lying while orders are rated: what is remembered takes
// about half of it, however many orders there are.
const maxMemory = 400 << 20

func rerate(cmd *cobra.Command, is *rerateFlags) error {
	debug.SetMemoryLimit(maxMemory)
	if is.stdin {
		is.orders = "-"
	}
	by, err := past.ParseBy(is.by)
	if err != nil {
		return fmt.Errorf("--by: %w", err)
	}
	engine, err := readEngine(cmd, is.store, is.gazetteer)
	if err != nil {
		return err
	}
	against := (*quote.Engine)(nil)
	if is.against != "" {
		if against, err = readEngine(cmd, is.against, is.gazetteer); err != nil {
			return err
		}
	}
	in, options, ignored, err := openOrders(cmd, is.orders, is.dates, engine.Store())
	if err != nil {
		return err
	}
	defer in.Close()
	first, second := past.NewRater(engine), (*past.Rater)(nil)
	report := past.NewReport(by)
	out, workers := (*ratedOut)(nil), runtime.GOMAXPROCS(0)
	if is.out != "" { // in the order of the file
		if out, err = newRatedOut(is.out, engine.Digits()); err != nil {
			return err
		}
		workers = 1
	}
	reports := make([]*past.Report, workers)
	options.Lacks = first.Lacks
	handlers := make([]func(*past.Order) error, len(reports))
	if against != nil {
		second = past.NewRater(against)
	}
	for i := range handlers {
		reports[i] = past.NewReport(by)
		handlers[i] = past.Into(reports[i], first, second)
		if out != nil {
			rate := past.Pair(first, second)
			handlers[i] = func(o *past.Order) error {
				rated, against := rate(o)
				reports[i].Add(o, rated, against)
				return out.add(o, rated, against)
			}
		}
	}
	result, err := orderlist.Each(context.Background(), in, options, handlers, nil)
	if out != nil {
		err = errors.Join(err, out.close())
	}
	if err != nil {
		return fmt.Errorf("%s: %w", is.orders, err)
	}
	for _, r := range reports {
		report.Merge(r)
	}
	digits := engine.Digits()
	return printJSON(cmd, rerated{
		Orders:       result.Orders,
		RefusedLines: result.RefusedLines,
		Refused:      append([]orderlist.Refused{}, result.Refused...),
		Refunds:      refunds{result.Refunds, result.Refunded.Fixed(digits)},
		Ignored:      append([]string{}, ignored...),
		Groups:       report.Wire(digits),
	})
}

// orders is a text of orders that is read behind its head.
type orders struct {
	io.Reader
	io.Closer
}

// openOrders opens a list of past orders in the columns of docs/model.md.
func openOrders(cmd *cobra.Command, name, dates string, f *store.File) (*orders, *orderlist.Options, []string, error) {
	order := orderlist.DateOrder(dates)
	if order != orderlist.DatesUnknown && order != orderlist.DayFirst && order != orderlist.MonthFirst {
		return nil, nil, nil, fmt.Errorf("--dates: it is day or month, not %.20q", dates)
	}
	var file io.ReadCloser = io.NopCloser(cmd.InOrStdin())
	if name != "-" {
		opened, err := os.Open(name)
		if err != nil {
			return nil, nil, nil, err
		}
		file = opened
	}
	head, sep, rest, err := orderlist.Open(file)
	if err != nil {
		file.Close()
		return nil, nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	columns, ignored, err := orderlist.Contract(head)
	if err != nil {
		file.Close()
		return nil, nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	for i := range ignored {
		ignored[i] = strings.TrimSpace(ignored[i])
	}
	where := time.UTC
	if f.Store.Dispatch != nil {
		where, _ = calendar.Location(f.Store.Dispatch.TimeZone) // store.Read has checked it
	}
	return &orders{rest, file}, &orderlist.Options{Columns: columns, Separator: sep, Dates: order, Location: where,
		Numbers: measure.Column{Decimal: '.'}, Currency: f.Store.Currency, Skip: 1, Streets: true}, ignored, nil
}
