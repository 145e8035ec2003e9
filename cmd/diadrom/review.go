package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"time"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/review/promise"
	"diadrom/internal/review/warnings"

	"github.com/owenrumney/go-sarif/v3/pkg/report"
	"github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"
	"github.com/spf13/cobra"
)

// reviewFlags are those of review.
type reviewFlags struct{ store, gazetteer, promises, format, failOn, server, of string }

func reviewCommand() *cobra.Command {
	var is reviewFlags
	cmd := &cobra.Command{
		Use: "review --store FILE|--server URL [--gazetteer FILE] [--promises FILE] [--format json|text|sarif] " +
			"[--fail-on SEVERITY]",
		Short: "Print the warnings about a whole store, each with a request that shows it",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return review(cmd, &is) },
	}
	cmd.Flags().StringVar(&is.store, "store", "", "the store file")
	cmd.Flags().StringVar(&is.gazetteer, "gazetteer", "", "places in the GeoNames postal layout")
	cmd.Flags().StringVar(&is.promises, "promises", "",
		"the list of promises; beside store.json it is store.promises.json, where there is one")
	cmd.Flags().StringVar(&is.format, "format", "json", "json, text or sarif (SARIF 2.1.0)")
	cmd.Flags().StringVar(&is.failOn, "fail-on", "loses",
		"the severity from which on it exits with 1: untidy, deters, loses or blocks")
	serverFlag(cmd, &is.server)
	cmd.Flags().StringVar(&is.of, "of", "draft", "with --server: draft or live")
	return cmd
}

func review(cmd *cobra.Command, is *reviewFlags) error {
	limit, err := warnings.ParseSeverity(is.failOn)
	if err != nil {
		return fmt.Errorf("--fail-on: %w", err)
	}
	switch {
	case (is.store == "") == (is.server == ""):
		return errors.New("say what is reviewed: --store FILE, or --server URL")
	case is.server != "" && is.format != "json":
		return errors.New("a server's warnings are printed as json; export its store file for the other formats")
	case is.server != "":
		r, err := asking(is.server)
		if err != nil {
			return err
		}
		return r.review(cmd, is.of, limit)
	}
	data, faults := readFile(is.store)
	if len(faults) > 0 {
		return broken(cmd, faults)
	}
	f, faults := store.Read(data)
	if len(faults) > 0 {
		return broken(cmd, faults)
	}
	g, err := readGazetteer(cmd, is.gazetteer)
	if err != nil {
		return err
	}
	promises, faults := promisesBeside(is)
	if len(faults) > 0 {
		return broken(cmd, faults)
	}
	engine, now := quote.Compile(f, g), time.Now()
	list := warnings.Read(warnings.Input{Engine: engine, Coverage: coverage.Of(engine), Now: now}, nil).
		With(warnings.Outside{Now: now, Promises: promises})
	switch out := cmd.OutOrStdout(); is.format {
	case "json":
		wire := make([]warnings.Wire, len(list))
		for i := range list {
			wire[i] = list[i].For(f)
		}
		err = printJSON(cmd, wire)
	case "text":
		err = writeText(out, f, list)
	case "sarif":
		err = writeSARIF(out, is.store, data, list)
	default:
		return fmt.Errorf("--format: there is no format %.40q: it is json, text or sarif", is.format)
	}
	if err != nil {
		return err
	}
	if len(list) > 0 && list[0].Severity >= limit { // the worst stands first
		return exit(exitFaults)
	}
	return nil
}

// promisesBeside reads the promises that are kept beside a store file; none where there is no such file.
func promisesBeside(is *reviewFlags) ([]promise.Promise, fault.List) {
	name := cmp.Or(is.promises, strings.TrimSuffix(is.store, ".json")+".promises.json")
	data, faults := readFile(name)
	if len(faults) > 0 {
		if is.promises == "" {
			return nil, nil
		}
		return nil, faults
	}
	return promise.Read(data)
}

// writeText writes warnings for people: what is wrong, the request that shows it, and what mends it.
func writeText(out io.Writer, f *store.File, list []warnings.Warning) error {
	if len(list) == 0 {
		_, err := fmt.Fprintln(out, "No warnings.")
		return err
	}
	for i := range list {
		w := &list[i]
		if _, err := fmt.Fprintf(out, "%-6s  %s\n        %s  %s\n", w.Severity, w.Message, w.Code, w.Path); err != nil {
			return err
		}
		if w.Witness != nil {
			request, err := json.Marshal(w.Witness.For(f))
			if err != nil {
				return err
			}
			fmt.Fprintf(out, "        shown by  %s\n", request)
		}
		if w.Mend != nil {
			fmt.Fprintf(out, "        mended by  %s\n", w.Mend.Text)
		}
	}
	return nil
}

// levels are the levels of SARIF for severities (SARIF 2.1.0, 3.27.10).
var levels = map[warnings.Severity]string{warnings.Blocks: "error", warnings.Loses: "error", warnings.Deters: "warning",
	warnings.Untidy: "note"}

// writeSARIF writes warnings as SARIF 2.1.0 (OASIS), so that a review of a change shows them beside the lines of the
// store file.
func writeSARIF(out io.Writer, name string, data []byte, list []warnings.Warning) error {
	doc := report.NewV210Report()
	run := sarif.NewRunWithInformationURI("Diadrom", "https://diadrom.example")
	uri := filepath.ToSlash(name)
	pointers := make([]string, len(list))
	for i := range list {
		pointers[i] = list[i].Path
	}
	lines := jsonread.Lines(data, pointers)
	run.AddDistinctArtifact(uri)
	for i := range list {
		w := &list[i]
		run.AddRule(string(w.Code)).WithDescription(warnings.Titles[w.Code])
		text := w.Message
		if w.Mend != nil {
			text += " To mend it: " + w.Mend.Text + "."
		}
		place := sarif.NewLocationWithPhysicalLocation(sarif.NewPhysicalLocation().
			WithArtifactLocation(sarif.NewSimpleArtifactLocation(uri)).
			WithRegion(sarif.NewRegion().WithStartLine(lines[w.Path])))
		place.AddLogicalLocation(sarif.NewLogicalLocation().WithFullyQualifiedName(w.Path).WithKind("member"))
		run.CreateResultForRule(string(w.Code)).WithLevel(levels[w.Severity]).
			WithMessage(sarif.NewTextMessage(text)).AddLocation(place).
			WithPartialFingerprints(map[string]string{"warning/v1": w.Key})
	}
	doc.AddRun(run)
	return doc.PrettyWrite(out)
}
