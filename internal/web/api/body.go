package api

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
)

// sentJSON says whether a body is sent as JSON; where it is not, that is answered. what is what is sent, with its article.
func sentJSON(c *gin.Context, what string) bool {
	if isJSON(c.GetHeader("Content-Type")) {
		return true
	}
	if c.Request.Method == http.MethodPost {
		c.Header("Accept-Post", "application/json")
	}
	why := what + " is JSON: send it with Content-Type: application/json"
	problem(c, WrongType, why, nil)
	return false
}

// asking is who asks, for the lanes.
func (who *Asker) asking(c *gin.Context) asking {
	switch {
	case who.Kind != Shop:
		return asking{key: -who.Person.ID}
	case who.Key.Publishable:
		return asking{who.Key.ID, c.GetHeader("Origin"), who.From}
	}
	return asking{key: who.Key.ID}
}

// entered waits until a request of so many bytes and lines may be worked on, and measures what that takes; end ends
// it, in the same goroutine, and is nil where it took too long, which has been answered then.
func (a *API) entered(c *gin.Context, who *Asker, size, lines int) (end func()) {
	held := a.limits.held(who, c.GetHeader("Origin"))
	leave, err := a.lanes.enter(c.Request.Context(), who.asking(c), size, lines)
	if err != nil {
		c.Header("Retry-After", "5")
		problem(c, Busy, "too much is asked at the moment: try again in a few seconds", nil)
		return nil
	}
	spent := processor()
	return sync.OnceFunc(func() {
		d := spent()
		leave(d)
		worked(held, d)
	})
}

// errEncoding is the error of a body in an encoding that is not read.
var errEncoding = errors.New("Content-Encoding must be gzip or absent")

// gzipped says whether a body is packed. The error is errEncoding.
func gzipped(r *http.Request) (bool, error) {
	switch strings.ToLower(strings.TrimSpace(r.Header.Get("Content-Encoding"))) {
	case "", "identity":
		return false, nil
	case "gzip", "x-gzip":
		return true, nil
	}
	return false, errEncoding
}

// sent is the body of a request as it came, to be unpacked bit by bit.
type sent struct {
	raw  *bytes.Buffer
	z    *gzip.Reader // nil where it came as it is
	most int64
}

// receive reads a body of at most so many bytes, as it comes; false where it cannot be, which is answered then. Nothing is
// unpacked yet: whoever sends slowly has nobody wait but themselves.
func receive(c *gin.Context, raw *bytes.Buffer, most int64) (s sent, ok bool) {
	packed, err := gzipped(c.Request)
	if err == nil {
		_, err = raw.ReadFrom(http.MaxBytesReader(c.Writer, c.Request.Body, most))
	}
	s = sent{raw: raw, most: most}
	if err == nil && packed {
		s.z, err = gzip.NewReader(raw)
	}
	return s, read(c, err, most)
}

// unpack appends what is left of a body to out, up to so many bytes in all. done is whether that is all of it.
func (s *sent) unpack(out *bytes.Buffer, upTo int64) (done bool, err error) {
	if s.z == nil {
		return true, nil
	}
	_, err = io.Copy(out, io.LimitReader(s.z, upTo+1-int64(out.Len())))
	if err == nil && int64(out.Len()) > upTo {
		return false, nil
	}
	return true, err
}

// reader gives a body unpacked; more than it may have is an *[http.MaxBytesError].
func (s *sent) reader() io.Reader {
	if s.z == nil {
		return s.raw
	}
	return &bounded{s.z, s.most, s.most}
}

// bounded ends with an *[http.MaxBytesError] where there is more than so many bytes.
type bounded struct {
	r          io.Reader
	left, most int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if b.left < 0 {
		return 0, &http.MaxBytesError{Limit: b.most}
	}
	n, err := b.r.Read(p[:min(int64(len(p)), b.left+1)])
	if b.left -= int64(n); b.left < 0 {
		return 0, &http.MaxBytesError{Limit: b.most}
	}
	return n, err
}

// read says whether a body was read; what is wrong with it is answered.
func read(c *gin.Context, err error, most int64) bool {
	var large *http.MaxBytesError
	switch {
	case errors.Is(err, errEncoding):
		c.Header("Accept-Encoding", "gzip")
		problem(c, WrongType, err.Error(), nil)
	case errors.As(err, &large):
		tooLarge(c, most)
	case err != nil:
		problem(c, BrokenOff, "the request broke off, or is not what its headers say", nil)
	}
	return err == nil
}

func tooLarge(c *gin.Context, most int64) {
	size := fmt.Sprintf("%d MB", most>>20)
	if most < 1<<20 {
		size = fmt.Sprintf("%d kB", most>>10)
	}
	problem(c, TooLarge, "a request has at most "+size, nil)
}

// readInto reads the body of a request of which little is made; false where it cannot be, which is answered then.
func readInto(c *gin.Context, in *bytes.Buffer, most int64) bool {
	var raw bytes.Buffer
	s, ok := receive(c, &raw, most)
	if !ok {
		return false
	}
	_, err := in.ReadFrom(s.reader())
	return read(c, err, most)
}

// readTurn reads the body of a request that is worked on in the lane of the large ones, and waits for its turn before it
// is unpacked. leave is nil where that has been answered already.
func (a *API) readTurn(c *gin.Context, who *Asker, most int64) (s sent, leave func()) {
	s, ok := receive(c, &bytes.Buffer{}, most)
	if !ok {
		return s, nil
	}
	size := s.raw.Len()
	if s.z != nil {
		size = int(most)
	}
	return s, a.entered(c, who, size, 0)
}
