// Package broker keeps what the nodes of a shop need in NATS JetStream: the signed manifest in a key-value bucket, and the
// objects that it names in an object store, both kept by as many servers as there are, up to three.
package broker

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"time"

	"github.com/nats-io/nats.go"
	"github.com/nats-io/nats.go/jetstream"
)

// liveKey is the key of the manifest in its bucket.
const liveKey = "live"

// Options say how brokers are reached.
type Options struct {
	URLs        []string // nats:// or tls://, with user and password or token where that is wanted
	Credentials string   // a file of NATS credentials; "" for none
	CA          string   // a file of certificates that are trusted, PEM; "" for those of the system
	Name        string   // as connections are called at the brokers
	Shop        string
	Log         *slog.Logger
}

// Broker is a connection to the brokers, which is made again whenever it is lost. It is safe for many goroutines.
type Broker struct {
	conn *nats.Conn
	js   jetstream.JetStream
	shop string
}

// reconnectWait is how long it waits between attempts to connect again.
const reconnectWait = 250 * time.Millisecond

// Open connects, now or as soon as a broker can be reached.
func Open(o Options) (*Broker, error) {
	options := []nats.Option{
		nats.Name(o.Name), nats.RetryOnFailedConnect(true), nats.MaxReconnects(-1), nats.ReconnectWait(reconnectWait),
		nats.ReconnectJitter(100*time.Millisecond, 250*time.Millisecond), nats.Timeout(2 * time.Second),
		nats.PingInterval(2 * time.Second), nats.MaxPingsOutstanding(2),
		nats.DisconnectErrHandler(func(_ *nats.Conn, err error) {
			if err != nil {
				o.Log.Warn("the connection to a broker was lost, and is made again", "error", err)
			}
		}),
		nats.ReconnectHandler(func(c *nats.Conn) { o.Log.Info("connected to a broker again", "broker", c.ConnectedUrlRedacted()) }),
		nats.ErrorHandler(func(_ *nats.Conn, _ *nats.Subscription, err error) { o.Log.Warn("broker", "error", err) }),
	}
	if o.Credentials != "" {
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
		return nil, fmt.Errorf("the brokers %s: %w", Redacted(o.URLs), err)
	}
	js, err := jetstream.New(conn)
	if err != nil {
		conn.Close()
		return nil, err
	}
	return &Broker{conn, js, o.Shop}, nil
}

// Redacted are addresses without what they say of users and passwords.
func Redacted(urls []string) string {
	out := make([]string, len(urls))
	for i, u := range urls {
		scheme, rest, ok := strings.Cut(u, "://")
		if !ok {
			scheme, rest = "nats", u
		}
		if _, host, secret := strings.Cut(rest, "@"); secret {
			rest = host
		}
		out[i] = scheme + "://" + rest
	}
	return strings.Join(out, ", ")
}

// Close closes the connection.
func (b *Broker) Close() { b.conn.Close() }

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
			_, err = b.js.CreateOrUpdateObjectStore(ctx, jetstream.ObjectStoreConfig{Bucket: b.bucket(), Replicas: replicas})
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

// Get gives an object.
func (b *Broker) Get(ctx context.Context, name string) ([]byte, error) {
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

// Times of watching: how often the manifest is looked at besides being told, and how long a broker may take to answer.
const (
	lookEvery    = 700 * time.Millisecond
	answerWithin = 3 * time.Second
)

// Watch calls do with each manifest that is published, from the one that is there on, until the context ends. It is told of
// a new one, and looks by itself now and then, so that none is missed while connections come and go. One that was taken is
// not given again; one of which do returns an error is.
func (b *Broker) Watch(ctx context.Context, do func(ctx context.Context, signed string) error) {
	told, last := make(chan struct{}, 1), ""
	go b.listen(ctx, told)
	timer := time.NewTimer(0)
	defer timer.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-told:
		case <-timer.C:
		}
		timer.Reset(lookEvery)
		if !b.conn.IsConnected() {
			continue
		}
		within, stop := context.WithTimeout(ctx, answerWithin)
		signed, err := b.Live(within)
		stop()
		if err == nil && signed != "" && signed != last && do(ctx, signed) == nil {
			last = signed
		}
	}
}

// listen tells of each change until the context ends.
func (b *Broker) listen(ctx context.Context, told chan<- struct{}) {
	for ctx.Err() == nil {
		kv, err := b.js.KeyValue(ctx, b.bucket())
		if err == nil {
			var watcher jetstream.KeyWatcher
			if watcher, err = kv.Watch(ctx, liveKey, jetstream.MetaOnly()); err == nil {
				for range watcher.Updates() {
					select {
					case told <- struct{}{}:
					default:
					}
				}
				watcher.Stop() //nolint:errcheck // it has ended
			}
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}
