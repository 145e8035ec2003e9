// Command diadrom serves the application and answers quotes and checks on the command line.
package main

import (
	"errors"
	"fmt"
	"maps"
	"os"

	"diadrom/internal/shop/confined"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/history"

	"github.com/spf13/cobra"
)

// kinds are the works on files from outside that this program does in a process of its own.
func kinds() map[string]confined.Work {
	all := maps.Clone(files.Kinds)
	maps.Copy(all, history.Kinds)
	return all
}

// exit ends the program with a code when everything has been said already.
type exit int

func (e exit) Error() string { return fmt.Sprintf("exit %d", int(e)) }

// Exit codes, as docs/model.md gives them.
const (
	exitFaults     = 1 // check found faults, a promise is broken, or diff found differences
	exitBrokenRule = 2 // a store or request that breaks a rule
)

func main() {
	if len(os.Args) > 2 && os.Args[1] == confined.Command { // before anything that takes memory
		os.Exit(confined.Main(kinds(), os.Args[2:]))
	}
	root := &cobra.Command{
		Use:           "diadrom",
		Short:         "Shipping zones, rate tables and quotes for a small online store",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(
		quoteCommand(),
		checkCommand(),
		promisesCommand(),
		gazetteerCommand(),
		exportCommand(),
		importCommand(),
		publishCommand(),
		doctorCommand(),
		diffCommand(),
		backupCommand(),
		restoreCommand(),
		recoverCommand(),
		keyCommand(),
		serveCommand(),
		demoCommand(),
		nodeCommand(),
		nodesCommand(),
		nodeFileCommand(),
		standinCommand(),
		carrierCheckCommand(),
		pricesCommand(),
		productsCommand(),
		reviewCommand(),
		rerateCommand(),
		proposeCommand(),
	)
	err := root.Execute()
	var code exit
	switch {
	case err == nil:
	case errors.As(err, &code):
		os.Exit(int(code))
	default:
		fmt.Fprintln(os.Stderr, "diadrom:", err)
		os.Exit(exitBrokenRule)
	}
}
