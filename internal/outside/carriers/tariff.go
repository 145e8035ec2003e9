package carriers

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/world"
	"diadrom/internal/outside/asking"
)

// How long a tariff file counts.
const (
	tariffDay  = 24 * time.Hour // after which it is read again
	tariffLast = 48 * time.Hour // for which it counts where it cannot be read again
	maxTariff  = 20_000         // lines
)

// tariff is the adapter of a carrier that publishes a price list as a CSV file (RFC 4180) at an address. The file is
// read once a day; docs/carriers.md describes it.
type tariff struct {
	client *asking.Client
	now    func() time.Time
	check  func(ctx context.Context, body []byte) error // nil for none

	mu   sync.Mutex
	file *tariffFile
	read time.Time
}

func newTariff(url string, o asking.Options, check func(context.Context, []byte) error) *tariff {
	return &tariff{client: asking.NewWith(url, o), now: time.Now, check: check}
}

// tariffFile is a price list.
type tariffFile struct {
	currency string
	services []Service
	lines    []tariffLine
}

// tariffLine is a line of it: what a parcel costs by a service to countries.
type tariffLine struct {
	service string
	to      []string // countries; none for all that no other line of the service names
	upTo    decimal.Decimal
	longest *decimal.Decimal // side, in centimetres; nil for any
	price   decimal.Decimal
	fixed   string
}

// now gives the file of today.
func (t *tariff) today(ctx context.Context) (*tariffFile, time.Time, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	age := t.now().Sub(t.read)
	if t.file != nil && age < tariffDay {
		return t.file, t.read, nil
	}
	var file *tariffFile
	err := t.client.Read(ctx, "", func(body []byte) (err error) {
		if t.check != nil {
			if err := t.check(ctx, body); err != nil {
				return failure("%s", err.Error())
			}
		}
		file, err = readTariff(body)
		return err
	})
	switch {
	case err == nil:
		t.file, t.read = file, t.now()
	case t.file == nil || age >= tariffLast:
		return nil, t.read, err
	}
	return t.file, t.read, nil
}

// Resting is "" while there is a file of today.
func (t *tariff) Resting() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.file != nil && t.now().Sub(t.read) < tariffLast {
		return ""
	}
	return t.client.Resting()
}

// Services lists the services of the file.
func (t *tariff) Services(ctx context.Context) ([]Service, error) {
	f, _, err := t.today(ctx)
	if err != nil {
		return nil, err
	}
	return f.services, nil
}

// Rates looks parcels up in the file.
func (t *tariff) Rates(ctx context.Context, q *Question) (*Answer, error) {
	f, read, err := t.today(ctx)
	if err != nil {
		return nil, err
	}
	a := &Answer{Currency: f.currency, ValidFor: max(time.Minute, read.Add(tariffDay).Sub(t.now()))}
	for _, s := range f.services {
		rate := Rate{Service: s.Code, Name: s.Name, Days: s.Days}
		for i := range q.Parcels {
			price, err := f.price(s.Code, q.To.Country, &q.Parcels[i])
			if err != nil {
				return nil, err
			}
			if price == "" {
				break
			}
			rate.Amounts = append(rate.Amounts, price)
		}
		if len(rate.Amounts) == len(q.Parcels) {
			a.Rates = append(a.Rates, rate)
		}
	}
	return a, nil
}

// price is what a parcel costs by a service to a country: by the line with the smallest weight that covers it. It is ""
// where the service does not take it.
func (f *tariffFile) price(service, to string, p *Parcel) (string, error) {
	weight, err := decimal.Parse(p.Weight)
	if err != nil {
		return "", failure("was asked about a parcel without a weight")
	}
	longest := decimal.Zero
	for _, side := range []string{p.Length, p.Width, p.Height} {
		if d, err := decimal.Parse(side); err == nil && longest.Less(d) {
			longest = d
		}
	}
	named := slices.ContainsFunc(f.lines, func(l tariffLine) bool {
		return l.service == service && slices.Contains(l.to, to)
	})
	var best *tariffLine
	for i := range f.lines {
		l := &f.lines[i]
		there := len(l.to) == 0 && !named || slices.Contains(l.to, to)
		if l.service != service || !there || l.upTo.Less(weight) || l.longest != nil && l.longest.Less(longest) {
			continue
		}
		if best == nil || l.upTo.Less(best.upTo) || l.upTo.Cmp(best.upTo) == 0 && l.price.Less(best.price) {
			best = l
		}
	}
	if best == nil {
		return "", nil
	}
	return best.fixed, nil
}

// tariffColumns are the columns of a tariff file; those from min_days on may be missing or empty.
var tariffColumns = []string{"service", "to", "up_to_kg", "price", "currency", "name", "longest_cm", "min_days",
	"max_days"}

// wantedColumns is how many of them must be there.
const wantedColumns = 5

// Tariff says whether a file is a tariff file. Its errors go on after the carrier's name.
func Tariff(body []byte) error {
	_, err := readTariff(body)
	return err
}

// readTariff reads a tariff file. A line that cannot be read refuses the whole: half a price list would quote wrongly.
func readTariff(body []byte) (*tariffFile, error) {
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(body, []byte("\ufeff"))))
	r.ReuseRecord, r.TrimLeadingSpace = true, true
	head, err := r.Read()
	if err != nil {
		return nil, failure("has no tariff file there: its first line names no columns")
	}
	at := map[string]int{}
	for i, name := range head {
		name = strings.ToLower(strings.TrimSpace(name))
		if _, twice := at[name]; twice || !slices.Contains(tariffColumns, name) {
			return nil, failure("has a tariff file with a column %.40q, which is not known or stands twice", name)
		}
		at[name] = i
	}
	for _, name := range tariffColumns[:wantedColumns] {
		if _, ok := at[name]; !ok {
			return nil, failure("has a tariff file without the column %q", name)
		}
	}
	f := &tariffFile{}
	for {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			break
		}
		line, _ := r.FieldPos(0)
		if err != nil || len(f.lines) >= maxTariff {
			return nil, failure("has a tariff file that cannot be read in line %d, or is longer than %d lines",
				len(f.lines)+2, maxTariff)
		}
		cell := func(name string) string {
			if i, ok := at[name]; ok {
				return strings.TrimSpace(cells[i])
			}
			return ""
		}
		if err := f.add(cell); err != nil {
			return nil, failure("has a tariff file whose line %d %s", line, err.Error())
		}
	}
	if len(f.lines) == 0 {
		return nil, failure("has a tariff file without prices")
	}
	return f, nil
}

// add reads a line; the error goes on after "line 7".
func (f *tariffFile) add(cell func(string) string) error {
	l := tariffLine{service: cell("service")}
	if l.service == "" {
		return errors.New("names no service")
	}
	for _, country := range strings.Fields(strings.ToUpper(cell("to"))) {
		if country == "*" {
			continue
		}
		if _, ok := world.CountryByCode(country); !ok {
			return errors.New("has a country that is not known: " + strconv.Quote(country))
		}
		l.to = append(l.to, country)
	}
	if cell("to") == "" {
		return errors.New("does not say where to: write countries, or * for everywhere else")
	}
	for _, d := range []struct {
		name string
		into *decimal.Decimal
	}{{"up_to_kg", &l.upTo}, {"price", &l.price}} {
		read, err := decimal.Parse(cell(d.name))
		if err != nil || read.Sign() < 0 {
			return errors.New("has a " + d.name + " that is not a decimal number of 0 or more: " +
				strconv.Quote(cell(d.name)))
		}
		*d.into = read
	}
	l.fixed = l.price.String()
	if text := cell("longest_cm"); text != "" {
		d, err := decimal.Parse(text)
		if err != nil || d.Sign() <= 0 {
			return errors.New("has a longest_cm that is not a decimal number above 0: " + strconv.Quote(text))
		}
		l.longest = &d
	}
	if currency := cell("currency"); f.currency == "" {
		f.currency = currency
	} else if currency != f.currency {
		return errors.New("is in another currency than those above")
	}
	f.lines = append(f.lines, l)
	return f.service(&l, cell)
}

// service adds the service of a line; its name and delivery time are those of its first line.
func (f *tariffFile) service(l *tariffLine, cell func(string) string) error {
	if slices.ContainsFunc(f.services, func(s Service) bool { return s.Code == l.service }) {
		return nil
	}
	s := Service{Code: l.service, Name: cut(cell("name"))}
	if s.Name == "" {
		s.Name = s.Code
	}
	if cell("min_days")+cell("max_days") != "" {
		s.Days = &Days{Business: true}
		for name, into := range map[string]**int64{"min_days": &s.Days.Min, "max_days": &s.Days.Max} {
			if cell(name) == "" {
				continue
			}
			n, err := strconv.ParseInt(cell(name), 10, 64)
			if err != nil {
				return errors.New("has a " + name + " that is not a whole number")
			}
			*into = &n
		}
		if _, err := s.Days.store(); err != nil {
			return errors.New("has a delivery time that cannot be")
		}
	}
	f.services = append(f.services, s)
	return nil
}
