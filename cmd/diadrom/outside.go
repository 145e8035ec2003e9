package main

import (
	"fmt"
	"os"

	"diadrom/internal/core/quote"
	"diadrom/internal/outside"
	"diadrom/internal/outside/carriers"

	"github.com/spf13/cobra"
)

// outsideFlags are where services outside are, as the command line or the environment says.
type outsideFlags struct {
	settings outside.Settings
	local    bool // services in the machine's own network may be set on the screens
}

func (f *outsideFlags) register(cmd *cobra.Command) {
	cmd.Flags().StringVar(&f.settings.Roads, "roads", "", "URL of a road service: the table service of OSRM "+
		"(environment DIADROM_ROADS)")
	cmd.Flags().StringVar(&f.settings.Addresses, "addresses", "", "URL of an address service: the search of Nominatim "+
		"(environment DIADROM_ADDRESSES)")
	cmd.Flags().BoolVar(&f.local, "local-services", false, "allow services at addresses that are not public")
}

// read gives the settings, from the environment where no flag says them.
func (f *outsideFlags) read() (outside.Settings, error) {
	s := f.settings
	if s.Roads == "" {
		s.Roads = os.Getenv("DIADROM_ROADS")
	}
	if s.Addresses == "" {
		s.Addresses = os.Getenv("DIADROM_ADDRESSES")
	}
	s, err := s.Check()
	if err != nil {
		return s, fmt.Errorf("--roads and --addresses: %w", err)
	}
	return s, nil
}

// asking is an engine that asks the services that are set, and carriers. Whoever types the address of a service here
// may name any; those of carriers come from a store file, and are public ones unless --local-services says otherwise.
func (f *outsideFlags) asking(e *quote.Engine) (*quote.Engine, error) {
	settings, err := f.read()
	if err != nil {
		return nil, err
	}
	var asks outside.Services
	asks.Set(settings, true, true)
	return e.Asking(&asks).AskingCarriers(carriers.New(carriers.Options{Local: f.local,
		Secret: carriers.FromEnvironment})), nil
}
