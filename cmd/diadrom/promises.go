package main

import (
	"slices"
	"strings"

	"diadrom/internal/review/promise"

	"github.com/spf13/cobra"
)

func promisesCommand() *cobra.Command {
	var storeName, listName, gazetteerName string
	var services outsideFlags
	cmd := &cobra.Command{
		Use:   "promises --store FILE [--promises FILE] [--gazetteer FILE]",
		Short: "Print what became of the promises kept beside a store file",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			engine, err := readEngine(cmd, storeName, gazetteerName)
			if err != nil {
				return err
			}
			if engine, err = services.asking(engine); err != nil {
				return err
			}
			if listName == "" {
				listName = strings.TrimSuffix(storeName, ".json") + ".promises.json"
			}
			data, faults := readFile(listName)
			if len(faults) > 0 {
				return broken(cmd, faults)
			}
			list, faults := promise.Read(data)
			if len(faults) > 0 {
				return broken(cmd, faults)
			}
			results := promise.CheckAll(engine, list)
			if err := printJSON(cmd, results); err != nil {
				return err
			}
			if slices.ContainsFunc(results, func(r promise.Result) bool { return !r.Holds }) {
				return exit(exitFaults)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&storeName, "store", "", "the store file")
	cmd.Flags().StringVar(
		&listName,
		"promises",
		"",
		"the list of promises; beside store.json it is store.promises.json",
	)
	cmd.Flags().StringVar(&gazetteerName, "gazetteer", "", "places in the GeoNames postal layout")
	services.register(cmd)
	cmd.MarkFlagRequired("store")
	return cmd
}
