package methods

import (
	"cmp"
	"html/template"
	"net/http"
	"slices"

	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// asksView is what a method asks of which carrier, and what it makes of the prices.
type asksView struct {
	ID, Name        string // of the method
	Carriers        []shell.Choice
	Carrier         string // its name
	Percent, Amount string
	Fallback        bool
	Services        []serviceRow
	Currency        string
	Listed          string // when the carrier listed its services; "" for not yet
	New             []newService
	Priced          bool   // whether the price lists that stand in have any price
	Off             string // why buyers are offered no service
	Code            string // of a service that is typed

	PercentSlip, AmountSlip, CodeSlip, Slip string
}

// serviceRow is a service of the method.
type serviceRow struct {
	Method, Code        string
	Name, CarrierDays   string // as the carrier has them, "" where that is not known
	Label, Days, Slip   string
	On, Unknown         bool // the carrier does not list it
	First, Last         bool
	LabelBad, DaysBad   bool
	LabelHint, DaysHint string
}

// newService is one that the carrier lists and the method has not.
type newService struct{ Code, Name, Days string }

func (s *Screens) asksView(f *store.File, m *store.Method) *asksView {
	if m.Kind != store.CarrierKind || m.Carrier == nil {
		return nil
	}
	of := m.Carrier
	v := &asksView{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Fallback: of.Fallback, Currency: f.Store.Currency}
	for i := range f.Carriers {
		c := &f.Carriers[i]
		v.Carriers = append(v.Carriers, shell.Choice{ID: c.ID, Name: cmp.Or(c.Name, c.ID), Chosen: c.ID == of.ID})
	}
	if of.Percent != nil {
		v.Percent = of.Percent.String() + " %"
	}
	if of.Amount != nil {
		v.Amount = of.Amount.Fixed(f.Store.Digits())
	}
	var listed []carriers.Service
	if c := f.Carrier(of.ID); c != nil {
		v.Carrier = cmp.Or(c.Name, c.ID)
		if known, ok := s.carriers.Listed(c); ok {
			listed, v.Listed = known.Services, known.At.Format("15:04:05")
		}
	}
	on := false
	for i, service := range of.Services {
		r := serviceRow{Method: m.ID, Code: service.Code, Label: service.Label, On: service.Enabled,
			Days: terms.FormatDays(service.Days), First: i == 0, Last: i+1 == len(of.Services),
			LabelHint: "the carrier’s name", DaysHint: "as the carrier says"}
		on = on || service.Enabled
		if at := slices.IndexFunc(listed, func(l carriers.Service) bool { return l.Code == service.Code }); at >= 0 {
			r.Name, r.CarrierDays = listed[at].Name, carriers.DaysText(listed[at].Days)
			r.LabelHint, r.DaysHint = cmp.Or(r.Name, r.LabelHint), cmp.Or(r.CarrierDays, r.DaysHint)
		} else {
			r.Unknown = v.Listed != ""
		}
		v.Services = append(v.Services, r)
	}
	for _, l := range listed {
		if !slices.ContainsFunc(of.Services, func(have store.Service) bool { return have.Code == l.Code }) {
			v.New = append(v.New, newService{l.Code, l.Name, carriers.DaysText(l.Days)})
		}
	}
	if !on {
		v.Off = "No service is on, so buyers are not offered this method."
	}
	for _, zone := range m.ServedZones() {
		v.Priced = v.Priced || m.Priced(zone)
	}
	return v
}

// editAsked makes an edit of what a method asks; slipped puts what was typed, and what is wrong with it, beside it.
func (s *Screens) editAsked(
	c *gin.Context,
	change func(*store.File, *store.Method) error,
	slipped func(*asksView, string),
) {
	s.editMethod(c, change, func(r *methodRow, text string) {
		if r.Terms == nil || r.Terms.Asks == nil {
			r.Slip = text
			return
		}
		slipped(r.Terms.Asks, text)
	})
}

func (s *Screens) editAsks(c *gin.Context) {
	field, typed := edit.AsksField(c.PostForm("field")), c.PostForm("value")
	s.editAsked(c, func(f *store.File, m *store.Method) error { return edit.SetAsks(f, m, field, typed) },
		func(v *asksView, text string) {
			switch field {
			case edit.AsksPercent:
				v.Percent, v.PercentSlip = typed, text
			case edit.AsksAmount:
				v.Amount, v.AmountSlip = typed, text
			default:
				v.Slip = text
			}
		})
}

// addService adds a service by its code: one that the carrier lists, or as it is typed.
func (s *Screens) addService(c *gin.Context) {
	code := c.PostForm("code")
	s.editAsked(c, func(_ *store.File, m *store.Method) error { return edit.AddService(m, code, true) },
		func(v *asksView, text string) { v.Code, v.CodeSlip = code, text })
}

// editService sets a field of a service, moves it or removes it.
func (s *Screens) editService(c *gin.Context) {
	code, field, typed := c.PostForm("code"), c.PostForm("field"), c.PostForm("value")
	s.editAsked(c, func(_ *store.File, m *store.Method) error {
		switch field {
		case "up", "down":
			return edit.StepService(m, code, field == "up")
		case "remove":
			return edit.RemoveService(m, code)
		}
		return edit.SetService(m, code, edit.ServiceField(field), typed)
	}, func(v *asksView, text string) {
		for i := range v.Services {
			r := &v.Services[i]
			if r.Code != code {
				continue
			}
			r.Slip = text
			switch edit.ServiceField(field) {
			case edit.ServiceLabel:
				r.Label, r.LabelBad = typed, true
			case edit.ServiceDays:
				r.Days, r.DaysBad = typed, true
			}
			return
		}
		v.Slip = text
	})
}

// fetchServices asks the carrier of a method for its services.
func (s *Screens) fetchServices(c *gin.Context) {
	state := s.draft.State()
	m := state.File.Method(c.Param("method"))
	if m == nil || m.Carrier == nil || state.File.Carrier(m.Carrier.ID) == nil {
		s.Problem(c, http.StatusNotFound, "This method asks no carrier any more.")
		return
	}
	known := s.carriers.Fetch(c.Request.Context(), state.File.Carrier(m.Carrier.ID))
	v := s.methodsView(c, state)
	for i := range v.Rows {
		if r := &v.Rows[i]; r.ID == m.ID && r.Terms != nil && r.Terms.Asks != nil && known.Problem != "" {
			r.Terms.Asks.Slip = r.Terms.Asks.Carrier + " " + known.Problem + "."
		}
	}
	s.Answer(c, "/methods", state, []template.HTML{s.Render("methods", v)}...)
}
