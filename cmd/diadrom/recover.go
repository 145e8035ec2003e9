package main

import (
	"context"
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
			owner, err := ownerCalled(ctx, db, name)
			if err != nil {
				return err
			}
			passphrase, err := replacePassphrase(ctx, db, owner)
			if err != nil {
				return err
			}
			fmt.Fprintf(
				cmd.OutOrStdout(),
				"%s signs in with this passphrase now, and can change it under People:\n%s\n",
				owner.Name,
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

// ownerCalled finds an owner by name; the only active one where no name is given.
func ownerCalled(ctx context.Context, db *sqlite.DB, name string) (owner sqlite.Person, err error) {
	people, err := db.People(ctx)
	if err != nil {
		return owner, err
	}
	var names []string
	for _, p := range people {
		if p.Role == auth.Owner && (name == "" && p.Active || name != "" && auth.Fold(p.Name) == auth.Fold(name)) {
			owner, names = p, append(names, p.Name)
		}
	}
	switch {
	case len(people) == 0:
		return owner, errors.New("this shop has no people yet: diadrom serve prints where to create the owner account")
	case len(names) == 0:
		return owner, fmt.Errorf("this shop has no owner called %q", name)
	case len(names) > 1:
		return owner, fmt.Errorf("this shop has several owners: say which with --name (%s)", strings.Join(names, ", "))
	}
	return owner, nil
}

// replacePassphrase gives an owner, active from now on, a new passphrase, and takes a second factor away.
func replacePassphrase(ctx context.Context, db *sqlite.DB, owner sqlite.Person) (string, error) {
	passphrase := auth.Passphrase()
	hash, err := auth.Hash(ctx, passphrase)
	if err != nil {
		return "", err
	}
	if err := db.SetActive(ctx, owner.ID, true); err != nil {
		return "", err
	}
	if err := db.SetPassphrase(ctx, owner.ID, hash); err != nil {
		return "", err
	}
	if err := db.RemoveFactor(ctx, owner.ID); err != nil {
		return "", err
	}
	replaced := sqlite.Event{Kind: auth.PassphraseReplaced, Person: owner.ID, Name: owner.Name}
	return passphrase, db.AddEvent(ctx, replaced)
}
