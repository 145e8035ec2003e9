package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/sqlite"

	"github.com/spf13/cobra"
)

// keyCommand makes an API key, for whoever works on the machine itself. A server that runs knows it at once.
func keyCommand() *cobra.Command {
	var dir, name, until string
	var pages, may []string
	cmd := &cobra.Command{
		Use:   "key --data DIR --name NAME [--may RIGHT,…] [--pages SITE,…] [--until DATE]",
		Short: "Make an API key of a shop, on the machine that has its folder",
		Long: "Make an API key of a shop, on the machine that has its folder. It is printed alone on a line, this once.\n" +
			"A key is for a server, or with --pages for pages of these sites, which everybody may read.\n" +
			"Rights of a key for a server: costs, products, products_live, setup, events.",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			asked := auth.KeyText{Name: name, Sites: strings.Join(pages, " "), Until: until, Pages: len(pages) > 0, Rights: may}
			key, err := asked.Read(time.Now())
			if err != nil {
				return err
			}
			if _, err := os.Stat(filepath.Join(dir, sqlite.Name)); err != nil {
				return fmt.Errorf("there is no shop in %s: %w", dir, err)
			}
			ctx := cmd.Context()
			db, err := sqlite.Open(ctx, dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			prefix := auth.SecretPrefix
			if key.Publishable {
				prefix = auth.PublishablePrefix
			}
			secret, kept := auth.Secret(prefix)
			if err := db.AddAPIKey(ctx, key, kept, 0); err != nil {
				return err
			}
			made := sqlite.Event{Kind: auth.KeyMade, Detail: key.Name + ", on the machine itself"}
			if err := db.AddEvent(ctx, made); err != nil {
				return err
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), secret)
			return err
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the shop")
	cmd.Flags().StringVar(&name, "name", "", "what the key is for, as People lists it")
	cmd.Flags().StringSliceVar(&pages, "pages", nil, "sites whose pages send it, such as https://shop.example")
	cmd.Flags().StringSliceVar(&may, "may", nil, "rights of a key for a server")
	cmd.Flags().StringVar(&until, "until", "", "the last day on which it holds, such as 2027-01-31; without it, no end")
	cmd.MarkFlagRequired("data")
	cmd.MarkFlagRequired("name")
	return cmd
}
