package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
)

// stopWithin is for how long what is under way may go on when the program is told to end.
const stopWithin = 10 * time.Second

// checkListen says what is wrong with an address on which the program is to listen; "" is none.
func checkListen(flag, address string) error {
	if address == "" {
		return nil
	}
	_, port, err := net.SplitHostPort(address)
	if err == nil {
		_, err = net.LookupPort("tcp", port)
	}
	if err != nil {
		return fmt.Errorf("%s %.60q: write an address and a port, such as %s or :8080", flag, address, defaultListen)
	}
	return nil
}

// thisMachine are the addresses of proxies that are believed where a public address is set and no proxy is.
var thisMachine = []string{"127.0.0.0/8", "::1"}

// behind reads what is said of a proxy in front.
func behind(public string, trusted []string) (u *url.URL, list []netip.Prefix, err error) {
	if public != "" {
		u, err = url.Parse(public)
		if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" ||
			strings.Trim(u.Path, "/") != "" ||
			u.RawQuery != "" ||
			u.User != nil {
			return nil, nil, fmt.Errorf(
				"--public-url %q: write scheme and host, such as https://shipping.example",
				public,
			)
		}
		if len(trusted) == 0 {
			trusted = thisMachine
		}
	}
	for _, text := range trusted {
		p, err := netip.ParsePrefix(text)
		if err != nil {
			ip, addressErr := netip.ParseAddr(text)
			if addressErr != nil {
				return nil, nil, fmt.Errorf(
					"--trusted-proxy %q: write an address or a network, such as 10.0.0.2 or 10.0.0.0/24",
					text,
				)
			}
			p = netip.PrefixFrom(ip.Unmap(), ip.Unmap().BitLen())
		}
		list = append(list, p)
	}
	return u, list, nil
}

func listenFlag(cmd *cobra.Command, listen *string) {
	cmd.Flags().StringVar(
		listen,
		"listen",
		"",
		"address and port (default "+defaultListen+", or a free port where that is taken)",
	)
}

// listen listens where it is told, or else on the default address or, where that is taken, on a free port of
// loopback.
func listen(cmd *cobra.Command, address string) (net.Listener, error) {
	if address != "" {
		return net.Listen("tcp", address)
	}
	l, err := net.Listen("tcp", defaultListen)
	if errors.Is(err, syscall.EADDRINUSE) {
		if l, err = net.Listen("tcp", "127.0.0.1:0"); err == nil {
			fmt.Fprintf(cmd.OutOrStdout(), "Something else uses %s: taking %s instead\n", defaultListen, l.Addr())
		}
	}
	return l, err
}

// hosts are the names of loopback; a server on another address answers under any.
func hosts(a net.Addr) []string {
	if tcp, ok := a.(*net.TCPAddr); ok && tcp.IP.IsLoopback() {
		return []string{"127.0.0.1", "localhost", "[::1]"}
	}
	return nil
}

func run(ctx context.Context, l net.Listener, handler http.Handler, wait func(), log *slog.Logger) error {
	server := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 5 * time.Second,
		ReadTimeout:       20 * time.Second,
		WriteTimeout:      30 * time.Second,
		IdleTimeout:       time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          errorLog(log),
	}
	if h, ok := handler.(interface{ End() }); ok {
		server.RegisterOnShutdown(h.End)
	}
	done := make(chan error, 1)
	go func() { done <- server.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
	}
	log.Info("stopping: what is under way is finished first", "seconds", int(stopWithin.Seconds()))
	grace, cancel := context.WithTimeout(context.Background(), stopWithin)
	defer cancel()
	defer wait()
	return server.Shutdown(grace)
}
