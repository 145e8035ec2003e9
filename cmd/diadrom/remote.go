package main

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"strings"
	"time"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/store"
	"diadrom/internal/review/warnings"

	"github.com/spf13/cobra"
)

// keyVariable is the environment variable of the key with which a running server is asked: on a command line others
// could read it.
const keyVariable = "DIADROM_KEY"

// remote is a running server, asked by its API.
type remote struct {
	base, key string
	client    *http.Client
}

func serverFlag(cmd *cobra.Command, address *string) {
	cmd.Flags().StringVar(address, "server", "",
		"a running server in place of a folder, such as https://shipping.example; its key is in "+keyVariable)
}

// asking makes a remote of an address.
func asking(address string) (*remote, error) {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" {
		return nil, fmt.Errorf("--server %q: write scheme and host, such as https://shipping.example", address)
	}
	key := os.Getenv(keyVariable)
	if key == "" {
		return nil, errors.New(
			"put a key into " + keyVariable + ": an owner makes one that may import a store file and " +
				"publish, under People",
		)
	}
	return &remote{strings.TrimSuffix(u.String(), "/"), key, &http.Client{Timeout: 2 * time.Minute}}, nil
}

// place says where a shop is kept: in a folder, or at a server; one of both is needed.
func place(dir, server string) error {
	if (dir == "") == (server == "") {
		return errors.New("say where the shop is: --data DIR, or --server URL")
	}
	return nil
}

// refusedError is a problem that a server answered with.
type refusedError struct {
	status int
	title  string
	faults fault.List
}

func (e *refusedError) Error() string {
	return fmt.Sprintf("the server says %d: %s", e.status, e.title)
}

// call sends a request, only for what an entity tag has where one is given, and gives what was answered, where that is
// no problem.
func (r *remote) call(
	ctx context.Context,
	method, path string,
	body []byte,
	tag string,
) (out []byte, header http.Header,
	err error) {
	var in io.Reader = http.NoBody
	if body != nil {
		in = bytes.NewReader(body)
	}
	req, err := http.NewRequestWithContext(ctx, method, r.base+path, in)
	if err != nil {
		return nil, nil, err
	}
	req.Header.Set("Authorization", "Bearer "+r.key)
	if body != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	if tag != "" {
		req.Header.Set("If-Match", tag)
	}
	resp, err := r.client.Do(req)
	if err != nil {
		return nil, nil, err
	}
	defer resp.Body.Close()
	if out, err = io.ReadAll(io.LimitReader(resp.Body, store.MaxSize+1)); err != nil {
		return nil, nil, err
	}
	if resp.StatusCode >= http.StatusBadRequest {
		var p struct {
			Title, Detail string
			Faults        fault.List
		}
		if json.Unmarshal(out, &p) != nil || p.Title == "" {
			p.Detail = fmt.Sprintf("%.200s", out)
		}
		return nil, nil, &refusedError{resp.StatusCode, cmp.Or(p.Detail, p.Title), p.Faults}
	}
	return out, resp.Header, nil
}

// file gives a store file by its name: draft, live, or the number of an edition.
func (r *remote) file(ctx context.Context, name string) (*store.File, error) {
	body, _, err := r.call(ctx, http.MethodGet, "/api/v1/store?of="+url.QueryEscape(name), nil, "")
	if err != nil {
		return nil, err
	}
	f, faults := store.Read(body)
	if len(faults) > 0 {
		return nil, fmt.Errorf("the server's store file is not read here; is it a later version? %w", faults)
	}
	return f, nil
}

// difference is what a server says of how two stores differ.
type difference struct {
	Changes  []string
	Revision int64
}

func (r *remote) difference(
	ctx context.Context,
	method, path string,
	body []byte,
	tag string,
) (d difference, err error) {
	out, _, err := r.call(ctx, method, path, body, tag)
	if err == nil {
		err = json.Unmarshal(out, &d)
	}
	return d, err
}

// importTo makes a server's draft what a store file says, after a look at what changes.
func (r *remote) importTo(cmd *cobra.Command, f *store.File, yes bool) error {
	ctx, out, body := cmd.Context(), cmd.OutOrStdout(), f.Write()
	_, header, err := r.call(ctx, http.MethodGet, "/api/v1/store", nil, "")
	if err != nil {
		return err
	}
	tag := header.Get("ETag")
	d, err := r.difference(ctx, http.MethodPut, "/api/v1/store?dry_run=true", body, tag)
	if err != nil {
		return told(cmd, err)
	}
	if len(d.Changes) == 0 {
		fmt.Fprintln(out, "Nothing changes: the draft is the same.")
		return nil
	}
	for _, s := range d.Changes {
		fmt.Fprintln(out, s)
	}
	if err := agree(cmd, yes, "Replace the draft? Type yes: ", "The draft is as it was."); err != nil {
		return err
	}
	var refused *refusedError
	_, err = r.difference(ctx, http.MethodPut, "/api/v1/store", body, tag)
	if errors.As(err, &refused) && refused.status == http.StatusPreconditionFailed {
		return errors.New("the draft was changed meanwhile, and nothing was replaced: look at what changes now")
	}
	if err != nil {
		return told(cmd, err)
	}
	fmt.Fprintln(out, "The draft is replaced. Buyers notice nothing before it is published.")
	return nil
}

// told prints the faults of a refusal as the other commands do.
func told(cmd *cobra.Command, err error) error {
	var refused *refusedError
	if errors.As(err, &refused) && len(refused.faults) > 0 {
		fmt.Fprintln(cmd.ErrOrStderr(), refused.Error())
		return broken(cmd, refused.faults)
	}
	return err
}

// review prints the warnings about a server's draft, or about what is live.
func (r *remote) review(cmd *cobra.Command, of string, limit warnings.Severity) error {
	body, _, err := r.call(cmd.Context(), http.MethodGet, "/api/v1/review?of="+url.QueryEscape(of), nil, "")
	if err != nil {
		return err
	}
	var list []struct{ Severity string }
	if err := json.Unmarshal(body, &list); err != nil {
		return err
	}
	var indented bytes.Buffer
	if err := json.Indent(&indented, body, "", "  "); err != nil {
		return err
	}
	if _, err := indented.WriteTo(cmd.OutOrStdout()); err != nil {
		return err
	}
	for _, w := range list {
		if s, err := warnings.ParseSeverity(w.Severity); err == nil && s >= limit {
			return exit(exitFaults)
		}
	}
	return nil
}

func publishCommand() *cobra.Command {
	var server, note string
	var yes bool
	cmd := &cobra.Command{
		Use:   "publish --server URL [--note TEXT] [--yes]",
		Short: "Publish the draft of a running server, after a look at what changes",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			r, err := asking(server)
			if err != nil {
				return err
			}
			return r.publish(cmd, note, yes)
		},
	}
	serverFlag(cmd, &server)
	cmd.Flags().StringVar(&note, "note", "", "what the edition is, for its list")
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	cmd.MarkFlagRequired("server")
	return cmd
}

func (r *remote) publish(cmd *cobra.Command, note string, yes bool) error {
	ctx, out := cmd.Context(), cmd.OutOrStdout()
	d, err := r.difference(ctx, http.MethodGet, "/api/v1/changes", nil, "")
	if err != nil {
		return err
	}
	if len(d.Changes) == 0 {
		fmt.Fprintln(out, "Nothing to publish: the draft is what is live already.")
		return nil
	}
	for _, s := range d.Changes {
		fmt.Fprintln(out, s)
	}
	if err := agree(cmd, yes, "Publish it? Type yes: ", "Nothing was published."); err != nil {
		return err
	}
	body, err := json.Marshal(map[string]any{"note": note, "revision": d.Revision})
	if err != nil {
		return err
	}
	answer, _, err := r.call(ctx, http.MethodPost, "/api/v1/editions", body, "")
	if err != nil {
		return told(cmd, err)
	}
	var e struct{ Edition int64 }
	if err := json.Unmarshal(answer, &e); err != nil {
		return err
	}
	fmt.Fprintf(out, "Edition %d is live.\n", e.Edition)
	return nil
}
