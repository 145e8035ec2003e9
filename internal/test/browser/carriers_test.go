package browser

import (
	"net/http/httptest"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/demo"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A carrier from its address and secret to the checkout, and what buyers see when it stops in the middle.
func TestACarrierFromConnectingToTheCheckout(t *testing.T) {
	files, err := demo.Carriers()
	require.NoError(t, err)
	mood := &standin.Mood{}
	service := httptest.NewServer(standin.Secret("s3cret", mood.Handler(standin.NewCarrier(
		quote.Compile(files["kuikka.example"], nil)))))
	t.Cleanup(service.Close)

	s := demoShop(t)
	page := s.open(t, "/carriers", 1280, 800)
	typeOver(page, "#till-to", "EE 10111 Tallinn")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#till-options", "Express parcel")
	page.MustElement("#new-carrier").MustInput("Tikka")
	page.MustElement("#new-carrier-url").MustInput(service.URL)
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#carrier-tikka", "No method asks it yet")
	page.MustElement("#carrier-tikka [aria-label='Test Tikka']").MustClick()
	waitText(t, page, "#carrier-tikka", "does not accept the secret")
	page.MustElement("#secret-tikka").MustInput("sécret")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#secret-slip-tikka", "that no secret can have")
	assert.Equal(t, "sécret", page.MustElement("#secret-tikka").MustProperty("value").Str(), "what was typed is kept")
	page.MustElement("#secret-tikka").MustSelectAllText().MustInput("s3cret")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#carrier-tikka", "A secret is kept")
	assert.Empty(t, page.MustElement("#secret-tikka").MustProperty("value").Str())
	page.MustElement("#carrier-tikka [aria-label='Test Tikka']").MustClick()
	waitText(t, page, "#carrier-tikka .tried", "€27.40") // the Till's cart by the express service, as the carrier says
	page.MustElementR("#carrier-tikka button", "Add method with its services").MustClick()
	waitText(t, page, "#carrier-tikka", "Asked by Tikka")
	waitText(t, page, "#till-options", "Kuikka Express")

	// Its express service, 10 % dearer and by a name of the shop's own, live.
	wait := nextPage(t, page)
	page.MustElementR("#carrier-tikka a", "Tikka").MustClick()
	wait()
	typeOver(page, "#asks-percent", "10")
	waitText(t, page, "#till-options", "€30.14")
	typeOver(page, "#s-label-express", "Tikka overnight")
	waitText(t, page, "#till-options", "Tikka overnight")
	goTo(page, s.url+"/live")
	waitText(t, page, "#work", "newly offered")
	page.MustElement("#put-live").MustClick()
	waitText(t, page, "#history", "Edition 2 is live")

	buyer := s.open(t, "/checkout", 1280, 1000)
	waitText(t, buyer, ".delivery", "Tikka overnight")
	waitText(t, buyer, ".delivery", "€30.14")
	rows := `() => Object.fromEntries([...document.querySelectorAll(".delivery .way")].map((w) =>
		[w.querySelector("input")?.value, Math.round(w.getBoundingClientRect().top)]))`

	// The carrier stops answering while the buyer changes the basket.
	mood.Set(standin.Misbehave{Slow: 4 * time.Second})
	quantity := buyer.MustElement(".cart [type=number]")
	quantity.MustSelectAllText().MustInput("1")
	waitText(t, buyer, ".delivery", "the carrier is being asked for its price")
	waitText(t, buyer, ".delivery", "Parcel locker near you")
	waitText(t, buyer, "#total", "€") // a way of the shop's own is chosen already
	first := buyer.MustEval(rows).Map()
	waitFor(t, buyer, `() => !document.querySelector(".delivery .asked")`)
	then := buyer.MustEval(rows).Map()
	for _, key := range []string{"parcel", "locker", "abroad/parcel", "abroad/express"} {
		require.Contains(t, then, key)
		if was, ok := first[key]; ok {
			assert.Equal(t, was.Int(), then[key].Int(), "%s moves under the pointer", key)
		}
	}
	assert.NotContains(t, then, "tikka/express", "it has no price list to stand in")
	buyer.MustElement(".delivery input[value=locker]").MustClick()
	waitText(t, buyer, "#total", "€")

	goTo(page, s.url+"/carriers")
	waitText(t, page, "#carrier-tikka", "did not answer within 1.5 s")
	waitText(t, page, "#carrier-tikka", "Buyers saw instead: Tikka: nothing: it was not offered")
}
