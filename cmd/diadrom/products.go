package main

import (
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/productlist"

	"github.com/spf13/cobra"
)

// productsAnswer is what "diadrom products" prints.
type productsAnswer struct {
	Read     listRead        `json:"read"`
	Products []store.Product `json:"products"`
	Changes  []productChange `json:"changes"`
	Refused  []refusedLine   `json:"refused"`
	Asks     []grid.Ask      `json:"asks"`
}

// productChange is what a row changes of a product of the store, or that it is new.
type productChange struct {
	Line int    `json:"line"`
	SKU  string `json:"sku"`
	What string `json:"what"`
}

// productsFlags are the choices of "diadrom products".
type productsFlags struct {
	listFlags
	units   string
	classes bool
}

func productsCommand() *cobra.Command {
	var flags productsFlags
	cmd := &cobra.Command{
		Use:   "products FILE --store STORE",
		Short: "Read a list of products, and print the products that it makes",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return flags.run(cmd, args[0])
		},
	}
	flags.register(cmd, "sku=1,name=2,weight=4")
	cmd.Flags().BoolVar(&flags.classes, "make-classes", false, "make shipping classes that the store does not have")
	cmd.Flags().StringVar(&flags.units, "units", "",
		`units of columns whose numbers have none, such as "weight=g,length=mm"`)
	return cmd
}

// choices reads the flags. units are by field: their columns are known when the file is read.
func (p *productsFlags) choices() (c productlist.Choices, units map[productlist.Field]string, err error) {
	c = productlist.Choices{Options: grid.Options{Sheet: p.sheet}, Head: p.head, OnlyColumns: p.columns != "",
		MakeClasses: p.classes}
	if p.columns != "" {
		if c.Columns, err = fieldsOf(p.columns, productlist.Readable); err != nil {
			return c, nil, err
		}
	}
	if c.Decimal, err = decimalSign(p.decimal); err != nil {
		return c, nil, err
	}
	units = map[productlist.Field]string{}
	for _, one := range strings.FieldsFunc(p.units, func(r rune) bool { return r == ',' }) {
		name, unit, _ := strings.Cut(strings.TrimSpace(one), "=")
		if list := productlist.UnitsOf(productlist.Field(name)); !slices.Contains(list, unit) {
			return c, nil, fmt.Errorf("--units: %q is not FIELD=UNIT with a unit of weight or length", one)
		}
		units[productlist.Field(name)] = unit
	}
	if p.rate != "" {
		d, err := decimal.Parse(p.rate)
		if err != nil || d.Sign() <= 0 {
			return c, nil, fmt.Errorf("--rate is a number above 0, not %q", p.rate)
		}
		c.Rate = &d
	}
	return c, units, nil
}

func (p *productsFlags) run(cmd *cobra.Command, name string) error {
	f, faults := readStore(p.store)
	if len(faults) > 0 {
		return broken(cmd, faults)
	}
	c, units, err := p.choices()
	if err != nil {
		return err
	}
	data, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	r, err := productlist.Open(grid.Bytes(data), f, c, func(int) {})
	if err == nil && len(units) > 0 {
		c.Units = map[int]string{}
		for i, field := range r.Mapping.Columns {
			if unit := units[field]; unit != "" {
				c.Units[i] = unit
			}
		}
		r, err = productlist.Open(grid.Bytes(data), f, c, func(int) {})
	}
	if err != nil {
		return err
	}
	a := productsOf(r)
	if err := printJSON(cmd, a); err != nil {
		return err
	}
	if r.Missing != "" {
		return errors.New(r.Missing)
	}
	return p.finish(len(a.Refused)+len(a.Asks) > 0, func() error {
		if r.Rows == nil {
			return nil // it waits for answers
		}
		r.Apply(f)
		return writeStore(p.store, f)
	})
}

// productsOf is a reading as it is printed.
func productsOf(r *productlist.Reading) productsAnswer {
	a := productsAnswer{
		Read: listRead{Sheet: r.Grid.Sheet, Header: r.Head, Columns: map[string]any{}, Units: map[string]string{},
			Currency: r.Currency, Skipped: append([]grid.Skipped{}, r.Skipped...), Accounts: accountsOf(r.Ledger)},
		Products: []store.Product{}, Changes: []productChange{}, Refused: []refusedLine{},
		Asks: append([]grid.Ask{}, r.Asks...),
	}
	if r.Missing != "" {
		a.Asks = append(a.Asks, grid.Ask{Code: "columns", Message: r.Missing})
	}
	a.Read.Decimal = r.DecimalSign()
	for i, field := range r.Mapping.Columns {
		if field == "" {
			continue
		}
		a.Read.Columns[string(field)] = i + 1
		if unit := r.Mapping.Units[i]; unit != "" {
			a.Read.Units[string(field)] = unit
		}
	}
	for i := range r.Rows {
		row := &r.Rows[i]
		if row.Status == productlist.Refused {
			a.Refused = append(a.Refused, refusedLine{row.Line, strings.Join(r.Table.Rows[i+1].Cells, " · "), row.What})
			continue
		}
		a.Products = append(a.Products, row.Product)
		if row.Status != productlist.Same {
			what := row.What
			if row.Status == productlist.New {
				what = "new"
			}
			a.Changes = append(a.Changes, productChange{row.Line, row.Product.SKU, what})
		}
	}
	return a
}
