package main

import (
	"cmp"
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"diadrom/internal/shop/broker"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/manifest"
	"diadrom/internal/shop/node"
	"diadrom/internal/shop/outbox"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/shop/services"
	"diadrom/internal/sqlite"
	"diadrom/internal/web"
	"diadrom/internal/web/visitor"

	"github.com/spf13/cobra"
)

// brokerFlags say where the brokers are between a shop and its nodes, and who asks them.
type brokerFlags struct {
	urls                   []string
	shop                   string
	user, password         string
	passwordFile           string
	credentials, authority string
}

func (b *brokerFlags) register(cmd *cobra.Command) {
	cmd.Flags().StringSliceVar(&b.urls, "nodes", nil,
		"addresses of NATS servers (with JetStream) through which nodes quote, such as tls://a.example,tls://b.example")
	cmd.Flags().StringVar(&b.shop, "nodes-shop", "shop",
		"the name of the shop at those servers: small letters, digits and hyphens")
	b.registerAccess(cmd)
}

func (b *brokerFlags) registerAccess(cmd *cobra.Command) {
	cmd.Flags().StringVar(&b.user, "nodes-user", "", "the name of the user at those servers")
	cmd.Flags().StringVar(&b.passwordFile, "nodes-password-file", "", "a file with the password of that user")
	cmd.Flags().StringVar(&b.password, "nodes-password", "",
		"the password of that user, from the environment (DIADROM_NODES_PASSWORD) or a file of settings alone")
	cmd.Flags().StringVar(&b.credentials, "nodes-credentials", "",
		"a file of NATS credentials (.creds), in place of user and password")
	cmd.Flags().StringVar(&b.authority, "nodes-ca", "", "a file of certificates (PEM) that are trusted for tls://")
}

// check reads what is set of brokers; its errors say what is wrong with it.
func (b *brokerFlags) check(from settings) error {
	for i, address := range b.urls {
		u, err := url.Parse(address)
		if !strings.Contains(address, "://") {
			u, err = url.Parse("nats://" + address)
		}
		if err != nil || u.Hostname() == "" || u.Scheme != "nats" && u.Scheme != "tls" {
			return fmt.Errorf("--nodes: %q is not the address of a NATS server: write it such as tls://a.example or nats://127.0.0.1:4222",
				broker.Redacted(b.urls)[i])
		}
		if u.User != nil && from["nodes"] == "flag" {
			return errors.New("--nodes: everybody on this machine can read the password in the list of processes: write user and " +
				"password with --nodes-user and --nodes-password-file, or all of it into DIADROM_NODES or " + settingsName)
		}
	}
	if b.passwordFile != "" {
		text, err := os.ReadFile(b.passwordFile)
		if err != nil {
			return fmt.Errorf("--nodes-password-file: %w", err)
		}
		if b.password != "" {
			return errors.New("--nodes-password-file: the password is set twice, as nodes-password too: leave one out")
		}
		b.password = strings.TrimRight(string(text), "\r\n")
	}
	switch {
	case b.password != "" && b.user == "":
		return errors.New("--nodes-user: a password is set, and no user: say whose it is")
	case b.user != "" && b.password == "":
		return fmt.Errorf("--nodes-user: the password of %q is missing: set it with --nodes-password-file or DIADROM_NODES_PASSWORD",
			b.user)
	case b.user != "" && b.credentials != "":
		return errors.New("--nodes-credentials: credentials stand in place of user and password: leave one of both out")
	case len(b.urls) == 0:
		return nil
	}
	if err := manifest.CheckShop(b.shop); err != nil {
		return fmt.Errorf("--nodes-shop: %w", err)
	}
	return nil
}

func (b *brokerFlags) open(urls []string, shop, name string, log *slog.Logger) (*broker.Broker, error) {
	return broker.Open(broker.Options{URLs: urls, User: b.user, Password: b.password, Credentials: b.credentials,
		CA: b.authority, Shop: shop, Name: name, Log: log})
}

// send tells the nodes of a shop what changes, until the context ends; wait waits for that. A shop whose key for nodes
// cannot be opened is served all the same, and says what is to be done.
func (b *brokerFlags) send(
	ctx context.Context,
	db *sqlite.DB,
	s *services.Services,
	log *slog.Logger,
) (sent func() outbox.Sent,
	wait func(), err error) {
	if len(b.urls) == 0 {
		return nil, func() {}, nil
	}
	conn, err := b.open(b.urls, b.shop, "diadrom shop "+b.shop, log)
	if err != nil {
		return nil, nil, err
	}
	box, err := outbox.New(ctx, b.shop, db, conn, s, log)
	if errors.Is(err, outbox.ErrKey) {
		conn.Close()
		log.Error("nodes are told nothing", "error", err)
		return func() outbox.Sent { return outbox.Sent{Problem: outbox.ErrKey.Error()} }, func() {}, nil
	}
	if err != nil {
		conn.Close()
		return nil, nil, err
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		defer conn.Close()
		box.Run(ctx)
	}()
	log.Info("nodes", "brokers", broker.Redacted(b.urls), "shop", b.shop)
	return func() outbox.Sent {
		s := box.Sent()
		s.Problem = cmp.Or(conn.Trouble(), s.Problem)
		return s
	}, func() { <-done }, nil
}

func nodesCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "nodes", Short: "Look after the nodes of a shop"}
	cmd.AddCommand(renewKeyCommand())
	return cmd
}

func renewKeyCommand() *cobra.Command {
	var dir string
	cmd := &cobra.Command{
		Use:   "renew-key --data DIR",
		Short: "Make a new key with which nodes are told what to quote from",
		Long: "Make a new key with which nodes are told what to quote from: where the file " + sqlite.KeyName +
			" is lost, or somebody " +
			"has a join file who must not. The nodes that run go on with what they have, and are started with a new join file " +
			"(diadrom node-file). Stop diadrom serve before.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if _, err := os.Stat(filepath.Join(dir, sqlite.Name)); err != nil {
				return fmt.Errorf("there is no shop in %s: %w", dir, err)
			}
			lock, err := sqlite.Lock(dir, "diadrom nodes renew-key")
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, lock.Close()) }()
			db, err := sqlite.Open(cmd.Context(), dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			if err := outbox.RenewKey(cmd.Context(), db, secrets.New(dir)); err != nil {
				return err
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(),
				"The key is new. Print a join file with diadrom node-file, and start each node with it.")
			return err
		},
	}
	dataFlag(cmd, &dir)
	cmd.MarkFlagRequired("data")
	return cmd
}

func nodeFileCommand() *cobra.Command {
	var dir, into string
	var b brokerFlags
	cmd := &cobra.Command{
		Use:   "node-file --data DIR --nodes URL[,URL] [-o FILE]",
		Short: "Print the join file with which nodes of a shop are started",
		Long: "Print the join file with which nodes of a shop are started. It has the key of the shop's vault, with which " +
			"carriers' secrets and the keys of held quotes are opened: keep it as you keep a password. It has no user and no password " +
			"of the brokers: nodes have their own.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			from, err := readSettings(cmd)
			if err != nil {
				return err
			}
			if dir == "" {
				return errors.New("say where the shop is kept: --data DIR, or DIADROM_DATA")
			}
			if len(b.urls) == 0 {
				return errors.New("say where the brokers are: --nodes URL, DIADROM_NODES, or nodes in " + settingsName)
			}
			if err := b.check(from); err != nil {
				return err
			}
			if _, _, err := sqlite.Version(cmd.Context(), dir); err != nil {
				return fmt.Errorf("there is no shop in %s: %w", dir, err)
			}
			db, err := sqlite.Open(cmd.Context(), dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			vault := secrets.New(dir)
			private, err := outbox.Key(cmd.Context(), db, vault)
			if err != nil {
				return err
			}
			key, err := vault.Key()
			if err != nil {
				return err
			}
			text, err := json.MarshalIndent(
				manifest.Join{Format: manifest.Format, Shop: b.shop, Brokers: broker.Redacted(b.urls), Made: time.Now().UTC(),
					Trust: base64.StdEncoding.EncodeToString(private.Public().(ed25519.PublicKey)),
					Vault: base64.StdEncoding.EncodeToString(key)}, "", "  ",
			)
			if err != nil {
				return err
			}
			text = append(text, '\n')
			if into == "" {
				_, err = cmd.OutOrStdout().Write(text)
				return err
			}
			return writeSecret(into, text)
		},
	}
	dataFlag(cmd, &dir)
	cmd.Flags().StringVarP(&into, "output", "o", "",
		"write to this file, which only its owner may read (mode 0600), and not to the screen")
	b.register(cmd)
	cmd.Flags().String("config", "", "a file of settings (TOML)")
	return cmd
}

// writeSecret writes a file that only its owner may read, whatever stood there before.
func writeSecret(path string, text []byte) error {
	f, err := os.CreateTemp(filepath.Dir(path), ".diadrom-*.part") // mode 0600
	if err != nil {
		return err
	}
	_, err = f.Write(text)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}

func nodeCommand() *cobra.Command {
	var dir, address, join string
	var trusted []string
	var local, printConfig bool
	var watch watchFlags
	var b brokerFlags
	cmd := &cobra.Command{
		Use:   "node --join FILE --data DIR",
		Short: "Quote for a shop from what it has published, without a database",
		Long: "Quote for a shop from what it has published to its brokers, without a database. A node keeps the last edition in " +
			"its folder and goes on with it when nothing else can be reached. Each flag may also come from the environment " +
			"(--join as DIADROM_JOIN) or from a file of settings: --config FILE.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			from, err := readSettings(cmd)
			if err != nil {
				return err
			}
			_, proxies, err := behind("", trusted)
			if err := errors.Join(err, b.check(from), watch.check(), checkListen("--listen", address)); err != nil {
				return err
			}
			if printConfig {
				return from.print(cmd.OutOrStdout(), cmd.Flags())
			}
			if join == "" || dir == "" {
				return errors.New(
					"say which shop the node is of and where it keeps what it has: --join FILE --data DIR",
				)
			}
			ctx, stop := signal.NotifyContext(cmd.Context(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			log, flush, err := watch.log(cmd.ErrOrStderr())
			if err != nil {
				return err
			}
			defer flush()
			limitMemory(log)
			body, err := os.ReadFile(join)
			if err != nil {
				return err
			}
			if err := os.MkdirAll(dir, 0o700); err != nil {
				return err
			}
			lock, err := sqlite.Lock(dir, "diadrom node")
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, lock.Close()) }()
			read, err := files.New(log)
			if err != nil {
				return err
			}
			n, j, err := node.Open(node.Options{Dir: dir, Join: body, Local: local, Files: read, Log: log})
			if err != nil {
				return err
			}
			conn, err := b.open(j.Brokers, j.Shop, "diadrom node of "+j.Shop, log)
			if err != nil {
				return err
			}
			defer conn.Close()
			n.Use(conn)
			followed := make(chan struct{})
			go func() { defer close(followed); n.Follow(ctx) }()
			defer func() { stop(); <-followed }()
			l, err := listen(cmd, address)
			if err != nil {
				return err
			}
			options := web.NodeOptions{Options: visitor.Options{TrustedProxies: proxies}}
			if options.Metrics, err = watch.serve(ctx, log); err != nil {
				return errors.Join(err, l.Close())
			}
			fmt.Fprintf(cmd.OutOrStdout(), "Quoting for %s at http://%s\nCtrl+C stops it.\n", j.Shop, l.Addr())
			return run(ctx, l, web.NewNode(n, log, options), func() {}, log)
		},
	}
	cmd.Flags().StringVar(&join, "join", "", "the join file of the shop, as diadrom node-file prints it")
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the node; made where it is missing")
	cmd.Flags().BoolVar(&local, "local-services", false, "ask carriers and services at addresses that are not public")
	cmd.Flags().StringSliceVar(&trusted, "trusted-proxy", nil,
		"address or network (CIDR) of a balancer whose X-Forwarded-For is believed")
	listenFlag(cmd, &address)
	b.registerAccess(cmd)
	watch.register(cmd)
	cmd.Flags().String("config", "", "a file of settings (TOML)")
	cmd.Flags().
		BoolVar(&printConfig, "print-config", false, "print the settings that count, with where each is from, and end")
	return cmd
}
