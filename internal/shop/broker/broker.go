// Package broker carries what the nodes of a shop need over NATS, in two ways. JetStream keeps it: the signed manifest
// in a key-value bucket, the objects that it names in an object store, both on up to three servers, so that a node gets
// them when the shop does not run. And the shop tells its nodes itself, by messages that nothing keeps: where a server
// is lost JetStream stands still until its servers have agreed on a new leader, which takes up to nine seconds, and
// messages do not.
package broker

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

// liveKey is the key of the manifest in its bucket.
const liveKey = "live"

// Options say how brokers are reached.
type Options struct {
	URLs        []string // nats:// or tls://
	User        string   // "" for none, or for that of the URLs
	Password    string
	Credentials string // a file of NATS credentials; "" for none
	CA          string // a file of certificates that are trusted, PEM; "" for those of the system
	Name        string // as connections are called at the brokers
	Shop        string
	Log         *slog.Logger
}

// Broker is a connection to the brokers, which is made again whenever it is lost. It is safe for many goroutines.
type Broker struct {
	conn *nats.Conn
	js   jetstream.JetStream
	shop string

	closed chan struct{}

	heard atomic.Int64 // when the shop was heard last, in nanoseconds of the clock
	told  atomic.Int64 // the order of the manifest that it told of

	mu      sync.Mutex
	lost    chan struct{} // is closed when the connection that is used now is lost
	trouble string        // why no broker is connected; "" where one is, or where that is not known
}

// Times of connections: how long it waits between attempts to connect again, how long connecting may take, how often a
// connection is tried, and how long it may bring nothing at all then. A network that loses everything without a word is
// noticed after the last two together, where TCP would take minutes.
const (
	reconnectWait = 250 * time.Millisecond
	connectWithin = time.Second
	tryEvery      = 500 * time.Millisecond
	tryWithin     = time.Second
)

// Open connects, now or as soon as a broker can be reached.
func Open(o Options) (*Broker, error) {
	b := &Broker{shop: o.Shop, closed: make(chan struct{}), lost: make(chan struct{})}
	options := []nats.Option{
		nats.Name(o.Name), nats.RetryOnFailedConnect(true), nats.MaxReconnects(-1), nats.ReconnectWait(reconnectWait),
		nats.ReconnectJitter(100*time.Millisecond, 250*time.Millisecond), nats.Timeout(connectWithin),
		nats.DisconnectErrHandler(func(_ *nats.Conn, err error) {
			b.drop()
			if err != nil {
				o.Log.Warn("the connection to a broker was lost, and is made again", "error", err)
			}
		}),
		nats.ConnectHandler(func(*nats.Conn) { b.troubled("", nil) }),
		nats.ReconnectHandler(func(c *nats.Conn) {
			b.troubled("", nil)
			o.Log.Info("connected to a broker again", "broker", c.ConnectedUrlRedacted())
		}),
		// A password that is wrong may be set right at the brokers: it is tried again as everything is.
		nats.IgnoreAuthErrorAbort(),
		nats.ReconnectErrHandler(func(_ *nats.Conn, err error) { b.troubled(words(err), o.Log) }),
		nats.ErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) { o.Log.Warn("broker", "error", err) }),
	}
	if o.User != "" {
		options = append(options, nats.UserInfo(o.User, o.Password))
	}
	if o.Credentials != "" {
		if _, err := os.ReadFile(o.Credentials); err != nil {
			return nil, fmt.Errorf("the credentials of the brokers: %w", err)
		}
		options = append(options, nats.UserCredentials(o.Credentials))
	}
	if o.CA != "" {
		pem, err := os.ReadFile(o.CA)
		if err != nil {
			return nil, err
		}
		pool := x509.NewCertPool()
		if !pool.AppendCertsFromPEM(pem) {
			return nil, fmt.Errorf("%s has no certificate", o.CA)
		}
		options = append(options, nats.Secure(&tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS12}))
	}
	conn, err := nats.Connect(strings.Join(o.URLs, ","), options...)
	if err != nil {
		return nil, fmt.Errorf("the brokers %s: %w", strings.Join(Redacted(o.URLs), ", "), err)
	}
	js, err := jetstream.New(conn)
	if err != nil {
		conn.Close()
		return nil, err
	}
	b.conn, b.js = conn, js
	go b.try()
	return b, nil
}

// words says why a broker cannot be connected.
func words(err error) string {
	switch {
	case errors.Is(err, nats.ErrAuthorization), errors.Is(err, nats.ErrAuthExpired), errors.Is(err, nats.ErrAuthRevoked):
		return "authorization: the brokers do not take this user with this password, or these credentials"
	case errors.As(err, new(x509.UnknownAuthorityError)):
		return "the certificate of a broker is of an authority that is not trusted here: name its file with --nodes-ca"
	case errors.As(err, new(x509.HostnameError)):
		return "the certificate of a broker is for another name: " + err.Error()
	}
	return "no broker can be reached: " + err.Error()
}

// troubled keeps why no broker is connected, and logs it once.
func (b *Broker) troubled(why string, log *slog.Logger) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if log != nil && why != b.trouble {
		log.Warn("not connected to the brokers, which is tried again", "why", why)
	}
	b.trouble = why
}

// Trouble says why no broker is connected; "" where one is, or where that is not known yet.
func (b *Broker) Trouble() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.conn.IsConnected() {
		return ""
	}
	return b.trouble
}

// drop gives up what waits for an answer from a connection that was lost: none will come.
func (b *Broker) drop() {
	b.mu.Lock()
	defer b.mu.Unlock()
	close(b.lost)
	b.lost = make(chan struct{})
}

// within is for a request: it ends when no answer came for some time, and when the connection is lost.
func (b *Broker) within(ctx context.Context) (context.Context, context.CancelFunc) {
	within, stop := context.WithTimeout(ctx, answerWithin)
	b.mu.Lock()
	lost := b.lost
	b.mu.Unlock()
	go func() {
		select {
		case <-lost:
			stop()
		case <-within.Done():
		}
	}()
	return within, stop
}

// try asks the connected broker for a sign of life now and then, and goes to another where there is none.
func (b *Broker) try() {
	every := time.NewTicker(tryEvery)
	defer every.Stop()
	for {
		select {
		case <-b.closed:
			return
		case <-every.C:
		}
		before := b.conn.Stats().InBytes
		if b.conn.IsConnected() && errors.Is(b.conn.FlushTimeout(tryWithin), nats.ErrTimeout) && b.conn.IsConnected() &&
			b.conn.Stats().InBytes == before { // it does not wait behind a large object
			b.conn.ForceReconnect() //nolint:errcheck // it was closed
		}
	}
}

// Redacted are addresses without what they say of users and passwords.
func Redacted(urls []string) []string {
	out := make([]string, len(urls))
	for i, u := range urls {
		scheme, rest, ok := strings.Cut(u, "://")
		if !ok {
			scheme, rest = "nats", u
		}
		if at := strings.LastIndex(rest, "@"); at >= 0 {
			rest = rest[at+1:]
		}
		out[i] = scheme + "://" + rest
	}
	return out
}

// Close closes the connection.
func (b *Broker) Close() {
	close(b.closed)
	b.conn.Close()
}

// Connected says whether a broker is connected at the moment.
func (b *Broker) Connected() bool { return b.conn.IsConnected() }

func (b *Broker) bucket() string { return "diadrom-" + b.shop }

// maxReplicas is how many servers keep a bucket at most.
const maxReplicas = 3

// Prepare makes the buckets where they are missing, kept by three servers where there are so many.
func (b *Broker) Prepare(ctx context.Context) error {
	for _, replicas := range []int{maxReplicas, 1} {
		_, err := b.js.CreateOrUpdateKeyValue(ctx, jetstream.KeyValueConfig{Bucket: b.bucket(), Replicas: replicas,
			Description: "what the nodes of a Diadrom shop quote from", History: 5})
		if err == nil {
			_, err = b.js.CreateOrUpdateObjectStore(
				ctx,
				jetstream.ObjectStoreConfig{Bucket: b.bucket(), Replicas: replicas},
			)
		}
		if err == nil {
			return nil
		}
		var api *jetstream.APIError
		if replicas == 1 || !errors.As(err, &api) || !unclustered(api) {
			return err
		}
	}
	return nil
}

// unclustered says whether an error is that there are not so many servers.
func unclustered(e *jetstream.APIError) bool {
	return strings.Contains(e.Description, "replicas > 1 not supported") // a server by itself
}

// Put keeps an object that is not there yet.
func (b *Broker) Put(ctx context.Context, name string, body []byte) error {
	objects, err := b.js.ObjectStore(ctx, b.bucket())
	if err != nil {
		return err
	}
	if info, err := objects.GetInfo(ctx, name); err == nil && info.Size == uint64(len(body)) {
		return nil
	}
	_, err = objects.PutBytes(ctx, name, body)
	return err
}

// Get gives an object: from the shop itself where that runs, else as it is kept.
func (b *Broker) Get(ctx context.Context, name string) ([]byte, error) {
	body, err := b.ask(ctx, name)
	if err == nil {
		return body, nil
	}
	objects, err := b.js.ObjectStore(ctx, b.bucket())
	if err != nil {
		return nil, err
	}
	return objects.GetBytes(ctx, name)
}

// Sweep removes all objects but some.
func (b *Broker) Sweep(ctx context.Context, keep []string) error {
	objects, err := b.js.ObjectStore(ctx, b.bucket())
	if err != nil {
		return err
	}
	list, err := objects.List(ctx)
	if errors.Is(err, jetstream.ErrNoObjectsFound) {
		return nil
	}
	if err != nil {
		return err
	}
	kept := map[string]bool{}
	for _, name := range keep {
		kept[name] = true
	}
	for _, info := range list {
		if !kept[info.Name] {
			if err := objects.Delete(ctx, info.Name); err != nil {
				return err
			}
		}
	}
	return nil
}

// Publish makes a signed manifest the one that nodes quote from. Its objects must be there.
func (b *Broker) Publish(ctx context.Context, signed string) error {
	kv, err := b.js.KeyValue(ctx, b.bucket())
	if err != nil {
		return err
	}
	_, err = kv.PutString(ctx, liveKey, signed)
	return err
}

// Live is the signed manifest that nodes quote from; "" where there is none.
func (b *Broker) Live(ctx context.Context) (string, error) {
	kv, err := b.js.KeyValue(ctx, b.bucket())
	if errors.Is(err, jetstream.ErrBucketNotFound) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	e, err := kv.Get(ctx, liveKey)
	if errors.Is(err, jetstream.ErrKeyNotFound) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	return string(e.Value()), nil
}

// Times of watching: how often the manifest that is kept is looked at besides being told, after how long the shop is
// asked once more, and how long an answer may take.
const (
	lookEvery    = 300 * time.Millisecond
	askEvery     = 200 * time.Millisecond
	answerWithin = 1500 * time.Millisecond
)

// Watch calls do with each manifest that is published, from the one that is there on, until the context ends. It is
// told of a new one by the shop, and looks at what is kept now and then, so that none is missed while connections come
// and go. One that was taken is not given again; one of which do returns an error is.
func (b *Broker) Watch(ctx context.Context, do func(ctx context.Context, signed string) error) {
	told := make(chan int64, 8)
	sub, err := b.conn.Subscribe(b.subject("live"), func(m *nats.Msg) {
		issued, err := strconv.ParseInt(string(m.Data), 10, 64)
		if err != nil {
			return
		}
		b.heard.Store(time.Now().UnixNano())
		b.told.Store(issued)
		select {
		case told <- issued:
		default: // it is told again
		}
	})
	if err == nil {
		defer sub.Unsubscribe() //nolint:errcheck // the connection ends
	}
	w := watch{do: do}
	var looking sync.WaitGroup
	looking.Go(func() { b.look(ctx, &w) })
	defer looking.Wait()
	w.take(ctx, b.now)
	for lastTold := int64(0); ; {
		select {
		case <-ctx.Done():
			return
		case issued := <-told:
			if issued != lastTold && w.take(ctx, b.now) {
				lastTold = issued
			}
		}
	}
}

// Heard says when the shop was heard last, the zero time for never, and the order of the manifest that it told of.
func (b *Broker) Heard() (at time.Time, issued int64) {
	if n := b.heard.Load(); n != 0 {
		at = time.Unix(0, n)
	}
	return at, b.told.Load()
}

// look takes what the brokers keep, now and then.
func (b *Broker) look(ctx context.Context, w *watch) {
	every := time.NewTicker(lookEvery)
	defer every.Stop()
	for {
		if b.conn.IsConnected() {
			within, stop := b.within(ctx)
			w.take(within, b.Live)
			stop()
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}

// watch gives each manifest once.
type watch struct {
	mu   sync.Mutex
	last string
	do   func(ctx context.Context, signed string) error
}

// take gives what is asked for, unless that was taken before; false where there was no answer or it was not taken.
func (w *watch) take(ctx context.Context, ask func(context.Context) (string, error)) bool {
	signed, err := ask(ctx)
	if err != nil || signed == "" {
		return false
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if signed == w.last {
		return true
	}
	if w.do(context.WithoutCancel(ctx), signed) != nil {
		return false
	}
	w.last = signed
	return true
}

func (b *Broker) subject(of string) string { return "diadrom." + b.shop + "." + of }

// now asks the shop for its manifest. It asks again and again until one answer comes: the first of a new connection is
// lost where the shop's broker does not know yet where answers go.
func (b *Broker) now(ctx context.Context) (string, error) {
	within, stop := b.within(ctx)
	defer stop()
	answers, err := b.conn.SubscribeSync(b.conn.NewInbox())
	if err != nil {
		return "", err
	}
	defer answers.Unsubscribe() //nolint:errcheck // the connection ends
	for {
		if err := b.conn.PublishRequest(b.subject("now"), answers.Subject, nil); err != nil {
			return "", err
		}
		m, err := answers.NextMsg(askEvery)
		if err == nil && len(m.Data) > 0 {
			return string(m.Data), nil
		}
		if errors.Is(err, nats.ErrNoResponders) {
			select { // the shop may be heard of in a moment
			case <-within.Done():
			case <-time.After(askEvery):
			}
		} else if err != nil && !errors.Is(err, nats.ErrTimeout) {
			return "", err
		}
		if within.Err() != nil {
			return "", within.Err()
		}
	}
}

// chunk is how much of an object is in a message, in bytes.
const chunk = 256 << 10

// sizeHeader is the header of a message with a part of an object: how long all of it is.
const sizeHeader = "Diadrom-Size"

// maxObject is how long an object may be, in bytes.
const maxObject = 1 << 30

// ask asks the shop for an object, part by part.
func (b *Broker) ask(ctx context.Context, name string) (body []byte, err error) {
	for {
		m := nats.NewMsg(b.subject("object"))
		m.Data = fmt.Appendf(nil, "%s %d", name, len(body))
		within, stop := b.within(ctx)
		m, err = b.conn.RequestMsgWithContext(within, m)
		stop()
		if err != nil {
			return nil, err
		}
		size, err := strconv.Atoi(m.Header.Get(sizeHeader))
		if err != nil || size > maxObject || len(body)+len(m.Data) > size || len(m.Data) == 0 && size > 0 {
			return nil, fmt.Errorf("the shop does not have the object %.40s", name)
		}
		if body = append(body, m.Data...); len(body) == size {
			return body, nil
		}
	}
}

// Source has what the shop tells its nodes.
type Source interface {
	// Now is the signed manifest, and when it was issued; "" for none.
	Now() (signed string, issued int64)
	// Object is an object that the manifest names; nil for none.
	Object(name string) []byte
}

// tellEvery is how often the shop tells its nodes which manifest is the last, whether it is new or not.
const tellEvery = 250 * time.Millisecond

// Tell tells nodes what they ask, and which manifest is the last, until the context ends; changed has it told at once.
func (b *Broker) Tell(ctx context.Context, s Source, changed <-chan struct{}) error {
	now, err := b.conn.Subscribe(b.subject("now"), func(m *nats.Msg) {
		if signed, _ := s.Now(); signed != "" {
			m.Respond([]byte(signed)) //nolint:errcheck // whoever asked asks again
		}
	})
	if err != nil {
		return err
	}
	defer now.Unsubscribe() //nolint:errcheck // the connection ends
	objects, err := b.conn.Subscribe(b.subject("object"), func(m *nats.Msg) {
		name, text, _ := strings.Cut(string(m.Data), " ")
		from, err := strconv.Atoi(text)
		body := s.Object(name)
		answer := nats.NewMsg(m.Reply)
		if err == nil && body != nil && from >= 0 && from <= len(body) {
			answer.Header.Set(sizeHeader, strconv.Itoa(len(body)))
			answer.Data = body[from:min(len(body), from+chunk)]
		}
		m.RespondMsg(answer) //nolint:errcheck // whoever asked asks again
	})
	if err != nil {
		return err
	}
	defer objects.Unsubscribe() //nolint:errcheck // the connection ends
	every := time.NewTicker(tellEvery)
	defer every.Stop()
	for {
		select {
		case <-ctx.Done():
			return nil
		case <-changed:
		case <-every.C:
		}
		if _, issued := s.Now(); issued != 0 && b.conn.IsConnected() {
			b.conn.Publish(b.subject("live"), strconv.AppendInt(nil, issued, 10)) //nolint:errcheck // it is told again
			b.conn.FlushTimeout(100 * time.Millisecond)                           //nolint:errcheck // it is told again
		}
	}
}
