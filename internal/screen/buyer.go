package screen

import (
	"slices"
	"strings"

	"diadrom/internal/edit"
	"diadrom/internal/samples"
	"diadrom/internal/storage"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// buyerView is who buys, as far as any price looks at it.
type buyerView struct {
	AsksCoupons, AsksCustomer bool
	Coupons, Customer         string
	Groups                    []choice // none where no price looks at groups
	Customers                 []string // that charges were agreed with
}

// buyerOf shows the fields that the prices of a shop look at, and those that are filled in.
func buyerOf(f *store.File, t storage.Till) buyerView {
	v := buyerView{
		Coupons:      t.Coupons,
		Customer:     t.Customer,
		AsksCoupons:  t.Coupons != "",
		AsksCustomer: t.Customer != "",
	}
	groups := []string{}
	if t.Group != "" {
		groups = append(groups, t.Group)
	}
	look := func(n *store.Needs, free *store.Free) {
		if n != nil {
			v.AsksCoupons = v.AsksCoupons || len(n.Coupons) > 0
			groups = append(groups, n.Groups...)
		}
		v.AsksCoupons = v.AsksCoupons || free != nil && len(free.Coupons) > 0
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		look(m.Needs, m.Free)
		for _, own := range m.Terms {
			look(own.Needs, own.Free)
		}
	}
	for i := range f.Agreed {
		if a := &f.Agreed[i]; a.Customer != "" {
			v.AsksCustomer = true
			v.Customers = append(v.Customers, a.Customer)
		}
		if g := f.Agreed[i].Group; g != "" {
			groups = append(groups, g)
		}
	}
	slices.Sort(v.Customers)
	v.Customers = slices.Compact(v.Customers)
	slices.Sort(groups)
	groups = slices.Compact(groups)
	if len(groups) > 0 {
		v.Groups = []choice{{"", "no group", t.Group == ""}}
		for _, g := range groups {
			v.Groups = append(v.Groups, choice{g, g, g == t.Group})
		}
	}
	return v
}

// tillBuyer sets who buys.
func (s *Server) tillBuyer(c *gin.Context) {
	typed := strings.Join(strings.Fields(c.PostForm("value")), " ")
	s.changeTill(c, func(_ *store.File, t *storage.Till) error {
		if len([]rune(typed)) > edit.MaxName {
			return slipf("that is longer than %d letters", edit.MaxName)
		}
		switch c.PostForm("field") {
		case "coupons":
			t.Coupons = strings.Join(samples.Coupons(typed), ", ")
		case "customer":
			t.Customer = typed
		case "group":
			t.Group = typed
		}
		return nil
	}, func(slips *tillSlips, text string) { slips.slip = text })
}
