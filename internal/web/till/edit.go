package till

import (
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Change makes a change of the Till and answers with it requoted.
func (s *Screens) Change(
	c *gin.Context,
	change func(*store.File, *sqlite.Till) error,
	slipped func(*Slips, string),
) {
	ctx, state := c.Request.Context(), s.draft.State()
	t, err := samples.Till(ctx, s.db, state.File)
	if err == nil {
		err = change(state.File, &t)
	}
	status := http.StatusOK
	var slips Slips
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		slipped(&slips, text)
		status = http.StatusUnprocessableEntity
	} else if err := s.db.SaveTill(ctx, t); err != nil {
		s.Internal(c, err)
		return
	}
	v, err := s.View(ctx, state, slips)
	if err != nil {
		s.Internal(c, err)
		return
	}
	if status == http.StatusOK {
		c.Header("HX-Trigger", "till-changed") // pages that show the Till's address or cart reload their work
	}
	v.OOB = true
	s.HTML(c, status, s.Render("till", v))
}

func (s *Screens) tillDestination(c *gin.Context) {
	typed := c.PostForm("to")
	s.Change(c, func(f *store.File, t *sqlite.Till) error {
		a, err := s.draft.State().Reader().Address(typed)
		if err != nil {
			return shell.Refusef("%s", err.Error())
		}
		t.Destination = a.Line(f.Home())
		return nil
	}, func(slips *Slips, text string) { slips.destination, slips.DestinationSlip = typed, text })
}

func (s *Screens) tillCart(c *gin.Context) {
	id := c.PostForm("cart")
	s.Change(c, func(_ *store.File, t *sqlite.Till) error {
		carts, _, err := s.db.Samples(c.Request.Context())
		if err != nil {
			return err
		}
		for _, cart := range carts {
			if cart.ID == id {
				t.Cart = cart.Lines
				return nil
			}
		}
		return shell.Refusef("choose a cart")
	}, func(slips *Slips, text string) { slips.slip = text })
}

type line struct {
	Index                 int
	Name                  string
	Quantity, Price, Unit string
	Sum                   string
	Own                   bool
	Weight                string
	Slip                  string
}

func (s *Screens) tillAdd(c *gin.Context) {
	typed := strings.TrimSpace(c.PostForm("sku"))
	s.Change(c, func(f *store.File, t *sqlite.Till) error {
		var found *store.Product
		for i := range f.Products {
			p := &f.Products[i]
			if strings.EqualFold(p.SKU, typed) || strings.EqualFold(p.Name, typed) {
				found = p
				break
			}
		}
		if found == nil {
			return shell.Refusef("there is no product %.40q", typed)
		}
		for i := range t.Cart {
			if t.Cart[i].SKU == found.SKU {
				t.Cart[i].Quantity = min(t.Cart[i].Quantity+1, quote.MaxQuantity)
				return nil
			}
		}
		t.Cart = append(t.Cart, sqlite.CartLine{SKU: found.SKU, Quantity: 1})
		return nil
	}, func(slips *Slips, text string) { slips.sku, slips.addSlip = typed, text })
}

// maxCarts is how many sample carts are kept.
const maxCarts = 60

// keepCart keeps what lies in the Till as a sample cart.
func (s *Screens) keepCart(c *gin.Context) {
	typed := c.PostForm("name")
	s.Change(c, func(_ *store.File, t *sqlite.Till) error {
		name, err := edit.Name(typed)
		if err != nil {
			return err
		}
		carts, destinations, err := s.db.Samples(c.Request.Context())
		if err != nil {
			return err
		}
		if len(carts) >= maxCarts {
			return shell.Refusef("there are %d sample carts already: forget one first", len(carts))
		}
		taken := map[string]bool{}
		for _, cart := range carts {
			taken[cart.ID] = true
			if strings.EqualFold(cart.Name, name) {
				return shell.Refusef("there is a sample cart called %s already", cart.Name)
			}
		}
		id := store.NewID(name, "cart", func(id string) bool { return taken[id] })
		return s.db.SaveSamples(
			c.Request.Context(),
			append(carts, sqlite.SampleCart{ID: id, Name: name, Lines: t.Cart}),
			destinations,
		)
	}, func(slips *Slips, text string) { slips.keepName, slips.keepSlip = typed, text })
}

// forgetCart takes a sample cart out; what lies in the Till stays there.
func (s *Screens) forgetCart(c *gin.Context) {
	s.Change(c, func(*store.File, *sqlite.Till) error {
		carts, destinations, err := s.db.Samples(c.Request.Context())
		if err != nil {
			return err
		}
		before := len(carts)
		carts = slices.DeleteFunc(carts, func(cart sqlite.SampleCart) bool { return cart.ID == c.Param("cart") })
		if len(carts) == before {
			return shell.Refusef("this sample cart was forgotten already")
		}
		return s.db.SaveSamples(c.Request.Context(), carts, destinations)
	}, func(slips *Slips, text string) { slips.slip = text })
}
