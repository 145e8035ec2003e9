package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/shop/backups"
	"diadrom/internal/shop/broker"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/held"
	"diadrom/internal/shop/outbox"
	"diadrom/internal/shop/rehearsal"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"

	"github.com/spf13/cobra"
)

// doctor looks at what a shop stands on, and says what is wrong and what to do.
type doctor struct {
	dir, public string
	nodes       brokerFlags
	from        settings
	out         io.Writer
	failed      bool
}

func doctorCommand() *cobra.Command {
	d := &doctor{}
	cmd := &cobra.Command{
		Use:   "doctor --data DIR [--public-url URL]",
		Short: "Check a shop's folder, database, clock, backups, proxy and keys",
		Long: "Check what a shop stands on: its folder, database, clock, backups, keys and, with --public-url, the way to it. " +
			"It changes nothing but for a test of the newest backup, which is restored apart and removed again.\n" +
			"Exit 0 where nothing has failed, 1 where something has.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			from, err := readSettings(cmd)
			if err != nil {
				return err
			}
			if d.dir == "" {
				return errors.New("say where the shop is kept: --data DIR, or DIADROM_DATA")
			}
			d.out = cmd.OutOrStdout()
			d.from = from
			d.look(cmd.Context())
			if d.failed {
				return exit(exitFaults)
			}
			return nil
		},
	}
	dataFlag(cmd, &d.dir)
	cmd.Flags().StringVar(&d.public, "public-url", "", "the address under which a proxy in front shows the shop")
	d.nodes.register(cmd)
	cmd.Flags().String("config", "", "a file of settings (TOML)")
	return cmd
}

func (d *doctor) say(how, what, format string, args ...any) {
	fmt.Fprintf(d.out, "%-5s %-9s %s\n", how, what, fmt.Sprintf(format, args...))
}
func (d *doctor) ok(what, format string, args ...any)   { d.say("ok", what, format, args...) }
func (d *doctor) warn(what, format string, args ...any) { d.say("warn", what, format, args...) }
func (d *doctor) fail(what, format string, args ...any) {
	d.failed = true
	d.say("FAIL", what, format, args...)
}

// leastSpace is how many bytes should be free: for a backup and what is written beside it.
const leastSpace = 500 << 20

func (d *doctor) look(ctx context.Context) {
	if !d.folder() {
		return
	}
	db := d.database(ctx)
	if db != nil {
		defer db.Close()
	}
	d.backups(ctx)
	if db != nil {
		d.keys(ctx, db)
	}
	d.brokers(ctx, db)
	if d.public != "" {
		d.proxy(ctx)
	}
}

// folder looks at the folder; false where there is none.
func (d *doctor) folder() bool {
	info, err := os.Stat(d.dir)
	switch {
	case err != nil:
		d.fail("folder", "%v: is --data right?", err)
		return false
	case !info.IsDir():
		d.fail("folder", "%s is no folder", d.dir)
		return false
	}
	if runtime.GOOS != "windows" && info.Mode().Perm()&0o077 != 0 {
		d.warn("folder", "others may look into %s (mode %04o): chmod 700 %s", d.dir, info.Mode().Perm(), d.dir)
	} else {
		d.ok("folder", "%s", d.dir)
	}
	probe, err := os.CreateTemp(d.dir, "doctor-*.part")
	if err != nil {
		d.fail("folder", "nothing can be written there: %v", err)
	} else {
		probe.Close()
		os.Remove(probe.Name())
	}
	if free, known := sqlite.Space(d.dir); known && free < leastSpace {
		d.fail("disk", "%d MB are free: make room, a backup needs some", free>>20)
	} else if known {
		d.ok("disk", "%d MB are free", free>>20)
	}
	return true
}

func (d *doctor) database(ctx context.Context) *sqlite.DB {
	has, known, err := sqlite.Version(ctx, d.dir)
	switch {
	case errors.Is(err, os.ErrNotExist):
		d.fail(
			"database",
			"%s is not in %s: is --data right? diadrom restore puts a backup in place",
			sqlite.Name,
			d.dir,
		)
		return nil
	case err != nil:
		d.fail("database", "%v: restore a backup with diadrom restore", err)
		return nil
	case has > known:
		d.fail("database", "it was written by a later version (%d, this program knows %d): run that one", has, known)
		return nil
	case has < known:
		d.warn(
			"database",
			"it is of an earlier version (%d, this program knows %d): diadrom serve brings it up to date, after a "+
				"backup",
			has,
			known,
		)
		return nil // opening it would
	}
	db, err := sqlite.Open(ctx, d.dir)
	if err == nil {
		err = db.Check(ctx)
	}
	if err != nil {
		d.fail("database", "%v: restore a backup with diadrom restore", err)
		return nil
	}
	d.ok("database", "every page of it is sound, version %d", has)
	shop, err := draft.Open(ctx, db, nil, draft.Empty())
	switch {
	case err != nil:
		d.fail("edition", "%v", err)
		return db
	case shop.Live() == nil:
		d.warn("edition", "nothing is live: buyers get no quotes before you publish")
	case shop.Live().Damaged != 0:
		d.fail(
			"edition",
			"edition %d is damaged, and buyers are quoted from edition %d: publish again",
			shop.Live().Damaged,
			shop.Live().Number,
		)
	default:
		d.ok("edition", "edition %d is live, and is what was published", shop.Live().Number)
	}
	for _, name := range stray(shop) {
		d.warn("carriers", "%s in the environment is the secret of no carrier of this shop: is it spelt as its id?", name)
	}
	d.clock(shop)
	return db
}

// skew is how far clocks may differ.
const skew = time.Minute

func (d *doctor) clock(shop *draft.Draft) {
	now := time.Now()
	last, _, err := sqlite.LastBackup(d.dir)
	switch live := shop.Live(); {
	case live != nil && live.At.After(now.Add(skew)):
		d.fail(
			"clock",
			"it is %s here, and the live edition was published on %s: set the clock",
			now.UTC().Format(time.RFC3339),
			live.At.UTC().Format(time.RFC3339),
		)
	case err == nil && last.At.After(now.Add(skew)):
		d.fail("clock", "it is %s here, and the newest backup is of %s: set the clock", now.UTC().Format(time.RFC3339),
			last.At.UTC().Format(time.RFC3339))
	default:
		d.ok("clock", "%s", now.UTC().Format(time.RFC3339))
	}
}

// oldBackup is how old the newest backup may be.
const oldBackup = 3 * backups.Daily

func (d *doctor) backups(ctx context.Context) {
	last, count, err := sqlite.LastBackup(d.dir)
	switch {
	case err != nil:
		d.fail("backups", "%v", err)
		return
	case count == 0:
		d.warn("backups", "there are none yet: diadrom serve makes the first an hour after the last change")
		return
	}
	if age := time.Since(last.At); age > oldBackup {
		d.warn("backups", "the newest of %d is %d days old: diadrom serve makes one each day, unless --backup-every says otherwise",
			count, int(age.Hours()/24))
	} else {
		d.ok("backups", "%d, the newest of %s", count, last.At.UTC().Format(time.RFC3339))
	}
	if name, err := rehearsal.Try(ctx, d.dir); err != nil {
		d.fail("restore", "%s cannot be restored: %v", name, err)
	} else {
		d.ok("restore", "%s was restored apart, and is whole", name)
	}
	if !sqlite.BackupsEncrypted(d.dir) {
		d.warn("backups", "they are not encrypted: the page Backups does that")
	}
}

// idle is after how long a key that was not used is named.
const idle = 90 * 24 * time.Hour

func (d *doctor) keys(ctx context.Context, db *sqlite.DB) {
	for _, name := range []string{sqlite.KeyName, sqlite.BackupKeyName} {
		info, err := os.Stat(filepath.Join(d.dir, name))
		if err == nil && runtime.GOOS != "windows" && info.Mode().Perm()&0o077 != 0 {
			d.fail("keys", "others may read %s (mode %04o): chmod 600", name, info.Mode().Perm())
		}
	}
	d.signing(ctx, db)
	list, err := db.APIKeys(ctx)
	if err != nil {
		d.fail("keys", "%v", err)
		return
	}
	now, holding := time.Now(), 0
	for _, k := range list {
		switch {
		case !k.Revoked.IsZero():
			continue
		case k.Expired(now):
			d.warn("keys", "%q has expired: revoke it, or make another", k.Name)
			continue
		case now.Sub(latest(k.At, k.Used)) > idle:
			d.warn(
				"keys",
				"%q was not used for %d days: revoke it if nothing needs it",
				k.Name,
				int(now.Sub(latest(k.At,
					k.Used)).Hours()/24),
			)
		case !k.Publishable && len(k.Rights) > 0 && k.Expires.IsZero():
			d.warn("keys", "%q may %s and never expires: give such keys an end", k.Name, k.Rights[0])
		}
		holding++
	}
	d.ok("keys", "%d of the API hold", holding)
	d.people(ctx, db)
}

func latest(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

func (d *doctor) signing(ctx context.Context, db *sqlite.DB) {
	list, err := db.SigningKeys(ctx, time.Time{})
	switch {
	case err != nil:
		d.fail("keys", "%v", err)
	case len(list) == 0 || !list[0].Retired.IsZero():
		d.warn("keys", "none signs held quotes yet: diadrom serve makes one")
	default:
		if _, err := secrets.New(d.dir).Open(list[0].Sealed, held.Purpose+list[0].ID); err != nil {
			d.fail("keys", "the key that signs held quotes cannot be opened with %s: %v; diadrom serve makes a new one",
				sqlite.KeyName, err)
			return
		}
		d.ok("keys", "%s signs held quotes since %s", list[0].ID, list[0].Made.UTC().Format(time.DateOnly))
	}
}

func (d *doctor) people(ctx context.Context, db *sqlite.DB) {
	people, err := db.People(ctx)
	if err != nil {
		d.fail("people", "%v", err)
		return
	}
	owners := 0
	for _, p := range people {
		if p.Active && p.Role == auth.Owner {
			owners++
		}
	}
	switch {
	case len(people) == 0:
		d.warn("people", "nobody yet: open the address that diadrom serve prints")
	case owners == 1:
		d.warn("people", "one owner alone: if they lose their passphrase, diadrom recover helps on this machine")
	default:
		d.ok("people", "%d owners", owners)
	}
}

// brokersWithin is how long brokers may take to answer.
const brokersWithin = 3 * time.Second

// brokers asks the brokers of the shop's nodes, where there are some. db is nil where the shop cannot be read.
func (d *doctor) brokers(ctx context.Context, db *sqlite.DB) {
	if err := d.nodes.check(d.from); err != nil {
		d.fail("brokers", "%v", err)
		return
	}
	if len(d.nodes.urls) == 0 {
		return
	}
	if db != nil {
		if err := outbox.CheckKey(ctx, db, secrets.New(d.dir)); err != nil {
			d.fail("nodes", "%v", err)
		}
	}
	conn, err := d.nodes.open(d.nodes.urls, d.nodes.shop, "diadrom doctor", slog.New(slog.DiscardHandler))
	if err != nil {
		d.fail("brokers", "%v", err)
		return
	}
	defer conn.Close()
	for until := time.Now().Add(brokersWithin); !conn.Connected(); time.Sleep(50 * time.Millisecond) {
		if time.Now().After(until) {
			d.fail("brokers", "%s", cmp.Or(conn.Trouble(), "none answers within "+brokersWithin.String()))
			return
		}
	}
	d.ok("brokers", "one of %s is connected", strings.Join(broker.Redacted(d.nodes.urls), ", "))
}

// proxy asks for the shop as buyers do.
func (d *doctor) proxy(ctx context.Context) {
	base := strings.TrimSuffix(d.public, "/")
	client := &http.Client{Timeout: 10 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error {
		return http.ErrUseLastResponse
	}}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, base+"/readyz", http.NoBody)
	if err != nil {
		d.fail("proxy", "--public-url %q: %v", d.public, err)
		return
	}
	resp, err := client.Do(req)
	if err != nil {
		d.fail("proxy", "%s does not answer: %v", base, err)
		return
	}
	defer resp.Body.Close()
	body, _ := io.ReadAll(io.LimitReader(resp.Body, 4<<10))
	switch {
	case resp.StatusCode == http.StatusMisdirectedRequest:
		d.fail("proxy", "the shop does not know this name: start it with --public-url %s", base)
	case resp.StatusCode == http.StatusServiceUnavailable && strings.Contains(string(body), `"ready"`):
		d.warn("proxy", "%s answers, and is not ready: %s", base, strings.TrimSpace(string(body)))
	case resp.StatusCode != http.StatusOK || !strings.Contains(string(body), `"ready":true`):
		d.fail("proxy", "%s answers %d and is no Diadrom: what does the proxy lead to?", base, resp.StatusCode)
	default:
		d.ok("proxy", "%s leads here", base)
	}
	if strings.HasPrefix(base, "http://") {
		d.warn("proxy", "%s is not encrypted: people cannot sign in there, but on this machine itself", base)
	}
	if at, err := http.ParseTime(resp.Header.Get("Date")); err == nil {
		if off := time.Since(at).Abs(); off > skew {
			d.fail("clock", "the proxy's clock is %s away from this one", off.Round(time.Second))
		}
	}
}
