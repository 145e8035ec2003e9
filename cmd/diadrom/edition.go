package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/review/compare"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/shop/services"
	"diadrom/internal/sqlite"

	"github.com/spf13/cobra"
)

// kept is a shop of a folder, open for one command.
type kept struct {
	*draft.Draft
	db *sqlite.DB
}

// openKept opens the shop of a folder, which must be there.
func openKept(ctx context.Context, dir string) (*kept, error) {
	if _, err := os.Stat(filepath.Join(dir, sqlite.Name)); err != nil {
		return nil, fmt.Errorf("there is no shop in %s: %w", dir, err)
	}
	db, err := sqlite.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	places, err := db.LoadPlaces(ctx)
	if err != nil {
		return nil, errors.Join(err, db.Close())
	}
	d, err := draft.Open(ctx, db, places, draft.Empty())
	if err != nil {
		return nil, errors.Join(err, db.Close())
	}
	return &kept{d, db}, nil
}

// ask has the shop's quotes ask services outside and carriers, as they are set and by the secrets that it keeps.
func (k *kept) ask(ctx context.Context, dir string, flags *outsideFlags) error {
	fixed, err := flags.read()
	if err != nil {
		return err
	}
	asks, err := services.Open(ctx, k.db, services.Options{Fixed: fixed, Local: flags.local, Dir: dir})
	if err != nil {
		return err
	}
	k.Ask(asks.Outside, asks.Carriers)
	return nil
}

// file gives the store file of the draft, of what is live, or of an edition by its number.
func (k *kept) file(ctx context.Context, name string) (*store.File, error) {
	switch name {
	case "draft":
		return k.State().File, nil
	case "live":
		if live := k.Live(); live != nil {
			return live.File, nil
		}
		return nil, errors.New("nothing is live yet")
	}
	n, err := strconv.ParseInt(name, 10, 64)
	if err != nil {
		return nil, fmt.Errorf("%q is neither draft nor live nor the number of an edition", name)
	}
	f, _, err := k.Edition(ctx, n)
	return f, err
}

func exportCommand() *cobra.Command {
	var dir, server, edition string
	cmd := &cobra.Command{
		Use:   "export --data DIR|--server URL [--edition draft|live|NUMBER]",
		Short: "Print the store file of a shop's draft, or of an edition",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			read, done, err := filesOf(cmd.Context(), dir, server)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, done()) }()
			f, err := read(edition)
			if err != nil {
				return err
			}
			_, err = cmd.OutOrStdout().Write(f.Write())
			return err
		},
	}
	dataFlag(cmd, &dir)
	serverFlag(cmd, &server)
	cmd.Flags().StringVar(&edition, "edition", "draft", "draft, live, or the number of an edition")
	return cmd
}

// filesOf gives how the store files of a shop are read, in a folder or at a server, and what is done at the end.
func filesOf(ctx context.Context, dir, server string) (read func(name string) (*store.File, error), done func() error,
	err error) {
	if err := place(dir, server); err != nil {
		return nil, nil, err
	}
	if server != "" {
		r, err := asking(server)
		if err != nil {
			return nil, nil, err
		}
		return func(name string) (*store.File, error) { return r.file(ctx, name) }, func() error { return nil }, nil
	}
	k, err := openKept(ctx, dir)
	if err != nil {
		return nil, nil, err
	}
	return func(name string) (*store.File, error) { return k.file(ctx, name) }, k.db.Close, nil
}

// agreed asks whoever runs a command, and says whether the answer was yes.
func agreed(cmd *cobra.Command, question string) (bool, error) {
	fmt.Fprint(cmd.OutOrStdout(), question)
	line, err := bufio.NewReader(cmd.InOrStdin()).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return false, err
	}
	return strings.TrimSpace(line) == "yes", nil
}

// agree asks whoever runs a command, unless they agreed before; where the answer is not yes, it says what became of it
// and the command ends with that.
func agree(cmd *cobra.Command, yes bool, question, otherwise string) (err error) {
	if yes {
		return nil
	}
	if yes, err = agreed(cmd, question); err != nil || yes {
		return err
	}
	fmt.Fprintln(cmd.OutOrStdout(), "\n"+otherwise)
	return exit(exitFaults)
}

func importCommand() *cobra.Command {
	var dir, server, name string
	var yes bool
	var asks outsideFlags
	cmd := &cobra.Command{
		Use:   "import --data DIR|--server URL --store FILE [--yes]",
		Short: "Make a shop's draft what a store file says, after a look at what changes",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			f, faults := readStore(name)
			if len(faults) > 0 {
				return broken(cmd, faults)
			}
			if err := place(dir, server); err != nil {
				return err
			}
			if server != "" {
				r, err := asking(server)
				if err != nil {
					return err
				}
				return r.importTo(cmd, f, yes)
			}
			k, err := openKept(cmd.Context(), dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, k.db.Close()) }()
			if err := k.ask(cmd.Context(), dir, &asks); err != nil {
				return err
			}
			out, now := cmd.OutOrStdout(), k.State()
			list := changes.Between(now.Side(), changes.Of(f))
			if len(list) == 0 {
				fmt.Fprintln(out, "Nothing changes: the draft is the same.")
				return nil
			}
			printSentences(out, list)
			report, err := samples.Compare(
				cmd.Context(),
				k.db,
				now.Engine,
				now.Engine.Again(f),
			)
			if err != nil {
				return err
			}
			printReport(out, report)
			return k.replace(cmd, f, yes)
		},
	}
	dataFlag(cmd, &dir)
	cmd.Flags().StringVar(&name, "store", "", "the store file")
	asks.register(cmd)
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	serverFlag(cmd, &server)
	cmd.MarkFlagRequired("store")
	return cmd
}

// replace makes the draft what a store file says, once that is agreed to.
func (k *kept) replace(cmd *cobra.Command, f *store.File, yes bool) (err error) {
	out := cmd.OutOrStdout()
	if err := agree(cmd, yes, "Replace the draft? Type yes: ", "The draft is as it was."); err != nil {
		return err
	}
	if _, err := k.Edit(
		cmd.Context(),
		func(draft *store.File) error { *draft = *f.Clone(); return nil },
	); err != nil {
		return err
	}
	fmt.Fprintln(out, "The draft is replaced. Buyers notice nothing before it is published.")
	return nil
}

func printSentences(out io.Writer, list []changes.Change) {
	for _, s := range changes.Sentences(list) {
		fmt.Fprintln(out, s)
	}
}

// printReport says what a change means for the sample carts.
func printReport(out io.Writer, r compare.Report) {
	fmt.Fprintf(
		out,
		"\nOf %d quotes of sample carts to usual destinations, %d stay as they are.\n",
		r.Asked,
		r.Same,
	)
	for _, s := range r.Shifts {
		prices := s.Was + s.Is
		if s.Was != "" && s.Is != "" {
			prices = s.Was + " → " + s.Is
		}
		fmt.Fprintf(
			out,
			"%s is %s: %s (%d, such as %s to %s)\n",
			s.Label,
			s.Kind,
			prices,
			len(s.Cases),
			s.Cases[0].Cart,
			s.Cases[0].To,
		)
	}
	for _, c := range r.Silent {
		fmt.Fprintf(out, "Nothing at all is offered any more: %s to %s\n", c.Cart, c.To)
	}
	fmt.Fprintln(out)
}

func diffCommand() *cobra.Command {
	var dir, server string
	cmd := &cobra.Command{
		Use:   "diff A B [--data DIR|--server URL]",
		Short: "Print how two store files differ, or with --data or --server two editions",
		Long: "Print how two store files differ, in sentences. With --data or --server A and B are draft, live, or " +
			"numbers of editions of that shop.\n" +
			"Exit 0 where nothing is different, 1 where something is.",
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) (err error) {
			read := func(name string) (*store.File, error) {
				f, faults := readStore(name)
				if len(faults) > 0 {
					return nil, broken(cmd, faults)
				}
				return f, nil
			}
			if dir != "" || server != "" {
				kept, done, err := filesOf(cmd.Context(), dir, server)
				if err != nil {
					return err
				}
				defer func() { err = errors.Join(err, done()) }()
				read = kept
			}
			var sides [2]changes.Side
			for i, name := range args {
				f, err := read(name)
				if err != nil {
					return err
				}
				sides[i] = changes.Of(f)
			}
			list := changes.Between(sides[0], sides[1])
			printSentences(cmd.OutOrStdout(), list)
			if len(list) > 0 {
				return exit(exitFaults)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&dir, "data", "", "the folder of a shop")
	serverFlag(cmd, &server)
	return cmd
}

func backupCommand() *cobra.Command {
	var dir string
	cmd := &cobra.Command{
		Use:   "backup --data DIR",
		Short: "Make a backup of a shop, also while it is served",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) (err error) {
			has, known, err := sqlite.Version(cmd.Context(), dir)
			switch {
			case err != nil:
				return fmt.Errorf("there is no shop in %s: %w", dir, err)
			case has != known: // to open it would change it
				return fmt.Errorf("the shop in %s is of another version (%d, this program knows %d): use the program that serves it",
					dir, has, known)
			}
			db, err := sqlite.Open(cmd.Context(), dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, db.Close()) }()
			if err := db.BackupChanges(cmd.Context(), "by-hand"); err != nil {
				return err
			}
			last, _, err := sqlite.LastBackup(dir)
			if err != nil {
				return err
			}
			_, err = fmt.Fprintln(cmd.OutOrStdout(), last.Name)
			return err
		},
	}
	dataFlag(cmd, &dir)
	cmd.MarkFlagRequired("data")
	return cmd
}

func restoreCommand() *cobra.Command {
	var dir string
	var locks bool
	cmd := &cobra.Command{
		Use:   "restore --data DIR [BACKUP]",
		Short: "Put a backup of a shop in its place; without one, list the backups",
		Args:  cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				r, err := sqlite.Restore(cmd.Context(), dir, args[0], sqlite.RestoreOptions{Locks: locks})
				if err != nil {
					return err
				}
				sayRestored(cmd.OutOrStdout(), dir, args[0], r)
				sayLocks(cmd.OutOrStdout(), r, locks)
				return nil
			}
			list, err := sqlite.Backups(dir)
			if err != nil {
				return err
			}
			if len(list) == 0 {
				return fmt.Errorf("there are no backups in %s", dir)
			}
			for _, name := range list {
				fmt.Fprintln(cmd.OutOrStdout(), name)
			}
			return nil
		},
	}
	dataFlag(cmd, &dir)
	cmd.Flags().BoolVar(
		&locks,
		"locks",
		false,
		"API keys and people as in the backup, also where they were revoked or deactivated since",
	)
	cmd.MarkFlagRequired("data")
	return cmd
}

// sayRestored says what is in place now, and what to do.
func sayRestored(out io.Writer, dir, backup string, r sqlite.Restored) {
	kept := "What was there is kept beside the backups."
	if r.Nothing {
		kept = "The folder had no shop before."
	}
	fmt.Fprintf(out, "%s is in place. %s Everybody signs in anew. The next edition is number %d.\n", backup, kept, r.Next)
	if r.Paused > 0 {
		fmt.Fprintf(out, "Webhooks that are paused: %d, since another machine may be the shop still. Resume them on the page Webhooks.\n",
			r.Paused)
	}
	if r.Version < r.Known {
		fmt.Fprintf(out, "It is of an earlier version (%d; this program makes it %d). Start the earlier program now to stay with "+
			"that, or this one to upgrade.\n", r.Version, r.Known)
	}
	if _, err := os.Stat(filepath.Join(dir, sqlite.KeyName)); errors.Is(err, fs.ErrNotExist) {
		fmt.Fprintf(out, "%s is not in %s: copy it there if you have it. Without it carriers' secrets are typed anew, people with a "+
			"second factor sign in with a recovery code, and nodes need diadrom nodes renew-key and a new join file.\n",
			sqlite.KeyName, dir)
	}
}

// sayLocks says what became of keys and people that the backup has otherwise.
func sayLocks(out io.Writer, r sqlite.Restored, locks bool) {
	if len(r.Scheduled) > 0 {
		fmt.Fprintf(out, "Scheduled editions that will not go live by themselves: %s.\n", strings.Join(r.Scheduled,
			", "))
	}
	if r.Unreadable || r.Nothing {
		why := "What was there could not be read"
		if r.Nothing {
			why = "Nobody knows what has happened since this backup"
		}
		fmt.Fprintf(out, "%s: API keys that were revoked and people who were deactivated since may hold again. Look at "+
			"People.\n", why)
		return
	}
	stay, again := "stay revoked; --locks brings them back", "stay deactivated; --locks brings them back"
	if locks {
		stay, again = "hold again", "are active again"
	}
	if len(r.Keys) > 0 {
		fmt.Fprintf(out, "API keys that were revoked since this backup %s: %s.\n", stay, strings.Join(r.Keys, ", "))
	}
	if len(r.People) > 0 {
		fmt.Fprintf(
			out,
			"People who were deactivated since this backup %s: %s.\n",
			again,
			strings.Join(r.People, ", "),
		)
	}
}

func dataFlag(cmd *cobra.Command, dir *string) {
	cmd.Flags().StringVar(dir, "data", "", "the folder of the shop")
}
