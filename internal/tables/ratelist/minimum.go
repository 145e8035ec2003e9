package ratelist

import "slices"

// minimums are heads of a column with a least price, beside a price for each unit of weight, folded.
var minimums = []string{"minimum", "min", "mini", "minimum charge", "min charge", "minimum price", "min price",
	"minimum fee",
	"mindestpreis", "mindestbetrag", "minimum de perception", "minimo", "precio minimo", "minimi", "minimihinta",
	"minimipris", "minsta pris"}

// minimum finds a column with a least price, which is no lower bound of weights beside a price for each unit.
func (b *block) minimum(m *Mapping) {
	b.least = -1
	if !m.has(PerWeight) || m.has(To) {
		return
	}
	for i, field := range m.Columns {
		if (field == From || field == "") && slices.Contains(minimums, foldedHead(b.headText(i))) {
			m.Columns[i], b.least = "", i
		}
	}
}
