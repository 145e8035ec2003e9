package past

// WireGroup is a group as docs/model.md writes it. What compares two stores stands in it where there are two.
type WireGroup struct {
	Key         map[By]string `json:"key"`
	Orders      int           `json:"orders"`
	Paid        string        `json:"paid"`
	PaidUnknown int           `json:"paid_unknown"`
	WireSums
	Against *WireSums `json:"against,omitempty"`
	Dearer  *int      `json:"dearer,omitempty"`
	Cheaper *int      `json:"cheaper,omitempty"`
	Same    *int      `json:"same,omitempty"`
	Lost    *int      `json:"lost,omitempty"`
	Gained  *int      `json:"gained,omitempty"`
}

// WireSums are sums as docs/model.md writes them.
type WireSums struct {
	NotOffered  int    `json:"not_offered"`
	NoShipping  int    `json:"no_shipping"`
	OtherMethod int    `json:"other_method"`
	Unrated     int    `json:"unrated"`
	Charge      string `json:"charge"`
	Tax         string `json:"tax"`
	Cost        string `json:"cost"`
	Margin      string `json:"margin"`
	CostUnknown int    `json:"cost_unknown"`
}

func (s *Sums) wire(digits int) WireSums {
	return WireSums{s.NotOffered, s.NoShipping, s.OtherMethod, s.Unrated, s.Charge.Fixed(digits), s.Tax.Fixed(digits),
		s.Cost.Fixed(digits), s.Margin.Fixed(digits), s.CostUnknown}
}

// Wire writes the groups with so many minor digits of money, and more where a sum has more.
func (r *Report) Wire(digits int) (list []WireGroup) {
	list = []WireGroup{}
	for _, g := range r.Groups() {
		w := WireGroup{Key: map[By]string{}, Orders: g.Orders, Paid: g.Paid.Fixed(digits), PaidUnknown: g.PaidUnknown,
			WireSums: g.Sums.wire(digits)}
		for i, by := range r.By {
			w.Key[by] = g.Key[i]
		}
		if g.Against != nil {
			against := g.Against.wire(digits)
			w.Against = &against
			w.Dearer, w.Cheaper, w.Same, w.Lost, w.Gained = &g.Dearer, &g.Cheaper, &g.Same, &g.Lost, &g.Gained
		}
		list = append(list, w)
	}
	return list
}
