package main

import (
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"os/signal"
	"strings"
	"syscall"
	"time"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/shipped"

	"github.com/spf13/cobra"
)

func standinCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "standin",
		Short: "Serve a stand-in for a service outside, to try a shop without one",
	}
	cmd.AddCommand(
		placesStandin("roads", "Serve ways by road between the places of a list (the table service of OSRM)",
			func(g *gazetteer.Gazetteer) http.Handler { return standin.NewRoads(g) }),
		placesStandin("addresses", "Serve where addresses lie, from a list of places (the search of Nominatim)",
			func(g *gazetteer.Gazetteer) http.Handler { return standin.NewAddresses(g) }),
		carrierStandin(),
	)
	return cmd
}

// carrierStandin is a carrier that is made of a store file.
func carrierStandin() *cobra.Command {
	var storeName, gazetteerName, address, secret string
	var bad standin.Misbehave
	cmd := &cobra.Command{
		Use:   "carrier --store FILE [--gazetteer FILE] [--listen ADDRESS]",
		Short: "Serve a carrier whose services are the methods of a store file, quoted a parcel at a time",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			engine, err := readEngine(cmd, storeName, gazetteerName)
			if err != nil {
				return err
			}
			return listenAs(cmd, "A carrier is", address, bad.Handler(standin.Secret(secret,
				standin.NewCarrier(engine))))
		},
	}
	cmd.Flags().StringVar(&storeName, "store", "", "the store file")
	cmd.Flags().StringVar(&gazetteerName, "gazetteer", "", "places in the GeoNames postal layout")
	cmd.Flags().StringVar(&secret, "secret", "", "the bearer token that it wants (default: none)")
	registerStandin(cmd, &address, &bad)
	cmd.MarkFlagRequired("store")
	return cmd
}

// registerStandin adds the flags that all stand-ins have.
func registerStandin(cmd *cobra.Command, address *string, bad *standin.Misbehave) {
	cmd.Flags().StringVar(address, "listen", "127.0.0.1:0", "address and port; port 0 takes a free one")
	cmd.Flags().DurationVar(&bad.Slow, "slow", 0, "how long each answer takes, such as 3s")
	cmd.Flags().BoolVar(&bad.Fail, "fail", false, "answer with status 500")
	cmd.Flags().BoolVar(&bad.Nonsense, "nonsense", false, "answer with a page in HTML")
}

// listenAs serves a stand-in until it is stopped, and says where it is.
func listenAs(cmd *cobra.Command, what, address string, handler http.Handler) error {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return err
	}
	ctx, stop := signal.NotifyContext(cmd.Context(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	fmt.Fprintf(cmd.OutOrStdout(), "%s at http://%s\n", what, l.Addr())
	return serveStandin(ctx, l, handler)
}

// placesStandin is a stand-in that is made of a list of places.
func placesStandin(name, short string, service func(*gazetteer.Gazetteer) http.Handler) *cobra.Command {
	var gazetteerName, address string
	var countries []string
	var bad standin.Misbehave
	cmd := &cobra.Command{
		Use:   name + " [--gazetteer FILE] [--listen ADDRESS]",
		Short: short,
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			g, err := readGazetteer(cmd, gazetteerName)
			if g == nil && err == nil {
				g, err = shippedPlaces(countries)
			}
			if err != nil {
				return err
			}
			return listenAs(cmd, strings.ToUpper(name[:1])+name[1:]+" are", address, bad.Handler(service(g)))
		},
	}
	cmd.Flags().StringVar(&gazetteerName, "gazetteer", "", "places in the GeoNames postal layout")
	cmd.Flags().StringSliceVar(&countries, "country", []string{"FI"}, "countries whose lists come with Diadrom, "+
		"without "+
		"--gazetteer")
	registerStandin(cmd, &address, &bad)
	return cmd
}

// shippedPlaces reads the lists of countries that come with Diadrom.
func shippedPlaces(countries []string) (*gazetteer.Gazetteer, error) {
	var readers []io.Reader
	for _, country := range countries {
		_, r, ok := shipped.Open(strings.ToUpper(country))
		if !ok {
			return nil, fmt.Errorf("no list of places of %q comes with Diadrom: give one with --gazetteer", country)
		}
		readers = append(readers, r, strings.NewReader("\n"))
	}
	g, _, err := gazetteer.Read(io.MultiReader(readers...))
	return g, err
}

// standIns starts a road and an address service and two carriers of the demo's own, on this machine.
func (s *shop) standIns() (stop func(), err error) {
	g, err := demo.Gazetteer()
	if err != nil {
		return nil, err
	}
	ctx, stop := context.WithCancel(context.Background())
	defer func() {
		if err != nil {
			stop()
		}
	}()
	serve := func(h http.Handler) (address string, err error) {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return "", err
		}
		go serveStandin(ctx, l, h) //nolint:errcheck // the demo goes on without
		return l.Addr().String(), nil
	}
	for _, service := range []struct {
		url     *string
		handler http.Handler
	}{
		{&s.asks.Usual.Roads, standin.NewRoads(g)},
		{&s.asks.Usual.Addresses, standin.NewAddresses(g)},
	} {
		at, err := serve(service.handler)
		if err != nil {
			return nil, err
		}
		*service.url = "http://" + at
	}
	if s.asks.Standins, err = demo.ServeCarriers(ctx); err != nil {
		return nil, err
	}
	return stop, nil
}

// serveStandin serves until the context ends.
func serveStandin(ctx context.Context, l net.Listener, handler http.Handler) error {
	server := &http.Server{Handler: handler, ReadHeaderTimeout: 5 * time.Second}
	done := make(chan error, 1)
	go func() { done <- server.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	grace, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	if err := server.Shutdown(grace); err != nil {
		return server.Close()
	}
	return nil
}
