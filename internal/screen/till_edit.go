package screen

import (
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/edit"
	"diadrom/internal/quote"
	"diadrom/internal/samples"
	"diadrom/internal/storage"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// changeTill makes a change of the Till and answers with it requoted.
func (s *Server) changeTill(
	c *gin.Context,
	change func(*store.File, *storage.Till) error,
	slipped func(*tillSlips, string),
) {
	ctx, state := c.Request.Context(), s.draft.State()
	t, err := samples.Till(ctx, s.db, state.File)
	if err == nil {
		err = change(state.File, &t)
	}
	status := http.StatusOK
	var slips tillSlips
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		slipped(&slips, text)
		status = http.StatusUnprocessableEntity
	} else if err := s.db.SaveTill(ctx, t); err != nil {
		s.internal(c, err)
		return
	}
	v, err := s.till(ctx, state, slips)
	if err != nil {
		s.internal(c, err)
		return
	}
	if status == http.StatusOK {
		c.Header("HX-Trigger", "till-changed") // pages that show the Till's address or cart reload their work
	}
	v.OOB = true
	s.html(c, status, s.render("till", v))
}

func (s *Server) tillDestination(c *gin.Context) {
	typed := c.PostForm("to")
	s.changeTill(c, func(f *store.File, t *storage.Till) error {
		a, err := s.draft.State().Engine.Reader().Address(typed)
		if err != nil {
			return slipf("%s", err.Error())
		}
		t.Destination = a.Line(f.Home())
		return nil
	}, func(slips *tillSlips, text string) { slips.destination, slips.destinationSlip = typed, text })
}

func (s *Server) tillCart(c *gin.Context) {
	id := c.PostForm("cart")
	s.changeTill(c, func(_ *store.File, t *storage.Till) error {
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
		return slipf("choose a cart")
	}, func(slips *tillSlips, text string) { slips.slip = text })
}

type tillLine struct {
	Index                 int
	Name                  string
	Quantity, Price, Unit string
	Sum                   string
	Own                   bool
	Weight                string
	Slip                  string
}

func (s *Server) tillAdd(c *gin.Context) {
	typed := strings.TrimSpace(c.PostForm("sku"))
	s.changeTill(c, func(f *store.File, t *storage.Till) error {
		var found *store.Product
		for i := range f.Products {
			p := &f.Products[i]
			if strings.EqualFold(p.SKU, typed) || strings.EqualFold(p.Name, typed) {
				found = p
				break
			}
		}
		if found == nil {
			return slipf("there is no product %.40q", typed)
		}
		for i := range t.Cart {
			if t.Cart[i].SKU == found.SKU {
				t.Cart[i].Quantity = min(t.Cart[i].Quantity+1, quote.MaxQuantity)
				return nil
			}
		}
		t.Cart = append(t.Cart, storage.CartLine{SKU: found.SKU, Quantity: 1})
		return nil
	}, func(slips *tillSlips, text string) { slips.sku, slips.addSlip = typed, text })
}

// mostCarts is how many sample carts are kept.
const mostCarts = 60

// keepCart keeps what lies in the Till as a sample cart.
func (s *Server) keepCart(c *gin.Context) {
	typed := c.PostForm("name")
	s.changeTill(c, func(_ *store.File, t *storage.Till) error {
		name, err := edit.Name(typed)
		if err != nil {
			return err
		}
		carts, destinations, err := s.db.Samples(c.Request.Context())
		if err != nil {
			return err
		}
		if len(carts) >= mostCarts {
			return slipf("there are %d sample carts already: forget one first", len(carts))
		}
		taken := map[string]bool{}
		for _, cart := range carts {
			taken[cart.ID] = true
			if strings.EqualFold(cart.Name, name) {
				return slipf("there is a sample cart called %s already", cart.Name)
			}
		}
		id := store.NewID(name, "cart", func(id string) bool { return taken[id] })
		return s.db.SaveSamples(
			c.Request.Context(),
			append(carts, storage.SampleCart{ID: id, Name: name, Lines: t.Cart}),
			destinations,
		)
	}, func(slips *tillSlips, text string) { slips.keepName, slips.keepSlip = typed, text })
}

// forgetCart takes a sample cart out; what lies in the Till stays there.
func (s *Server) forgetCart(c *gin.Context) {
	s.changeTill(c, func(*store.File, *storage.Till) error {
		carts, destinations, err := s.db.Samples(c.Request.Context())
		if err != nil {
			return err
		}
		before := len(carts)
		carts = slices.DeleteFunc(carts, func(cart storage.SampleCart) bool { return cart.ID == c.Param("cart") })
		if len(carts) == before {
			return slipf("this sample cart was forgotten already")
		}
		return s.db.SaveSamples(c.Request.Context(), carts, destinations)
	}, func(slips *tillSlips, text string) { slips.slip = text })
}
