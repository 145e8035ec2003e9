package spoken

import (
	"encoding/json"
	"fmt"
	"os/exec"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// Every sentence is there in every language, and takes what the English one takes.
func TestSentencesTakeTheSame(t *testing.T) {
	for key, in := range translations {
		for i, text := range in {
			assert.Equal(t, strings.Count(key, "%s"), strings.Count(text, "%s"), "%s in %s", key, Languages[i+1])
			p := message.NewPrinter(Languages[i+1], message.Catalog(sentences))
			args := []any{"A", "B", "C"}[:strings.Count(key, "%s")]
			assert.Equal(t, fmt.Sprintf(text, args...), p.Sprintf(key, args...))
		}
	}
	assert.Len(t, overIn, len(over))
	assert.Len(t, underIn, len(under))
	for by := range over {
		for i := range Languages[1:] {
			assert.NotEmpty(t, overIn[by][i])
			assert.NotEmpty(t, underIn[by][i])
		}
	}
}

// Days, months, sums and countries are those of CLDR, as Node's ICU has them.
func TestNamesAreThoseOfCLDR(t *testing.T) {
	node, err := exec.LookPath("node")
	if err != nil {
		t.Skip("node is not installed: make test installs it")
	}
	out, err := exec.Command(node, "-e", `
		const out = {};
		for (const l of ["fi", "sv", "de", "fr", "es"]) {
			const long = new Intl.DateTimeFormat(l, {day: "numeric", month: "long", year: "numeric", timeZone: "UTC"});
			const short = new Intl.DateTimeFormat(l, {weekday: "short", day: "numeric", month: "long", timeZone: "UTC"});
			const days = [], months = [];
			for (let d = 1; d <= 7; d++) days.push(short.format(new Date(Date.UTC(2026, 10, d))));
			for (let m = 0; m < 12; m++) months.push(long.format(new Date(Date.UTC(2026, m, 24))));
			out[l] = {days, months,
				sum: new Intl.NumberFormat(l, {style: "currency", currency: "EUR"}).format(1234.5),
				country: new Intl.DisplayNames([l], {type: "region"}).of("EE")};
		}
		console.log(JSON.stringify(out))`).Output()
	require.NoError(t, err)
	var want map[string]struct {
		Days, Months []string
		Sum, Country string
	}
	require.NoError(t, json.Unmarshal(out, &want))
	plain := strings.NewReplacer("\u00a0", " ", "\u202f", " ")
	for tag, w := range want {
		l := language.MustParse(tag)
		for i, text := range w.Days {
			day := fmt.Sprintf("2026-11-%02d", i+1)
			assert.Equal(t, text, dates(l, day, day), tag)
		}
		for i, text := range w.Months {
			assert.Equal(t, text, date(l, fmt.Sprintf("2026-%02d-24", i+1)), tag)
		}
		assert.Equal(t, plain.Replace(w.Sum), plain.Replace(world.PriceIn(l, "1234.50", "EUR")), tag)
		assert.Equal(t, w.Country, world.CountryIn(l, "EE"), tag)
	}
}

func TestAnswersAreInTheBuyersLanguage(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	m := f.Method("parcel")
	m.Labels = store.Texts{"fi": "Paketti kotiovelle", "sv": "Paket till dörren"}
	f.Method("letter").WhenRefused = store.Tell
	l := f.Location("workshop")
	l.Names, l.HoursTexts = store.Texts{"fi": "Verstas"}, store.Texts{"fi": "ma–pe 10–18"}
	e := quote.Compile(f, nil)
	ask := func(language, more string) *quote.Answer {
		requests, _, faults := e.ReadRequest(
			[]byte(`{"to": {"country": "FI", "postcode": "21100"}, "checkout": true, "language": "` +
				language + `", "at": "2026-12-07T10:00:00+02:00", "lines": [{"sku": "TOWEL-70", "quantity": 2}` + more + `]}`),
		)
		require.Empty(t, faults)
		a := e.Quote(&requests[0])
		Answer(e, &requests[0], a)
		return a
	}
	option := func(a *quote.Answer, method string) quote.Option {
		for _, o := range a.Options {
			if o.Method == method {
				return o
			}
		}
		require.Fail(t, method)
		return quote.Option{}
	}
	plain := strings.NewReplacer("\u00a0", " ")
	fi := ask("fi-FI", "")
	assert.Equal(t, "fi", fi.Language)
	assert.Equal(t, "Paketti kotiovelle", option(fi, "parcel").Label)
	assert.Equal(
		t,
		"Osta vielä 62,00 € edestä, niin toimitus on ilmainen",
		plain.Replace(option(fi, "parcel").Offer.Hint),
	)
	assert.Equal(
		t,
		"Parcel locker near you",
		option(fi, "locker").Label,
		"what has no text in a language is in the shop's words",
	)
	assert.Contains(t, option(fi, "parcel").Dates.Text, "joulukuuta")
	assert.Equal(t, "Verstas", option(fi, "workshop").Offer.Points[0].Name)
	assert.Equal(t, "ma–pe 10–18", option(fi, "workshop").Offer.Points[0].Hours)
	sv := ask("sv", `, {"price": "1", "weight": "31.5", "quantity": 1}`)
	told := ""
	for _, r := range sv.Refused {
		if r.Method == "letter" {
			told = r.Text
		}
	}
	assert.Regexp(t, `^För tungt för Letter to your mailbox \(32,\d+ kg, högst 2 kg\)$`, told)
	refused := func(a *quote.Answer) string {
		for _, r := range a.Refused {
			if r.Method == "letter" {
				return r.Text
			}
		}
		return ""
	}
	f.Method("letter").RefusedTexts = store.Texts{"sv": "Brevet är för tungt"} // and none in the shop's own language
	assert.Equal(t, "Brevet är för tungt", refused(ask("sv", `, {"price": "1", "weight": "31.5", "quantity": 1}`)))
	assert.Contains(t, refused(ask("fi", `, {"price": "1", "weight": "31.5", "quantity": 1}`)), "Letter to your mailbox")
	f.Method("letter").RefusedText = "Too heavy for a letter"
	assert.Equal(t, "Too heavy for a letter", refused(ask("fi", `, {"price": "1", "weight": "31.5", "quantity": 1}`)))
	f.Boxes[0].Names = store.Texts{"fi": "Pieni laatikko"}
	boxed := ask("fi", `], "parcels": true, "coupons": [""`)
	for _, p := range option(boxed, "parcel").Parcels {
		if p.Box != nil && *p.Box == f.Boxes[0].ID {
			assert.Equal(t, "Pieni laatikko", p.BoxName)
		} else if p.Box != nil {
			assert.Equal(t, f.BoxName(*p.Box), p.BoxName)
		}
	}
	pt := ask("pt-BR", "")
	assert.Equal(t, "en", pt.Language, "the program's own sentences are English where it has no others")
	english, none := ask("en", ""), ask("", "")
	english.Language = ""
	assert.Equal(t, none, english, "and then they are as they always were")

	for _, tag := range []string{"fi", "sv", "de", "fr", "es"} {
		requests, _, faults := e.ReadRequest(
			[]byte(`{"to": {"country": "EE", "postcode": "21"}, "checkout": true, "language": "` + tag +
				`", "lines": [{"price": "1", "weight": "900", "quantity": 1}]}`),
		)
		require.Empty(t, faults)
		a := e.Quote(&requests[0])
		was := a.Message
		Answer(e, &requests[0], a)
		if was != "" {
			assert.NotEqual(t, was, a.Message)
			assert.NotContains(t, a.Message, "Estonia")
		}
		assert.NotContains(t, a.Checkout.Faults[0].Message, "postcode")
	}
}

func TestTheLanguageThatABrowserPrefers(t *testing.T) {
	for header, want := range map[string]string{"fi-FI,fi;q=0.9,en;q=0.8": "fi-FI", "en;q=0.5, sv": "sv", "*": "", "": "", "nonsense!!": "",
		"de;q=0, fr;q=0.1": "fr"} {
		assert.Equal(t, want, Accepted(header), header)
	}
	tag := language.MustParse("sv-FI")
	text, ok := store.Texts{"sv": "A", "fi": "B"}.In(tag)
	assert.True(t, ok)
	assert.Equal(t, "A", text)
	_, ok = store.Texts{"fi": "B"}.In(tag)
	assert.False(t, ok)
}

func BenchmarkAnswer(b *testing.B) {
	f, err := demo.Store()
	require.NoError(b, err)
	e := quote.Compile(f, nil)
	for name, tag := range map[string]string{"none": "", "fi": "fi"} {
		q, _, _ := e.ReadRequest([]byte(`{"to":{"country":"FI","postcode":"21100"},"checkout":true,"at":"` +
			time.Now().Format(time.RFC3339) + `","language":"` + tag + `","lines":[{"sku":"TOWEL-70","quantity":2}]}`))
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				Answer(e, &q[0], e.Quote(&q[0]))
			}
		})
	}
}
