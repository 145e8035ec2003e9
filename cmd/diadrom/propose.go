package main

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/orderlist"

	"github.com/spf13/cobra"
)

// proposeFlags are those of propose.
type proposeFlags struct {
	store, gazetteer, orders, dates string
	method, zone, by                string
	rows                            int
	margin, endings, cover          string
}

func proposeCommand() *cobra.Command {
	var is proposeFlags
	cmd := &cobra.Command{
		Use: "propose --orders FILE --store FILE --method ID --by weight|subtotal|quantity|distance --zone ID " +
			"--rows K [--margin P] [--endings 0.90] [--cover Q] [--gazetteer FILE]",
		Short: "Propose a price list of a method from what past orders have cost",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return proposeList(cmd, &is) },
	}
	flags := cmd.Flags()
	flags.StringVar(&is.store, "store", "", "the store file")
	flags.StringVar(&is.orders, "orders", "", "past orders as CSV; - reads them from standard input")
	flags.StringVar(&is.gazetteer, "gazetteer", "", "places in the GeoNames postal layout")
	flags.StringVar(&is.dates, "dates", "", "what comes first in dates such as 03/04/2026: day or month")
	flags.StringVar(&is.method, "method", "", "the method that the list is for, by its id")
	flags.StringVar(
		&is.zone,
		"zone",
		"",
		"the zone that the list is for, by its id; without it, all that the method serves",
	)
	flags.StringVar(&is.by, "by", "weight", "what the rows go by: weight, subtotal, quantity or distance")
	flags.IntVar(&is.rows, "rows", 0, "how many rows the list has at most")
	flags.StringVar(&is.margin, "margin", "0", "percent on top of the costs")
	flags.StringVar(&is.endings, "endings", "", "how prices end, such as 0.90; several are parted by commas")
	flags.StringVar(
		&is.cover,
		"cover",
		"",
		"the percentage of a row's orders whose costs its price covers; without it, "+
			"prices cover the mean cost",
	)
	for _, name := range []string{"store", "orders", "method", "rows"} {
		cmd.MarkFlagRequired(name)
	}
	return cmd
}

// proposed is what propose prints.
type proposed struct {
	Method       string              `json:"method"`
	Zone         string              `json:"zone"`
	By           rate.By             `json:"by"`
	Orders       int                 `json:"orders"` // that the list is made of
	ManyParcels  int                 `json:"in_several_parcels"`
	LeftOut      leftOut             `json:"left_out"`
	Rows         []proposedRow       `json:"rows"`
	Charge       string              `json:"charge"`
	Tax          string              `json:"tax"`
	Cost         string              `json:"cost"`
	Margin       string              `json:"margin"`
	Squares      string              `json:"squares"`
	Worst        proposedWorst       `json:"worst"`
	Table        rate.Table          `json:"table"`
	RefusedLines int                 `json:"refused_lines"`
	Refused      []orderlist.Refused `json:"refused"`
}

// leftOut counts orders that a list is not made of.
type leftOut struct {
	OtherMethod int `json:"other_method"`
	OtherZone   int `json:"other_zone"`
	NoCost      int `json:"no_cost"`
	NoMeasure   int `json:"no_measure"`
	Refunds     int `json:"refunds"`
}

// proposedRow is a row of a proposed list, with what it would have earned.
type proposedRow struct {
	At     string `json:"at"`
	Price  string `json:"price"`
	Orders int    `json:"orders"`
	Mean   string `json:"mean_cost"`
	Charge string `json:"charge"`
	Tax    string `json:"tax"`
	Cost   string `json:"cost"`
	Margin string `json:"margin"`
	Losing int    `json:"losing"`
}

// proposedWorst is the order that would have lost most, or earned least.
type proposedWorst struct {
	Order   string `json:"order"`
	Measure string `json:"measure"`
	Price   string `json:"price"`
	Cost    string `json:"cost"`
	Margin  string `json:"margin"`
	Loss    string `json:"loss"`
}

// options reads the flags that say what list is wanted.
func (is *proposeFlags) options(digits int) (o propose.Options, err error) {
	o = propose.Options{Rows: is.rows, Digits: digits}
	if o.Margin, err = decimal.Parse(is.margin); err != nil {
		return o, fmt.Errorf("--margin: %w", err)
	}
	if is.cover != "" {
		cover, err := decimal.Parse(is.cover)
		if err != nil {
			return o, fmt.Errorf("--cover: %w", err)
		}
		o.Cover = &cover
	}
	if o.Endings, err = propose.ParseEndings(is.endings, digits); err != nil {
		return o, fmt.Errorf("--endings: %w", err)
	}
	return o, nil
}

// selection finds what a list is made for in the store.
func (is *proposeFlags) selection(f *store.File) (s past.Selection, zones []string, err error) {
	s = past.Selection{Method: is.method, Zone: is.zone, By: rate.By(is.by)}
	if !slices.Contains(propose.Measures, s.By) {
		return s, nil, fmt.Errorf(
			"--by: a list is proposed by weight, subtotal, quantity or distance, not by %.40q",
			is.by,
		)
	}
	m := f.Method(is.method)
	switch {
	case m == nil:
		return s, nil, fmt.Errorf("--method: the store has no method %.60q", is.method)
	case !m.Enabled:
		return s, nil, fmt.Errorf("--method: %q is switched off", is.method)
	}
	if is.zone != "" {
		if f.Zone(is.zone) == nil {
			return s, nil, fmt.Errorf("--zone: the store has no zone %.60q", is.zone)
		}
		return s, []string{is.zone}, nil
	}
	for i := range m.Tables {
		for _, zone := range m.Tables[i].Zones {
			if !slices.Contains(zones, zone) {
				zones = append(zones, zone)
			}
		}
	}
	return s, zones, nil
}

func proposeList(cmd *cobra.Command, is *proposeFlags) error {
	engine, err := readEngine(cmd, is.store, is.gazetteer)
	if err != nil {
		return err
	}
	digits := engine.Digits()
	wanted, err := is.options(digits)
	if err != nil {
		return err
	}
	selection, zones, err := is.selection(engine.Store())
	if err != nil {
		return err
	}
	in, options, _, err := openOrders(cmd, is.orders, is.dates, engine.Store())
	if err != nil {
		return err
	}
	defer in.Close()
	rater := past.NewRater(engine)
	options.Lacks = rater.Lacks
	var orders []propose.Order
	var n past.Selected
	result, err := orderlist.Each(
		context.Background(),
		in,
		options,
		[]func(*past.Order) error{func(o *past.Order) error {
			if x, ok := rater.Select(o, &selection, &n); ok {
				orders = append(orders, x)
			}
			return nil
		}},
		nil,
	)
	if err != nil {
		return fmt.Errorf("%s: %w", is.orders, err)
	}
	list, err := propose.List(orders, wanted)
	if err != nil {
		return fmt.Errorf("%s: %w", strings.TrimSpace(is.orders+" "+is.zone), err)
	}
	out := proposed{Method: is.method, Zone: is.zone, By: selection.By, Orders: list.Orders, ManyParcels: n.ManyParcels,
		LeftOut: leftOut{n.OtherMethod, n.OtherZone, n.NoCost, n.NoMeasure, result.Refunds},
		Charge:  list.Charge.Fixed(digits), Tax: list.Tax.Fixed(digits), Cost: list.Cost.Fixed(digits),
		Margin: list.Margin.Fixed(digits), Squares: list.Squares.String(),
		Worst: proposedWorst{list.Worst.ID, list.Worst.Measure.String(), list.Worst.Price.Fixed(digits),
			list.Worst.Cost.Fixed(digits), list.Worst.Margin.Fixed(digits), list.Worst.Loss().Fixed(digits)},
		Table: list.Table("proposed", zones, selection.By), RefusedLines: result.RefusedLines,
		Refused: append([]orderlist.Refused{}, result.Refused...)}
	for i := range list.Rows {
		r := &list.Rows[i]
		out.Rows = append(out.Rows, proposedRow{r.At.String(), r.Price.Fixed(digits), r.Orders, r.Mean.Fixed(digits),
			r.Charge.Fixed(digits), r.Tax.Fixed(digits), r.Cost.Fixed(digits), r.Margin.Fixed(digits), r.Losing})
	}
	return printJSON(cmd, out)
}
