package main

import (
	"encoding/json"
	"fmt"
	"io"
	"os"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/spoken"
	"diadrom/internal/core/store"

	"github.com/spf13/cobra"
)

func quoteCommand() *cobra.Command {
	var storeName, requestName, gazetteerName string
	var services outsideFlags
	cmd := &cobra.Command{
		Use:   "quote --store FILE --request FILE [--gazetteer FILE]",
		Short: "Print the quote for a request, or for a list of requests",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			engine, err := readEngine(cmd, storeName, gazetteerName)
			if err != nil {
				return err
			}
			data, faults := readFile(requestName)
			if len(faults) > 0 {
				return broken(cmd, faults)
			}
			requests, many, faults := engine.ReadRequest(data)
			if len(faults) > 0 {
				return broken(cmd, faults)
			}
			if engine, err = services.asking(engine); err != nil {
				return err
			}
			if many {
				engine = engine.AheadOf(requests)
			}
			answers := make([]*quote.Answer, len(requests))
			for i := range requests {
				answers[i] = engine.Quote(&requests[i])
				spoken.Answer(engine, &requests[i], answers[i])
				if requests[i].Hold > 0 {
					answers[i].Warnings = append(answers[i].Warnings, quote.Warning{Code: quote.NotHeld,
						Message: "This is not held: only a served shop has the key with which quotes are held"})
				}
			}
			if many {
				return printJSON(cmd, answers)
			}
			return printJSON(cmd, answers[0])
		},
	}
	cmd.Flags().StringVar(&storeName, "store", "", "the store file")
	cmd.Flags().StringVar(&requestName, "request", "", "the request: JSON, an object or an array of them")
	cmd.Flags().StringVar(&gazetteerName, "gazetteer", "", "places in the GeoNames postal layout")
	services.register(cmd)
	cmd.MarkFlagRequired("store")
	cmd.MarkFlagRequired("request")
	return cmd
}

func checkCommand() *cobra.Command {
	var storeName string
	cmd := &cobra.Command{
		Use:   "check --store FILE",
		Short: "Print every fault of a store file",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			_, faults := readStore(storeName)
			fmt.Fprintln(cmd.OutOrStdout(), string(faults.JSON()))
			if len(faults) > 0 {
				return exit(exitFaults)
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&storeName, "store", "", "the store file")
	cmd.MarkFlagRequired("store")
	return cmd
}

// readEngine makes a store file and a list of places, or none, ready to quote. Faults of the store are told already.
func readEngine(cmd *cobra.Command, storeName, gazetteerName string) (*quote.Engine, error) {
	f, faults := readStore(storeName)
	if len(faults) > 0 {
		return nil, broken(cmd, faults)
	}
	g, err := readGazetteer(cmd, gazetteerName)
	if err != nil {
		return nil, err
	}
	return quote.Compile(f, g), nil
}

func readStore(name string) (*store.File, fault.List) {
	data, faults := readFile(name)
	if len(faults) > 0 {
		return nil, faults
	}
	return store.Read(data)
}

// readFile reads a file, but never more than a store file may have.
func readFile(name string) ([]byte, fault.List) {
	f, err := os.Open(name)
	if err != nil {
		return nil, fault.List{{Code: "file", Message: err.Error()}}
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, store.MaxSize+1))
	if err != nil {
		return nil, fault.List{{Code: "file", Message: err.Error()}}
	}
	if len(data) > store.MaxSize {
		return nil, fault.List{
			{Code: fault.TooLarge, Message: fmt.Sprintf("%s is larger than %d MB", name, store.MaxSize>>20)},
		}
	}
	return data, nil
}

func readGazetteer(cmd *cobra.Command, name string) (*gazetteer.Gazetteer, error) {
	if name == "" {
		return nil, nil
	}
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	g, skipped, err := gazetteer.Read(f)
	for _, s := range skipped {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s: %v; skipped\n", name, s)
	}
	return g, err
}

func broken(cmd *cobra.Command, faults fault.List) error {
	fmt.Fprintln(cmd.ErrOrStderr(), string(faults.JSON()))
	return exit(exitBrokenRule)
}

func printJSON(cmd *cobra.Command, v any) error {
	enc := json.NewEncoder(cmd.OutOrStdout())
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}
