package till

import (
	"net/http"
	"strconv"
	"strings"

	"diadrom/internal/core/store"
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
	s.Change(c, func(_ *store.File, t *sqlite.Till) error {
		e, ok, err := s.db.BookEntry(c.Request.Context(), typed)
		switch {
		case err != nil:
			return err
		case ok:
			samples.SetEntry(t, s.draft.State().Reader(), &e)
			return nil
		}
		return samples.SetDestination(t, s.draft.State().Reader(), typed)
	}, func(slips *Slips, text string) { slips.destination, slips.DestinationSlip = typed, text })
}

func (s *Screens) tillCart(c *gin.Context) {
	s.Change(c, func(_ *store.File, t *sqlite.Till) error {
		carts, _, err := s.db.Samples(c.Request.Context())
		if err != nil {
			return err
		}
		return samples.TakeCart(t, carts, c.PostForm("cart"))
	}, func(slips *Slips, text string) { slips.slip = text })
}

func (s *Screens) tillAdd(c *gin.Context) {
	typed := strings.TrimSpace(c.PostForm("sku"))
	s.Change(c, func(f *store.File, t *sqlite.Till) error {
		return samples.AddProduct(f, t, typed)
	}, func(slips *Slips, text string) { slips.sku, slips.addSlip = typed, text })
}

// tillLine sets a field of a line of the cart, or removes the line.
func (s *Screens) tillLine(c *gin.Context) {
	i, err := strconv.Atoi(c.PostForm("line"))
	if err != nil {
		i = -1
	}
	field, typed := c.PostForm("field"), strings.TrimSpace(c.PostForm("value"))
	s.Change(c, func(f *store.File, t *sqlite.Till) error {
		if i >= len(t.Cart) {
			i = -1
		}
		if field == "remove" {
			return samples.RemoveLine(t, i)
		}
		return samples.SetLine(f, t, i, samples.LineField(field), typed)
	}, func(slips *Slips, text string) {
		if i < 0 {
			slips.slip = text
			return
		}
		slips.line, slips.field, slips.text, slips.lineSlip = i, field, typed, text
	})
}

// tillBuyer sets who buys.
func (s *Screens) tillBuyer(c *gin.Context) {
	s.Change(c, func(_ *store.File, t *sqlite.Till) error {
		return samples.SetBuyer(t, samples.BuyerField(c.PostForm("field")), c.PostForm("value"))
	}, func(slips *Slips, text string) { slips.slip = text })
}

// keepCart keeps what lies in the Till as a sample cart.
func (s *Screens) keepCart(c *gin.Context) {
	typed := c.PostForm("name")
	s.Change(c, func(_ *store.File, t *sqlite.Till) error {
		return s.changeSamples(c, func(carts []sqlite.SampleCart) ([]sqlite.SampleCart, error) {
			return samples.KeepCart(t, carts, typed)
		})
	}, func(slips *Slips, text string) { slips.keepName, slips.keepSlip = typed, text })
}

// forgetCart removes a sample cart; what lies in the Till stays there.
func (s *Screens) forgetCart(c *gin.Context) {
	s.Change(c, func(*store.File, *sqlite.Till) error {
		return s.changeSamples(c, func(carts []sqlite.SampleCart) ([]sqlite.SampleCart, error) {
			return samples.ForgetCart(carts, c.Param("cart"))
		})
	}, func(slips *Slips, text string) { slips.slip = text })
}

func (s *Screens) changeSamples(
	c *gin.Context,
	change func([]sqlite.SampleCart) ([]sqlite.SampleCart, error),
) error {
	return s.db.UpdateSamples(c.Request.Context(), func(carts []sqlite.SampleCart, destinations []string) (
		[]sqlite.SampleCart, []string, error) {
		changed, err := change(carts)
		return changed, destinations, err
	})
}
