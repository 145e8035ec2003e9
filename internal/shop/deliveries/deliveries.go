// Package deliveries sends notices to the webhooks of a shop, signed as the Standard Webhooks text has it
// (standardwebhooks.com, version 1.0.0): HMAC-SHA256 over the id, the time and the body.
//
// What is to be sent is kept in the database with what happened, in one transaction, and stays there until it was
// taken. A receiver may so be sent a notice twice, with the same id, where the program ends between sending it and
// keeping that.
package deliveries

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	mathrand "math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"diadrom/internal/outside/asking"
	"diadrom/internal/shop/notices"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
)

// Bounds of webhooks.
const (
	Max      = 20 // webhooks of a shop
	maxURL   = 2000
	within   = 15 * time.Second // an answer comes
	maxBytes = 64 << 10         // of an answer are read
	// Overlap is for how long the secret before the present one signs as well
	Overlap = 24 * time.Hour
	// lookEvery is how often it is looked what is due
	lookEvery = 250 * time.Millisecond
	maxDue    = 100
)

// retries are how long after an attempt that failed the next one is made, give or take a tenth: the schedule that the
// Standard Webhooks text proposes (from memory), ten attempts within three days and a quarter.
var retries = []time.Duration{5 * time.Second, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 5 * time.Hour,
	10 * time.Hour,
	14 * time.Hour, 20 * time.Hour, 24 * time.Hour}

// Attempts is how often a notice is sent at most.
var Attempts = len(retries) + 1

// secretPrefix marks secrets of webhooks, which are 32 bytes in Base64 behind it.
const secretPrefix = "whsec_"

// purpose is what the secrets are sealed for.
const purpose = "webhook"

// Sender sends what is due.
type Sender struct {
	db    *sqlite.DB
	vault *secrets.Vault
	local bool // receivers may be in the machine's own network
	http  *http.Client
	log   *slog.Logger
	now   func() time.Time

	mu   sync.Mutex
	busy map[int64]bool // webhooks that are being sent to
}

// New makes the sender of a shop. local allows receivers at addresses that are not public, and without https.
func New(db *sqlite.DB, vault *secrets.Vault, local bool, log *slog.Logger) *Sender {
	return &Sender{db: db, vault: vault, local: local, log: log, now: time.Now, busy: map[int64]bool{},
		http: &http.Client{
			Timeout: within,
			Transport: &http.Transport{DialContext: asking.Dialer(local, within).DialContext, IdleConnTimeout: time.Minute,
				TLSHandshakeTimeout: within},
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		}}
}

// CheckURL reads the address of a webhook as it is typed. The error says in words what is wrong with it.
func (s *Sender) CheckURL(text string) (string, error) {
	text = strings.TrimSpace(text)
	u, err := url.Parse(text)
	switch {
	case text == "":
		return "", errors.New("type the address that is told, such as https://shop.example/diadrom-events")
	case len(text) > maxURL:
		return "", fmt.Errorf("an address has at most %d letters", maxURL)
	case err != nil || u.Hostname() == "" || u.Scheme != "https" && u.Scheme != "http" || u.Fragment != "":
		return "", fmt.Errorf("%.80q is not the address of a page: write it such as https://shop.example/diadrom-events",
			text)
	case u.User != nil:
		return "", errors.New("leave user and password out of the address: each message is signed with a secret of its own")
	case u.Scheme != "https" && !s.local:
		return "", errors.New("write an https address: what is sent is not for anybody on the way")
	}
	return text, nil
}

// newSecret draws a secret, and seals it.
func (s *Sender) newSecret() (secret, sealed string, err error) {
	key := make([]byte, 32)
	rand.Read(key) //nolint:errcheck // it never fails
	secret = secretPrefix + base64.StdEncoding.EncodeToString(key)
	sealed, err = s.vault.Seal(secret, purpose)
	return secret, sealed, err
}

// Add adds a webhook and gives its secret, which is shown once.
func (s *Sender) Add(ctx context.Context, w sqlite.Webhook) (id int64, secret string, err error) {
	secret, w.Secret, err = s.newSecret()
	if err != nil {
		return 0, "", err
	}
	id, err = s.db.AddWebhook(ctx, w)
	return id, secret, err
}

// ReplaceSecret gives a webhook another secret. The one before signs as well for [Overlap], so that its receiver loses
// nothing while it is told the new one.
func (s *Sender) ReplaceSecret(ctx context.Context, id int64) (secret string, err error) {
	secret, sealed, err := s.newSecret()
	if err != nil {
		return "", err
	}
	return secret, s.db.ReplaceWebhookSecret(ctx, id, sealed, s.now().Add(Overlap))
}

// Try has a webhook be sent a notice that says nothing but that it is a test.
func (s *Sender) Try(ctx context.Context, id int64) error {
	return s.db.SendTo(ctx, id, notices.Of(notices.Test, struct{}{}))
}

// Body is a notice as programs are sent it.
func Body(n *sqlite.Notice) []byte {
	body, err := json.Marshal(struct {
		ID   string          `json:"id"`
		Type string          `json:"type"`
		At   string          `json:"timestamp"`
		Data json.RawMessage `json:"data"`
	}{n.UID, n.Type, n.At.UTC().Format(time.RFC3339), n.Data})
	if err != nil {
		panic(err) // the data is JSON
	}
	return body
}

// Run sends until the context ends.
func (s *Sender) Run(ctx context.Context) {
	var sending sync.WaitGroup
	defer sending.Wait()
	every := time.NewTicker(lookEvery)
	defer every.Stop()
	failed := false
	for {
		err := s.due(ctx, &sending)
		if err != nil && ctx.Err() == nil && !failed {
			s.log.Error("webhooks are not sent to, which is tried again", "error", err)
		}
		failed = err != nil
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}

// due sends what is due, to each webhook that is not being sent to in its own time.
func (s *Sender) due(ctx context.Context, sending *sync.WaitGroup) error {
	list, err := s.db.DueDeliveries(ctx, s.now(), maxDue)
	if err != nil || len(list) == 0 {
		return err
	}
	hooks, err := s.db.Webhooks(ctx)
	if err != nil {
		return err
	}
	of := map[int64][]sqlite.Delivery{}
	for _, d := range list {
		of[d.Webhook] = append(of[d.Webhook], d)
	}
	for i := range hooks {
		w := &hooks[i]
		if len(of[w.ID]) == 0 || !s.begin(w.ID) {
			continue
		}
		sending.Go(func() {
			defer s.end(w.ID)
			for i := range of[w.ID] {
				if ctx.Err() != nil || !s.send(ctx, w, &of[w.ID][i]) {
					return
				}
			}
		})
	}
	return nil
}

func (s *Sender) begin(id int64) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.busy[id] {
		return false
	}
	s.busy[id] = true
	return true
}

func (s *Sender) end(id int64) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.busy, id)
}

// send sends one notice and keeps what came of it; false where nothing more is sent to the webhook for now.
func (s *Sender) send(ctx context.Context, w *sqlite.Webhook, d *sqlite.Delivery) bool {
	begun := s.now()
	o := s.post(ctx, w, d)
	if ctx.Err() != nil && !o.taken {
		return false // it is sent again when the program runs
	}
	d.Attempts++
	d.Tried = s.now()
	switch {
	case o.taken:
		d.State, d.Said = sqlite.Delivered, fmt.Sprintf("%s in %d ms", o.said, max(1, d.Tried.Sub(begun).Milliseconds()))
	case o.gone || d.Attempts >= Attempts:
		d.State, d.Said = sqlite.GivenUp, o.said
	default:
		wait := retries[d.Attempts-1]
		wait += time.Duration((mathrand.Float64()*2 - 1) * float64(wait) / 10)
		d.Due, d.Said = d.Tried.Add(max(wait, o.wait)), o.said
	}
	// What came of it is kept though the program is about to end.
	keep, stop := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer stop()
	err := s.db.SaveDelivery(keep, d)
	if o.gone && err == nil {
		err = s.db.PauseWebhook(keep, w.ID, "its receiver answered 410 Gone: nothing more is wanted there")
	}
	if err != nil {
		s.log.Error("what came of sending to a webhook was not kept", "webhook", w.ID, "error", err)
	}
	if !o.taken {
		s.log.Warn("a webhook was not taken", "webhook", w.ID, "type", d.Notice.Type, "attempt", d.Attempts, "why", o.said)
	}
	return o.taken
}

// outcome is what came of sending a notice.
type outcome struct {
	taken, gone bool
	wait        time.Duration // at least, before the next attempt
	said        string
}

func (s *Sender) post(ctx context.Context, w *sqlite.Webhook, d *sqlite.Delivery) outcome {
	body, at := Body(&d.Notice), s.now()
	signed, err := s.signatures(w, d.Notice.UID, at, body)
	if err != nil {
		return outcome{said: "its secret cannot be opened, since the key in " + sqlite.KeyName +
			" is another one: make a new secret"}
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, w.URL, bytes.NewReader(body))
	if err != nil {
		return outcome{said: "its address cannot be used"}
	}
	r.Header.Set("Content-Type", "application/json")
	r.Header.Set("User-Agent", "Diadrom")
	r.Header.Set(standardwebhooks.HeaderWebhookID, d.Notice.UID)
	r.Header.Set(standardwebhooks.HeaderWebhookTimestamp, strconv.FormatInt(at.Unix(), 10))
	r.Header.Set(standardwebhooks.HeaderWebhookSignature, signed)
	answer, err := s.http.Do(r)
	if err != nil {
		return outcome{said: asking.Words(err, within)}
	}
	defer answer.Body.Close()
	io.Copy(io.Discard, io.LimitReader(answer.Body, maxBytes)) //nolint:errcheck // the status has been read
	said := "answered " + strings.TrimSpace(fmt.Sprintf("%d %s", answer.StatusCode, http.StatusText(answer.StatusCode)))
	switch code := answer.StatusCode; {
	case code >= 200 && code < 300:
		return outcome{taken: true, said: said}
	case code >= 300 && code < 400:
		return outcome{said: said + ", which sends elsewhere and is not followed"}
	case code == http.StatusGone:
		return outcome{gone: true, said: said}
	}
	return outcome{said: said, wait: asking.RetryAfter(answer.Header.Get("Retry-After"), at)}
}

// signatures are those of the webhook's secret and, for a while, of the one before it.
func (s *Sender) signatures(w *sqlite.Webhook, id string, at time.Time, body []byte) (string, error) {
	sealed := []string{w.Secret}
	if w.Former != "" && at.Before(w.Until) {
		sealed = append(sealed, w.Former)
	}
	var list []string
	for i, text := range sealed {
		secret, err := s.vault.Open(text, purpose)
		if err != nil && i > 0 {
			continue
		}
		if err != nil {
			return "", err
		}
		hook, err := standardwebhooks.NewWebhook(secret)
		if err != nil {
			return "", err
		}
		signed, err := hook.Sign(id, at, body)
		if err != nil {
			return "", err
		}
		list = append(list, signed)
	}
	return strings.Join(list, " "), nil
}

// CheckTypes says what is wrong with the types of notices that a webhook is to be sent.
func CheckTypes(types []string) error {
	if len(types) == 0 {
		return errors.New("choose at least one thing that it is told")
	}
	for _, t := range types {
		if !slices.Contains(notices.Types, t) {
			return fmt.Errorf("%.40q is nothing that can be told", t)
		}
	}
	return nil
}
