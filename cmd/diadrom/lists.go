package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"

	"github.com/spf13/cobra"
)

// listFlags are the flags of the commands that read a list from a file for a store.
type listFlags struct {
	store, columns, sheet, decimal, rate string
	head                                 int
	write, yes                           bool
}

// register adds the flags to a command; columns is an example of what columns hold.
func (l *listFlags) register(cmd *cobra.Command, columns string) {
	f := cmd.Flags()
	f.StringVar(&l.store, "store", "", "store file")
	f.StringVar(&l.columns, "columns", "", fmt.Sprintf("what the columns hold, such as %q", columns))
	f.StringVar(&l.sheet, "sheet", "", "sheet of a workbook")
	f.IntVar(&l.head, "header", 0, "line with the column headings")
	f.StringVar(&l.decimal, "decimal", "", `decimal sign: "." or ","`)
	f.StringVar(&l.rate, "rate", "", "what 1 of the list's currency is in the store's")
	f.BoolVar(&l.write, "write", false, "change the store file")
	f.BoolVar(&l.yes, "yes", false, "write although something is refused or asked")
	cmd.MarkFlagRequired("store")
}

// finish writes the store file, where --write says so and nothing is open or --yes was given, and gives the exit code.
func (l *listFlags) finish(open bool, save func() error) error {
	if l.write && (!open || l.yes) {
		if err := save(); err != nil {
			return err
		}
	}
	if open {
		return exit(exitFaults)
	}
	return nil
}

// refusedLine is a line of a list that cannot be used.
type refusedLine struct {
	Line   int    `json:"line"`
	Text   string `json:"text"`
	Reason string `json:"reason"`
}

// listRead is what was made out of a file.
type listRead struct {
	Sheet    string            `json:"sheet"`
	Header   int               `json:"header"`
	Columns  map[string]any    `json:"columns"`
	Decimal  string            `json:"decimal"`
	Units    map[string]string `json:"units"`
	Currency string            `json:"currency"`
	Skipped  []grid.Skipped    `json:"skipped"`
	Accounts *accountCounts    `json:"accounts,omitempty"`
}

// accountCounts are how many cells of a file became what.
type accountCounts struct {
	Prices   int `json:"prices"`
	Bounds   int `json:"bounds"` // places and weights
	Heads    int `json:"heads"`  // headings, and notes that were understood
	SetAside int `json:"set_aside"`
	Asked    int `json:"asked"`
	Left     int `json:"left"`
}

func accountsOf(l *grid.Ledger) *accountCounts {
	if l == nil {
		return nil
	}
	n := l.Counts()
	return &accountCounts{n[grid.AsPrice], n[grid.AsBound], n[grid.AsHead], n[grid.SetAside], n[grid.AskedAbout],
		n[grid.Unread]}
}

// fieldsOf reads what columns hold: "zone=1,to=2,price=3", "band=1,prices=2-5".
func fieldsOf[F ~string](text string, fields []F) (map[int]F, error) {
	columns := map[int]F{}
	for _, one := range strings.Split(text, ",") {
		name, at, _ := strings.Cut(strings.TrimSpace(one), "=")
		field := F(strings.TrimSpace(name))
		if !slices.Contains(fields, field) {
			return nil, fmt.Errorf("--columns: %q is not one of %v", name, fields)
		}
		from, to, several := strings.Cut(strings.TrimSpace(at), "-")
		first, err := strconv.Atoi(from)
		last := first
		if several && err == nil {
			last, err = strconv.Atoi(to)
		}
		if err != nil || first < 1 || last < first || last > sheet.MaxColumns {
			return nil, fmt.Errorf("--columns: %q is no column: they are counted from 1", at)
		}
		for i := first; i <= last; i++ {
			columns[i-1] = field
		}
	}
	return columns, nil
}

// decimalSign reads the flag of a decimal sign; 0 where it is not given.
func decimalSign(text string) (byte, error) {
	switch text {
	case "":
		return 0, nil
	case ".", ",":
		return text[0], nil
	}
	return 0, fmt.Errorf(`--decimal is "." or ",", not %q`, text)
}

// writeStore replaces a store file: wholly, or not at all.
func writeStore(name string, f *store.File) error {
	if _, faults := store.Read(f.Write()); len(faults) > 0 {
		return fmt.Errorf("%s: %s; nothing was written", faults[0].Path, faults[0].Message)
	}
	info, err := os.Stat(name)
	if err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(name), ".diadrom-*")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	_, err = part.Write(f.Write())
	if err = errors.Join(err, part.Chmod(info.Mode().Perm()), part.Sync(), part.Close()); err != nil {
		return err
	}
	return os.Rename(part.Name(), name)
}
