package ratelist

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"diadrom/internal/test/storetest"
)

func TestDbg(t *testing.T) {
	data, _ := os.ReadFile("/tmp/lists.txt")
	for _, one := range strings.Split(string(data), "\n=====\n") {
		name, text, _ := strings.Cut(one, "\n")
		f := storetest.Lauha(t)
		r, got := made(t, f, text)
		fmt.Printf("## %s\n   %s\n", name, got)
		if r.Missing != "" {
			fmt.Println("   MISSING", r.Missing)
		}
		if r.Plan != nil {
			for i, z := range r.Plan.Zones {
				if r.Plan.New[i] {
					fmt.Println("   new", z.ID, z.Name, wordsOf(z.Places))
				}
			}
			for _, l := range r.Plan.Lines {
				if l.Status != Taken {
					fmt.Println("   REFUSED", l.Line, l.Says)
				}
			}
		}
		for _, a := range r.Asks {
			fmt.Println("   ASK", a.Code, a.Message)
		}
		fmt.Println("   found", strings.Join(r.Found, " | "))
		for _, s := range r.Skipped {
			fmt.Println("   skip", s.Line, s.Text, "—", s.Why)
		}
	}
}
