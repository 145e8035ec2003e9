package sqlite

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"
	"time"
)

// Webhook is an address that notices are sent to.
type Webhook struct {
	ID     int64
	URL    string
	Types  []string
	Secret string // sealed
	Former string // the secret before it, sealed; "" for none, or where it signs no more
	Until  time.Time
	Paused string // why nothing is sent; "" where it is
	At     time.Time
	By     int64
}

// ErrNoWebhook is returned when the webhook does not exist.
var ErrNoWebhook = errors.New("there is no such webhook")

// Webhooks lists all webhooks in the order in which they were added.
func (db *DB) Webhooks(ctx context.Context) (list []Webhook, err error) {
	rows, err := db.sql.QueryContext(ctx,
		"SELECT id, url, types, secret, former, former_until, paused, made_at, made_by FROM webhook ORDER BY id")
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var w Webhook
		var types, until, at string
		if err := rows.Scan(&w.ID, &w.URL, &types, &w.Secret, &w.Former, &until, &w.Paused, &at, &w.By); err != nil {
			return nil, err
		}
		w.Types = strings.Fields(types)
		if w.Until, err = moment(until); err != nil {
			return nil, err
		}
		if w.At, err = moment(at); err != nil {
			return nil, err
		}
		list = append(list, w)
	}
	return list, rows.Err()
}

// AddWebhook keeps a webhook and gives its number.
func (db *DB) AddWebhook(ctx context.Context, w Webhook) (id int64, err error) {
	err = db.sql.QueryRowContext(ctx,
		"INSERT INTO webhook (url, types, secret, made_at, made_by) VALUES (?, ?, ?, ?, ?) RETURNING id",
		w.URL, strings.Join(w.Types, " "), w.Secret, now(), w.By).Scan(&id)
	return id, err
}

// ReplaceWebhookSecret gives a webhook another secret; the one before signs as well until a moment.
func (db *DB) ReplaceWebhookSecret(ctx context.Context, id int64, sealed string, until time.Time) error {
	return db.oneWebhook(ctx, "UPDATE webhook SET former = secret, former_until = ?, secret = ? WHERE id = ?",
		timeText(until), sealed, id)
}

// PauseWebhook has nothing be sent to a webhook, with a reason, or sends again with "". What waits goes on waiting.
func (db *DB) PauseWebhook(ctx context.Context, id int64, why string) error {
	return db.oneWebhook(ctx, "UPDATE webhook SET paused = ? WHERE id = ?", why, id)
}

// RemoveWebhook forgets a webhook with all that was sent to it.
func (db *DB) RemoveWebhook(ctx context.Context, id int64) error {
	return db.oneWebhook(ctx, "DELETE FROM webhook WHERE id = ?", id)
}

func (db *DB) oneWebhook(ctx context.Context, query string, args ...any) error {
	r, err := db.sql.ExecContext(ctx, query, args...)
	if err != nil {
		return err
	}
	n, err := r.RowsAffected()
	if err == nil && n == 0 {
		err = ErrNoWebhook
	}
	return err
}

// States of deliveries.
const (
	DeliveryWaiting = "waiting"
	Delivered       = "delivered"
	GivenUp         = "given up"
)

// Delivery is a notice on its way to a webhook.
type Delivery struct {
	ID, Webhook int64
	Notice      Notice
	State       string
	Attempts    int
	Due         time.Time // when it is tried next
	Tried       time.Time // zero for never
	Said        string    // what the receiver answered, or why it did not
}

const deliveryColumns = "SELECT id, webhook, uid, type, at, data, state, attempts, due, tried_at, said FROM delivery "

func scanDeliveries(rows *sql.Rows, err error) (list []Delivery, _ error) {
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var d Delivery
		var at, data, tried string
		var due int64
		if err := rows.Scan(&d.ID, &d.Webhook, &d.Notice.UID, &d.Notice.Type, &at, &data, &d.State, &d.Attempts, &due,
			&tried, &d.Said); err != nil {
			return nil, err
		}
		d.Notice.Data, d.Due = json.RawMessage(data), time.UnixMilli(due)
		if d.Notice.At, err = moment(at); err != nil {
			return nil, err
		}
		if d.Tried, err = moment(tried); err != nil {
			return nil, err
		}
		list = append(list, d)
	}
	return list, rows.Err()
}

// DueDeliveries lists what is to be sent by now, to webhooks that are not paused, the oldest first.
func (db *DB) DueDeliveries(ctx context.Context, now time.Time, most int) ([]Delivery, error) {
	return scanDeliveries(db.sql.QueryContext(ctx, deliveryColumns+"WHERE state = 'waiting' AND due <= ? AND webhook IN "+
		"(SELECT id FROM webhook WHERE paused = '') ORDER BY id LIMIT ?", now.UnixMilli(), most))
}

// LastDeliveries lists the last deliveries of all webhooks, the last one first.
func (db *DB) LastDeliveries(ctx context.Context, most int) ([]Delivery, error) {
	return scanDeliveries(db.sql.QueryContext(ctx, deliveryColumns+"ORDER BY id DESC LIMIT ?", most))
}

// maxDeliveries is how many deliveries of a webhook are kept, beside those that wait.
const maxDeliveries = 500

// SaveDelivery keeps what became of a delivery: its state, attempts, when it is due, when it was tried and what was
// said.
func (db *DB) SaveDelivery(ctx context.Context, d *Delivery) error {
	_, err := db.sql.ExecContext(ctx, "UPDATE delivery SET state = ?, attempts = ?, due = ?, tried_at = ?, said = ? "+
		"WHERE id = ?", d.State, d.Attempts, d.Due.UnixMilli(), timeText(d.Tried), d.Said, d.ID)
	if err == nil && d.State != DeliveryWaiting {
		_, err = db.sql.ExecContext(ctx, "DELETE FROM delivery WHERE webhook = ? AND state <> 'waiting' AND id <= "+
			"(SELECT id FROM delivery WHERE webhook = ? ORDER BY id DESC LIMIT 1 OFFSET ?)", d.Webhook, d.Webhook, maxDeliveries)
	}
	return err
}

// SendAgain has a delivery be tried from the beginning.
func (db *DB) SendAgain(ctx context.Context, id int64) error {
	return db.oneWebhook(ctx, "UPDATE delivery SET state = 'waiting', attempts = 0, due = ? WHERE id = ?",
		time.Now().UnixMilli(), id)
}

// SendTo has a notice be sent to one webhook, and to nobody else.
func (db *DB) SendTo(ctx context.Context, webhook int64, n Notice) error {
	return db.oneWebhook(ctx,
		"INSERT INTO delivery (webhook, uid, type, at, data, due) SELECT id, ?, ?, ?, ?, ? FROM webhook "+
			"WHERE id = ?", rand.Text(), n.Type, now(), string(n.Data), time.Now().UnixMilli(), webhook)
}
