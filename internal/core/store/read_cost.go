package store

// cost reads what sending by some methods costs the shop.
func (r *reader) cost() Cost {
	c := Cost{Classes: Together}
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "id":
			c.ID = r.id()
		case "name":
			c.Name = r.Text()
		case "methods":
			c.Methods = r.Texts()
		case "classes":
			c.Classes = choice(r, Together, Add, Dearest)
		case "tables":
			c.Tables = list(r, r.table)
		case "per_parcel":
			c.PerParcel = r.amount()
		default:
			return false
		}
		return true
	})
	return c
}
