package store

import (
	"fmt"
	"slices"
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The pieces of a file are its canonical text, whatever was taken over from before, and the same as they are without.
func TestPiecesAreTheCanonicalText(t *testing.T) {
	first := lauha(t)
	for i := range 300 { // enough for several pieces
		first.Products = append(first.Products, Product{SKU: fmt.Sprint("MORE-", i), Name: fmt.Sprint("More <", i, ">"),
			NeedsShipping: true, Price: decimal.FromInt(int64(i))})
	}
	rapid.Check(t, func(t *rapid.T) {
		file := first.Clone()
		parts := file.Split()
		pieces := parts.Pieces(nil)
		require.Equal(t, string(file.Write()), string(pieces.Join()))
		for range rapid.IntRange(1, 5).Draw(t, "edits") {
			next := file.Clone()
			scramble(t, next)
			again, faults := next.SplitAgain(file, parts)
			require.Empty(t, faults)
			file, parts = next, again
			taken := parts.Pieces(pieces)
			require.Equal(t, string(file.Write()), string(taken.Join()))
			anew := parts.Pieces(nil)
			require.Equal(t, len(anew.List), len(taken.List))
			for i := range anew.List {
				require.Equal(t, anew.List[i].Sum, taken.List[i].Sum)
			}
			pieces = taken
		}
	})
}

func TestLittleChangesLittle(t *testing.T) {
	f := lauha(t)
	for i := range 2000 {
		f.Products = append(f.Products, Product{SKU: fmt.Sprint("MORE-", i), NeedsShipping: true})
	}
	parts := f.Split()
	pieces := parts.Pieces(nil)
	require.Greater(t, len(pieces.List), 30)
	unlike := func(change func(*File)) (n int) {
		next := f.Clone()
		change(next)
		again, faults := next.SplitAgain(f, parts)
		require.Empty(t, faults)
		known := map[[32]byte]bool{}
		for i := range pieces.List {
			known[pieces.List[i].Sum] = true
		}
		for _, p := range again.Pieces(pieces).List {
			if !known[p.Sum] {
				n++
			}
		}
		return n
	}
	assert.Equal(t, 1, unlike(func(f *File) { f.Products[1000].Name = "Another" }))
	assert.LessOrEqual(t, unlike(func(f *File) { f.Products = slices.Delete(f.Products, 700, 701) }), 2)
	assert.LessOrEqual(t, unlike(func(f *File) {
		f.Products = slices.Insert(f.Products, 5, Product{SKU: "NEW", NeedsShipping: true})
	}), 2, "what stands behind is cut where it was")
	assert.Zero(t, unlike(func(*File) {}))
}

// What is read is taken apart without reading it again.
func TestWhatIsReadIsTakenApartAsItIs(t *testing.T) {
	f, faults := Read(lauha(t).Write())
	require.Empty(t, faults)
	apart := f.Apart()
	assert.Equal(t, f.Split().Lists, apart.Lists)
	assert.Equal(t, string(f.Write()), string(apart.Write()))
}

func TestOtherTextIsCutAndJoined(t *testing.T) {
	for _, n := range []int{0, 1, bytesOfPiece, bytesOfPiece + 1, 5 * bytesOfPiece} {
		text := make([]byte, n)
		for i := range text {
			text[i] = byte(i * 31)
		}
		assert.Equal(t, string(text), string(Cut(text).Join()))
	}
}
