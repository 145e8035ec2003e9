package main

import (
	"errors"
	"fmt"
	"os"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/ratelist"

	"github.com/spf13/cobra"
)

// pricesAnswer is what "diadrom prices" prints.
type pricesAnswer struct {
	Read    listRead      `json:"read"`
	Table   *rate.Table   `json:"table"`
	Zones   []store.Zone  `json:"zones"`
	Refused []refusedLine `json:"refused"`
	Asks    []grid.Ask    `json:"asks"`
	Updates []tableUpdate `json:"updates,omitempty"`
}

// tableUpdate is what a file changes in a list of the store.
type tableUpdate struct {
	Method  string            `json:"method"`
	List    string            `json:"list"`
	Changes []ratelist.Change `json:"changes"`
	Kept    []string          `json:"kept"`
	Gone    []string          `json:"gone"`
}

// pricesFlags are the choices of "diadrom prices".
type pricesFlags struct {
	listFlags
	into, by, unit, country, key, percent string
	zeros                                 string
	places, means, leave                  []string
	list                                  int
}

func pricesCommand() *cobra.Command {
	var flags pricesFlags
	cmd := &cobra.Command{
		Use:   "prices FILE --store STORE",
		Short: "Read a carrier's price list, and print the rate table that it makes",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return flags.run(cmd, args[0])
		},
	}
	flags.register(cmd, "zone=1,to=2,price=3")
	f := cmd.Flags()
	f.StringVar(&flags.into, "into", "", "method whose rate table the list updates, or METHOD/LIST")
	f.StringVar(&flags.by, "by", "", "what the rows go by: "+measureNames())
	f.IntVar(&flags.list, "list", 0, "which of several lists of the sheet, from 1")
	f.StringVar(&flags.unit, "unit", "", "unit of weights that name none")
	f.StringVar(&flags.country, "country", "", "country of postcodes that name none")
	f.StringVar(&flags.key, "zones", "", "file that says where the zones of the list are")
	f.StringArrayVar(&flags.places, "zone", nil, `where a zone of the list is: "Zone 3=EE, LV", or =ID of a zone`)
	f.StringArrayVar(&flags.means, "price", nil, `what a text that is no price means: "POA=not offered", "quote=12.50"`)
	f.StringArrayVar(&flags.leave, "leave-out", nil, "text of a price or a place whose lines are left out")
	f.StringVar(&flags.zeros, "zeros", "",
		"what postcodes are that are one digit short: lost (the zero they begin with), or prefix (all that begin so)")
	f.StringVar(&flags.percent, "add", "", "percentage that is added to all prices")
	return cmd
}

func measureNames() string {
	names := make([]string, len(rate.Measures))
	for i, m := range rate.Measures {
		names[i] = string(m)
	}
	return strings.Join(names, ", ")
}

// choices reads the flags.
func (p *pricesFlags) choices(f *store.File) (c ratelist.Choices, err error) {
	c = ratelist.Choices{Options: grid.Options{Sheet: p.sheet}, List: p.list, Head: p.head, By: rate.By(p.by),
		Unit: p.unit, Country: p.country,
		Places: map[string]string{}, Prices: map[string]string{}, Leave: map[string]bool{}}
	c.Into, c.Table, _ = strings.Cut(p.into, "/")
	switch c.Zeros = destination.Zeros(p.zeros); c.Zeros {
	case destination.ZerosAsked, destination.ZerosLost, destination.ZerosNone:
	default:
		return c, fmt.Errorf("--zeros is lost or prefix, not %q", p.zeros)
	}
	if p.by != "" && c.By.Words() == "" {
		return c, fmt.Errorf("--by is one of %s, not %q", measureNames(), p.by)
	}
	if p.columns != "" {
		if c.Columns, err = fieldsOf(p.columns, ratelist.Fields); err != nil {
			return c, err
		}
	}
	if c.Decimal, err = decimalSign(p.decimal); err != nil {
		return c, err
	}
	for _, one := range []struct {
		flag, text string
		into       **decimal.Decimal
		above      int64
	}{{"rate", p.rate, &c.Rate, 0}, {"add", p.percent, &c.Percent, -100}} {
		if one.text == "" {
			continue
		}
		d, err := decimal.Parse(one.text)
		if err != nil || d.Cmp(decimal.FromInt(one.above)) <= 0 {
			return c, fmt.Errorf("--%s is a number above %d, not %q", one.flag, one.above, one.text)
		}
		*one.into = &d
	}
	for _, text := range p.places {
		name, places, ok := strings.Cut(text, "=")
		if !ok {
			return c, fmt.Errorf(`--zone is NAME=PLACES, not %q`, text)
		}
		c.Places[ratelist.ZoneKey(name)] = places
	}
	for _, text := range p.means {
		said, price, ok := strings.Cut(text, "=")
		if !ok {
			return c, fmt.Errorf(`--price is TEXT=PRICE, not %q`, text)
		}
		c.Prices[world.Fold(said)] = price
	}
	for _, text := range p.leave {
		c.Leave[world.Fold(text)] = true
	}
	if p.key != "" {
		key, err := os.ReadFile(p.key)
		if c.Key = grid.Bytes(key); err != nil {
			return c, err
		}
	}
	return c, nil
}

func (p *pricesFlags) run(cmd *cobra.Command, name string) error {
	f, faults := readStore(p.store)
	if len(faults) > 0 {
		return broken(cmd, faults)
	}
	c, err := p.choices(f)
	if err != nil {
		return err
	}
	c.OnlyColumns = c.Columns != nil
	data, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	r, err := ratelist.Open(grid.Bytes(data), f, typed.For(f, nil), c)
	if err != nil {
		return err
	}
	a := answerOf(r)
	if err := printJSON(cmd, a); err != nil {
		return err
	}
	if r.Plan == nil && len(r.Asks) == 0 {
		return errors.New(r.Missing)
	}
	open := len(a.Refused)+len(a.Asks) > 0 || r.Problem() != ""
	return p.finish(open, func() error { return p.save(f, r, name) })
}

// save changes the store file: with the lists that are updated, or a new method that is called as the file is.
func (p *pricesFlags) save(f *store.File, r *ratelist.Reading, name string) error {
	if r.Plan == nil {
		return nil // it waits for answers
	}
	for i := range r.Updates {
		if why := r.Updates[i].Problem; why != "" {
			return errors.New(why)
		}
	}
	switch {
	case len(r.Updates)+len(r.New) > 0:
		r.Apply(f)
	case len(r.Plan.Table.Zones) == 0:
		return errors.New("no line of it can be used")
	default:
		r.Plan.Apply(f, methodName(name))
	}
	return writeStore(p.store, f)
}

// answerOf is a reading as it is printed.
func answerOf(r *ratelist.Reading) pricesAnswer {
	a := pricesAnswer{
		Read: listRead{Header: r.Head, Columns: map[string]any{}, Units: map[string]string{}, Currency: r.Currency,
			Sheet: r.Grid.Sheet, Skipped: r.Skipped, Accounts: accountsOf(r.Ledger)},
		Asks: r.Asks,
	}
	if r.Decimal != 0 {
		a.Read.Decimal = string(r.Decimal)
	}
	for i, field := range r.Mapping.Columns {
		switch {
		case field == "":
		case field == ratelist.Prices:
			list, _ := a.Read.Columns[string(field)].([]int)
			a.Read.Columns[string(field)] = append(list, r.At+i+1)
		default:
			a.Read.Columns[string(field)] = r.At + i + 1
		}
		if r.Unit != "" && (field == ratelist.From || field == ratelist.To || field == ratelist.Bands) {
			a.Read.Units[string(field)] = r.Unit
		}
	}
	if len(r.Mapping.Columns) > 0 && r.Unit != "" && len(a.Read.Units) == 0 {
		a.Read.Units["bounds"] = r.Unit
	}
	if r.Plan != nil {
		if len(r.Plan.Table.Zones) > 0 {
			a.Table = &r.Plan.Table
		}
		for i := range r.Plan.Zones {
			if r.Plan.New[i] {
				a.Zones = append(a.Zones, r.Plan.Zones[i])
			}
		}
		a.Refused = refusedLines(r.Plan.Lines)
	}
	if r.Missing != "" {
		a.Asks = append(a.Asks, grid.Ask{Code: "columns", Message: r.Missing})
	}
	for i := range r.Updates {
		u := &r.Updates[i]
		if u.Problem != "" {
			a.Asks = append(a.Asks, grid.Ask{Code: "update", Message: u.Problem})
			continue
		}
		a.Table = &u.Is
		a.Updates = append(a.Updates, tableUpdate{Method: u.Method, List: u.Was.ID, Changes: u.Changes,
			Kept: append([]string{}, u.Kept...), Gone: append([]string{}, u.Gone...)})
	}
	return a.filled()
}

// filled has empty lists where there is nothing, so that a script always finds a list.
func (a pricesAnswer) filled() pricesAnswer {
	if a.Read.Skipped == nil {
		a.Read.Skipped = []grid.Skipped{}
	}
	if a.Zones == nil {
		a.Zones = []store.Zone{}
	}
	if a.Refused == nil {
		a.Refused = []refusedLine{}
	}
	if a.Asks == nil {
		a.Asks = []grid.Ask{}
	}
	return a
}

// refusedLines are the lines that cannot be used, each reason of a line once.
func refusedLines(lines []ratelist.Line) (list []refusedLine) {
	seen := map[string]bool{}
	for i := range lines {
		l := &lines[i]
		if l.Status != ratelist.Refused && l.Status != ratelist.Contradicts {
			continue
		}
		if at := strconv.Itoa(l.Line) + l.Says; !seen[at] {
			seen[at] = true
			list = append(list, refusedLine{l.Line, l.Text, l.Says})
		}
	}
	return list
}

// methodName is what a method is called that is made of a file.
func methodName(file string) string {
	if i := strings.LastIndexAny(file, `/\`); i >= 0 {
		file = file[i+1:]
	}
	name, _, _ := strings.Cut(file, ".")
	if name = strings.TrimSpace(name); name == "" {
		return "Price list"
	}
	return name
}
