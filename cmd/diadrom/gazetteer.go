package main

import (
	"errors"
	"fmt"
	"os"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/shop/importer"
	"diadrom/internal/sqlite"

	"github.com/spf13/cobra"
)

func gazetteerCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "gazetteer", Short: "Lists of places"}
	cmd.AddCommand(gazetteerImportCommand())
	return cmd
}

// maxSkipped is how many skipped lines are printed.
const maxSkipped = 20

func gazetteerImportCommand() *cobra.Command {
	var dir string
	cmd := &cobra.Command{
		Use: "import FILE --data DIR",
		Short: "Take a list of places in the GeoNames postal layout into a shop; it stands in for earlier " +
			"ones of its countries",
		Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			f, err := os.Open(args[0])
			if err != nil {
				return err
			}
			defer f.Close()
			db, err := sqlite.Open(cmd.Context(), dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			in := importer.New(db, dir, "", func(*gazetteer.Gazetteer) {})
			l, err := in.Import(cmd.Context(), args[0], f, func(l sqlite.PlaceList) {
				fmt.Fprintf(cmd.ErrOrStderr(), "%3d %% (%d lines)\n", 100*l.Taken/max(l.Bytes, 1), l.Lines)
			})
			if err != nil {
				return fmt.Errorf("%s: %w", args[0], err)
			}
			skipped, err := db.SkippedLines(cmd.Context(), l.ID, maxSkipped)
			if err != nil {
				return err
			}
			for _, s := range skipped {
				fmt.Fprintf(cmd.ErrOrStderr(), "%s: %v; skipped\n", args[0], s)
			}
			lists, err := in.Lists(cmd.Context())
			if err != nil {
				return err
			}
			for _, now := range lists {
				if now.ID == l.ID && now.State == sqlite.ListFailed {
					return fmt.Errorf("%s: %s", args[0], now.Problem)
				}
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%d lines taken in, %d skipped\n", l.Lines-int64(l.Skipped), l.Skipped)
			return nil
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of the shop; made where it is missing")
	cmd.MarkFlagRequired("data")
	return cmd
}
