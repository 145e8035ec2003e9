package main

import (
	"errors"
	"fmt"

	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/outside/conformance"

	"github.com/spf13/cobra"
)

// errNotConforming is a service that fails a check.
var errNotConforming = errors.New("this service does not keep to docs/carriers.md")

func carrierCheckCommand() *cobra.Command {
	o := conformance.Options{}
	var from, to, id string
	cmd := &cobra.Command{
		Use:   "carrier-check URL",
		Short: "Check that a carrier's service keeps to what Diadrom asks of it",
		Long: "Check that a carrier's service keeps to what Diadrom asks of it (docs/carriers.md). The secret is " +
			"that of the environment variable DIADROM_CARRIER_<ID>.",
		Args:         cobra.ExactArgs(1),
		SilenceUsage: true,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.URL = args[0]; !store.ServiceURL(o.URL) {
				return fmt.Errorf("%q is not the address of a service: write it such as https://post.example/rates",
					o.URL)
			}
			var err error
			if o.From, err = checkAddress("--from", from); err != nil {
				return err
			}
			if o.To, err = checkAddress("--to", to); err != nil {
				return err
			}
			o.Secret, _ = carriers.FromEnvironment(&store.Carrier{ID: id, URL: args[0]})
			failed := false
			for _, r := range conformance.Run(cmd.Context(), o) {
				word, text := "ok  ", r.Note
				if r.Problem != "" {
					word, text, failed = "FAIL", r.Problem, true
				}
				if text != "" {
					text = ": " + text
				}
				fmt.Fprintf(cmd.OutOrStdout(), "%s  %s%s\n", word, r.Name, text)
			}
			if failed {
				return errNotConforming
			}
			return nil
		},
	}
	cmd.Flags().StringVar(&from, "from", "FI 21100 Naantali", "where parcels leave from")
	cmd.Flags().StringVar(&to, "to", "FI 00100 Helsinki", "where they go")
	cmd.Flags().StringVar(&o.Currency, "currency", "EUR", "in which prices are asked for (ISO 4217)")
	cmd.Flags().StringVar(&id, "id", "check", "id of the carrier, by which its secret is found")
	return cmd
}

// checkAddress reads an address as people write it in one line.
func checkAddress(flag, text string) (carriers.Address, error) {
	a, err := typed.Reader{}.Address(text)
	if err != nil {
		return carriers.Address{}, fmt.Errorf("%s: %w", flag, err)
	}
	return carriers.AddressOf(&a), nil
}
