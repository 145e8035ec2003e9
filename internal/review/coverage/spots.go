package coverage

import (
	"encoding/binary"

	"diadrom/internal/core/place"
)

// Spot is addresses of one country that the same owners take, in the same order.
type Spot struct {
	At     place.Address // one of them; a listed code where there is one
	Owners []int32       // the one that counts first; none of addresses that nobody takes
	Codes  uint64        // postcodes among them: listed ones where there are lists of the country
	// Bare is a country as a whole, where rules tell its codes apart: no buyer has only that.
	Bare bool
}

// Spots lists all that the rules of a map tell apart: whatever holds of one address of a spot by its zones holds of all
// of them. It is exact as a [Summary] is: where codes have letters, and for drawn areas, the addresses that are asked
// are those at the edges of what is named.
func (m *Map) Spots() (list []Spot) {
	index := map[string]int{}
	var key []byte
	w := &walk{m: m}
	named := w.named()
	w.ask = func(at place.Address, matches []place.Match, codes uint64) {
		key = append(append(key[:0], at.Country...), 0)
		for i := range matches {
			key = binary.LittleEndian.AppendUint32(key, uint32(matches[i].Owner))
		}
		bare := named[at.Country] && at == place.Address{Country: at.Country}
		if bare {
			key[len(at.Country)] = 1
		}
		i, ok := index[string(key)]
		if !ok {
			i = len(list)
			index[string(key)] = i
			owners := make([]int32, len(matches))
			for j := range matches {
				owners[j] = int32(matches[j].Owner)
			}
			list = append(list, Spot{At: at, Owners: owners, Bare: bare})
		}
		s := &list[i]
		if s.Codes == 0 && codes > 0 {
			s.At = at
		}
		s.Codes += codes
	}
	w.all()
	return list
}
