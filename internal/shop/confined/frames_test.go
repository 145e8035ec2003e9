package confined

import (
	"bytes"
	"context"
	"errors"
	"io"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// What a child writes comes as it was written, in whatever pieces, with its progress beside it.
func TestDataComesAsItWasWritten(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var wire bytes.Buffer
		out := &Out{to: &wire}
		var want []byte
		for range rapid.IntRange(0, 10).Draw(t, "writes") {
			piece := bytes.Repeat([]byte{rapid.Byte().Draw(t, "byte")}, rapid.IntRange(0, 200_000).Draw(t, "length"))
			n, err := out.Write(piece)
			require.NoError(t, err)
			require.Equal(t, len(piece), n)
			want = append(want, piece...)
			out.Progress(Progress{Done: int64(len(want)), What: "bytes"})
		}
		require.NoError(t, out.Flush())
		whole := wire.Bytes()
		cut := &frames{in: bytes.NewReader(whole), report: func(Progress) {}}
		got, err := io.ReadAll(cut)
		assert.ErrorIs(t, err, io.ErrUnexpectedEOF, "a stream without its end broke off")
		assert.True(t, bytes.Equal(want, got))
		require.NoError(t, out.frame('z', nil))
		got, err = io.ReadAll(&frames{in: &wire, report: func(Progress) {}})
		assert.NoError(t, err)
		assert.True(t, bytes.Equal(want, got))
	})
}

// An error of the work ends the data, and is given as it was told.
func TestAFailureIsTold(t *testing.T) {
	var wire bytes.Buffer
	out := &Out{to: &wire}
	require.NoError(t, out.frame('d', []byte("ab")))
	require.NoError(t, out.frame('e', []byte(`{"kind":"line","line":3,"message":"a quote is not closed"}`)))
	got, err := io.ReadAll(&frames{in: &wire, report: func(Progress) {}})
	assert.Equal(t, "ab", string(got))
	var failure *Failure
	require.True(t, errors.As(err, &failure))
	assert.Equal(t, Failure{"line", 3, "a quote is not closed"}, *failure)
}

// Whatever a child writes, reading it ends, and takes no more than a frame at a time.
func FuzzFrames(f *testing.F) {
	f.Add([]byte("d\x00\x00\x00\x02abz\x00\x00\x00\x00"))
	f.Add([]byte("e\x00\x00\x00\x02{}"))
	f.Add([]byte("d\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, data []byte) {
		got, _ := io.ReadAll(&frames{in: bytes.NewReader(data), report: func(Progress) {}})
		assert.LessOrEqual(t, len(got), len(data))
	})
}

// Places are taken in the order in which one came, small files pass large ones, and nobody has more than their share.
func TestPlacesAreShared(t *testing.T) {
	p := New("", nil)
	enter := func(who string, size int64) func() {
		_, leave, err := p.Hold(As(t.Context(), who), size)
		require.NoError(t, err)
		return leave
	}
	waits := func(who string, size int64) bool {
		ctx, stop := context.WithTimeout(As(t.Context(), who), 20*time.Millisecond)
		defer stop()
		_, leave, err := p.Hold(ctx, size)
		if err == nil {
			leave()
		}
		return err != nil
	}
	one, two := enter("a", -1), enter("a", 5*Large)
	assert.True(t, waits("a", 1), "somebody has two at most")
	assert.True(t, waits("b", 5*Large), "two are large at most")
	assert.False(t, waits("b", 1))
	three := enter("b", 1)
	one()
	four := enter("c", 5*Large)
	five := enter("b", Large)
	assert.True(t, waits("d", 1), "all places are taken")
	var order []string
	var mu sync.Mutex
	var all sync.WaitGroup
	for i, who := range []string{"d", "e", "f"} {
		all.Go(func() {
			leave := enter(who, int64(i)) // small
			mu.Lock()
			order = append(order, who)
			mu.Unlock()
			leave()
		})
		require.Eventually(t, func() bool { return p.Waiting() == i+1 }, time.Minute, time.Millisecond)
	}
	for _, leave := range []func(){two, three, four, five} {
		leave()
	}
	all.Wait()
	assert.ElementsMatch(t, []string{"d", "e", "f"}, order)
	assert.Zero(t, p.taken)
	assert.Zero(t, p.large)
	assert.Empty(t, p.by)
	ctx, leave, err := p.Hold(As(t.Context(), "a"), 1)
	require.NoError(t, err)
	for range 5 { // what is read within takes no place of its own
		_, within, err := p.Hold(ctx, 5*Large)
		require.NoError(t, err)
		within()
	}
	assert.Equal(t, 1, p.taken)
	leave()
}
