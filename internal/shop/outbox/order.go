package outbox

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/shop/manifest"
)

// orderName is the file of a shop's folder with the order of the last manifest. It lies beside the database, so that a
// backup that is restored does not take the order back, which would have nodes pass over what comes after.
const orderName = "nodes-order"

// next is the order of the next manifest: one more than that of the last, whatever a clock says. The first of all begins
// at the time of now, since earlier versions counted by that, or behind what the brokers keep.
func (o *Outbox) next(ctx context.Context) (int64, error) {
	path := filepath.Join(o.db.Dir(), orderName)
	if o.order == 0 {
		text, err := os.ReadFile(path)
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return 0, err
		}
		o.order, _ = strconv.ParseInt(strings.TrimSpace(string(text)), 10, 64)
		o.order = max(o.order, o.keptOrder(ctx))
		if o.order == 0 {
			o.order = time.Now().UnixNano()
		}
	}
	o.order = max(o.order, o.seen.Load()) + 1
	part := path + ".part"
	f, err := os.OpenFile(part, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o600)
	if err != nil {
		return 0, err
	}
	_, err = f.WriteString(strconv.FormatInt(o.order, 10) + "\n")
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return 0, err
	}
	return o.order, os.Rename(part, path)
}

// keptOrder is the order of the manifest that the brokers keep; 0 where there is none, or they cannot be reached.
func (o *Outbox) keptOrder(ctx context.Context) int64 {
	ctx, stop := context.WithTimeout(ctx, sendWithin)
	defer stop()
	signed, err := o.broker.Live(ctx)
	if err != nil || signed == "" {
		return 0
	}
	m, err := manifest.Open(signed, o.shop, o.public())
	if err != nil {
		return 0 // another shop's, or damaged: it is replaced
	}
	return m.Issued
}

// behind has another manifest be made where the brokers keep one that comes after the last: nodes would pass this one
// over.
func (o *Outbox) behind(ctx context.Context) {
	kept := o.keptOrder(ctx)
	if _, issued := o.Now(); kept > issued {
		o.log.Warn("the brokers keep a later manifest of this shop: it is made again to come after that", "kept", kept)
		o.seen.Store(kept)
		o.again.Store(true)
	}
}
