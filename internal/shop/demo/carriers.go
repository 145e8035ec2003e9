package demo

import (
	"context"
	"embed"
	"net"
	"net/http"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/services"
)

//go:embed data/carriers/*.json
var carrierFiles embed.FS

// Carriers are the invented carriers of the demo: store files whose methods are their services, by the hosts at which
// the demo shop asks them.
func Carriers() (map[string]*store.File, error) {
	list := map[string]*store.File{}
	for _, id := range []string{"kuikka", "vaaru"} {
		body, err := carrierFiles.ReadFile("data/carriers/" + id + ".json")
		if err != nil {
			return nil, err
		}
		f, faults := store.Read(body)
		if len(faults) > 0 {
			return nil, faults
		}
		list[id+".example"] = f
	}
	return list, nil
}

// ServeCarriers serves the demo's carriers on this machine until the context ends, each at a free port.
func ServeCarriers(ctx context.Context) (map[string]*services.Standin, error) {
	files, err := Carriers()
	if err != nil {
		return nil, err
	}
	list := map[string]*services.Standin{}
	for host, f := range files {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return nil, err
		}
		of := &services.Standin{Address: l.Addr().String(), Mood: &standin.Mood{}}
		server := &http.Server{
			Handler:           of.Mood.Handler(standin.NewCarrier(quote.Compile(f, nil))),
			ReadHeaderTimeout: 5 * time.Second,
		}
		go server.Serve(l) //nolint:errcheck // it ends with the context
		context.AfterFunc(ctx, func() { server.Close() })
		list[host] = of
	}
	return list, nil
}
