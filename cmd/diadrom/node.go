package main

import (
	"context"
	"crypto/ed25519"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
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

// brokerFlags say where the brokers are between a shop and its nodes.
type brokerFlags struct {
	urls            []string
	shop            string
	credentials, ca string
}

func (b *brokerFlags) register(cmd *cobra.Command) {
	cmd.Flags().StringSliceVar(&b.urls, "nodes", nil,
		"addresses of NATS servers (with JetStream) through which nodes quote, such as tls://a.example,tls://b.example")
	cmd.Flags().StringVar(&b.shop, "nodes-shop", "shop",
		"the name of the shop at those servers: small letters, digits and hyphens")
	b.registerAccess(cmd)
}

func (b *brokerFlags) registerAccess(cmd *cobra.Command) {
	cmd.Flags().StringVar(&b.credentials, "nodes-credentials", "", "a file of NATS credentials")
	cmd.Flags().StringVar(&b.ca, "nodes-ca", "", "a file of certificates (PEM) that are trusted for tls://")
}

func (b *brokerFlags) check() error {
	if len(b.urls) == 0 {
		return nil
	}
	return manifest.CheckShop(b.shop)
}

func (b *brokerFlags) open(urls []string, shop, name string, log *slog.Logger) (*broker.Broker, error) {
	return broker.Open(
		broker.Options{URLs: urls, Credentials: b.credentials, CA: b.ca, Shop: shop, Name: name, Log: log},
	)
}

// send tells the nodes of a shop what changes, until the context ends; wait waits for that.
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
	return box.Sent, func() { <-done }, nil
}

func nodeFileCommand() *cobra.Command {
	var dir string
	var b brokerFlags
	cmd := &cobra.Command{
		Use:   "node-file --data DIR --nodes URL[,URL]",
		Short: "Print the join file with which nodes of a shop are started",
		Long: "Print the join file with which nodes of a shop are started. It has the key of the shop's vault, with which " +
			"carriers' secrets and the keys of held quotes are opened: keep it as you keep a password.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			if _, err := readSettings(cmd); err != nil {
				return err
			}
			if len(b.urls) == 0 {
				return errors.New("say where the brokers are: --nodes URL, or DIADROM_NODES")
			}
			if err := b.check(); err != nil {
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
			out := json.NewEncoder(cmd.OutOrStdout())
			out.SetIndent("", "  ")
			return out.Encode(
				manifest.Join{Format: manifest.Format, Shop: b.shop, Brokers: b.urls, Made: time.Now().UTC(),
					Trust: base64.StdEncoding.EncodeToString(private.Public().(ed25519.PublicKey)),
					Vault: base64.StdEncoding.EncodeToString(key)},
			)
		},
	}
	dataFlag(cmd, &dir)
	b.register(cmd)
	cmd.Flags().String("config", "", "a file of settings (TOML)")
	return cmd
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
			if printConfig {
				return from.print(cmd.OutOrStdout(), cmd.Flags())
			}
			if join == "" || dir == "" {
				return errors.New(
					"say which shop the node is of and where it keeps what it has: --join FILE --data DIR",
				)
			}
			_, proxies, err := behind("", trusted)
			if err != nil {
				return err
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
