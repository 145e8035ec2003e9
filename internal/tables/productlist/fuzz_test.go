package productlist

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"
)

// Whatever a file has, it is read without a panic, and what is made of it is a store file.
func FuzzOpen(f *testing.F) {
	for _, list := range []string{
		"Artikelnummer;Bezeichnung;Preis;Gewicht;Maße\nA;B;1,50;350 g;10x20x5 cm\n", "sku,name,variant\nA,B,c\nD,,e\n",
		"Title\n\nsku,price ($),weight\nA,1.000,2 lb 3 oz\nTotal,5,\n", "sku\n=1+1\n", "a,b\n\"",
	} {
		f.Add([]byte(list))
	}
	shop := storetest.Lauha(f)
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 4000 {
			return
		}
		s := shop.Clone()
		r, err := Open(grid.Bytes(data), s, Choices{}, func(int) {})
		if err != nil || r.Rows == nil {
			return
		}
		Back(r.Table, r.Rows)
		Apply(s, r.Rows)
		if _, faults := store.Read(s.Write()); len(faults) > 0 {
			t.Fatalf("%q: %v", data, faults)
		}
	})
}
