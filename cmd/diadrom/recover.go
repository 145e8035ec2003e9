package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"diadrom/internal/auth"
	"diadrom/internal/sqlite"

	"github.com/spf13/cobra"
)

// recoverCommand gives an owner a new passphrase, for whoever works on the machine itself: they can read the
// shop's file anyway.
func recoverCommand() *cobra.Command {
	var dir, name string
	cmd := &cobra.Command{
		Use:   "recover --data DIR [--name NAME]",
		Short: "Give an owner of a shop a new passphrase, on the machine that has its folder",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			ctx := cmd.Context()
			if _, err := os.Stat(filepath.Join(dir, sqlite.Name)); err != nil {
				return fmt.Errorf("there is no shop in %s: %w", dir, err)
			}
			db, err := sqlite.Open(ctx, dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			people, err := db.People(ctx)
			if err != nil {
				return err
			}
			var owners []sqlite.Person
			var names []string
			for _, p := range people {
				if p.Role == auth.Owner &&
					(name == "" && p.Active || name != "" && auth.Fold(p.Name) == auth.Fold(name)) {
					owners = append(owners, p)
					names = append(names, p.Name)
				}
			}
			switch {
			case len(people) == 0:
				return errors.New(
					"this shop has no people yet: diadrom serve prints where to create the owner account",
				)
			case len(owners) == 0:
				return fmt.Errorf("this shop has no owner called %q", name)
			case len(owners) > 1:
				return fmt.Errorf(
					"this shop has several owners: say which with --name (%s)",
					strings.Join(names, ", "),
				)
			}
			passphrase := auth.Passphrase()
			hash, err := auth.Hash(ctx, passphrase)
			if err != nil {
				return err
			}
			if err := db.SetActive(ctx, owners[0].ID, true); err != nil {
				return err
			}
			if err := db.SetPassphrase(ctx, owners[0].ID, hash); err != nil {
				return err
			}
			if err := db.AddEvent(
				ctx,
				sqlite.Event{Kind: auth.PassphraseReplaced, Person: owners[0].ID, Name: owners[0].Name},
			); err != nil {
				return err
			}
			fmt.Fprintf(
				cmd.OutOrStdout(),
				"%s signs in with this passphrase now, and can change it under People:\n%s\n",
				owners[0].Name,
				passphrase,
			)
			return nil
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the shop")
	cmd.Flags().StringVar(&name, "name", "", "which owner, where there are several")
	cmd.MarkFlagRequired("data")
	return cmd
}
