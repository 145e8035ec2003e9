package ratelist

import (
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"
)

// Whatever a file has, it is read without a panic, and what is made of it is a store file.
func FuzzOpen(f *testing.F) {
	for _, list := range []string{
		"Prices\n\nkg;Finland;Zone 2\n0–2;6,90;on request\neach further kg;0,80;1\nA note\n\nZone;Countries\n" +
			"Zone 2;EE, LV\n",
		"Country,From,To,Price,Fuel %\nFI,0,2,5,12\n*,2,,7.5 per kg,\n",
		"kg,FI,,kg,SE\n1,2,,1,3\nx,y,z\n", "sep=;\nZone;0-1 kg;per 100 kg\n1;5,-;6*\n", ownHead +
			"parcel,list,weight,up_to,2,finland,6.90,no,\n",
		"weight (kg) up to,Finland\n2,6.90\n,no\n", "FI,2,5\nSE,3,6\n", "a,b\n\"",
		"<table><tr><td>kg<td>FI<tr><td>1<td>2</table>",
	} {
		f.Add([]byte(list), byte(0))
	}
	shop := storetest.Lauha(f)
	f.Fuzz(func(t *testing.T, data []byte, set byte) {
		if len(data) > 4000 {
			return
		}
		s := shop.Clone()
		c := Choices{Head: int(set & 3), List: int(set >> 2 & 1)}
		if set&16 != 0 {
			c.Into = "parcel"
		}
		r, err := Open(grid.Bytes(data), s, typed.For(s, nil), c)
		if err != nil || r.Problem() != "" {
			return
		}
		if len(r.Updates)+len(r.New) > 0 {
			r.Apply(s)
		} else {
			r.Plan.Apply(s, "A list")
		}
		if _, faults := store.Read(s.Write()); len(faults) > 0 {
			t.Fatalf("%q: %v", data, faults)
		}
	})
}
