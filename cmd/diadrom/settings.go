package main

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"diadrom/internal/shop/broker"

	"github.com/agnivade/levenshtein"
	"github.com/pelletier/go-toml/v2"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// settingsName is the file of settings in the folder of a shop, read where no other is named.
const settingsName = "diadrom.toml"

// variablePrefix begins the environment variables of this program.
const variablePrefix = "DIADROM_"

// variable is the environment variable of a flag: --public-url is DIADROM_PUBLIC_URL.
func variable(flag string) string {
	return variablePrefix + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// Flags that are not read from elsewhere; settings that are no flags to whoever lists the processes of a machine, and
// are not printed; and variables of the environment that are no settings, by their whole name or what they begin with.
var (
	noSetting      = []string{"help", "print-config", "config", "output", "join-file"}
	secretSettings = []string{"nodes-password"}
	otherVariables = []string{"DIADROM_CONFIG", "DIADROM_KEY", "DIADROM_DEV"}
	otherPrefixes  = []string{"DIADROM_CARRIER_", "DIADROM_TEST_"}
)

// allSettings are those of all commands that read a file of settings: one file may be read by several.
func allSettings() map[string]bool {
	all := map[string]bool{}
	for _, cmd := range []*cobra.Command{serveCommand(), nodeCommand(), nodeFileCommand()} {
		cmd.Flags().VisitAll(func(f *pflag.Flag) {
			if !slices.Contains(noSetting, f.Name) {
				all[f.Name] = true
			}
		})
	}
	return all
}

// settings are where each flag of a command has its value from.
type settings map[string]string

// isDefault is where a flag has its value from that nobody gave one.
const isDefault = "default"

// readSettings gives the flags that were not given their values from the environment or, where that has none, from a
// file of settings: that which --config or DIADROM_CONFIG names, or diadrom.toml in the folder of the shop. What is set
// for other commands is passed over; what no command knows is an error.
func readSettings(cmd *cobra.Command) (settings, error) {
	flags, from := cmd.Flags(), settings{}
	errs := unknownVariables(os.Environ())
	flags.VisitAll(func(f *pflag.Flag) {
		if slices.Contains(noSetting, f.Name) {
			return
		}
		from[f.Name] = isDefault
		if f.Changed {
			from[f.Name] = "flag"
			if slices.Contains(secretSettings, f.Name) {
				errs = errors.Join(errs,
					fmt.Errorf("--%s: everybody on this machine can read it in the list of processes: write it "+
						"into a file (--%s-file, or %s) or into the environment (%s)", f.Name, f.Name, settingsName, variable(f.Name)))
			}
		} else if text := os.Getenv(variable(f.Name)); text != "" {
			if err := flags.Set(f.Name, text); err != nil {
				errs = errors.Join(errs, fmt.Errorf("%s: %w", variable(f.Name), err))
			}
			from[f.Name] = variable(f.Name)
		}
	})
	if errs != nil {
		return nil, errs
	}
	name, err := settingsFile(flags)
	if name == "" || err != nil {
		return from, err
	}
	return from, from.add(flags, name)
}

// unknownVariables says which variables begin as those of this program do and are none: they are spelt wrongly.
func unknownVariables(environment []string) (errs error) {
	known := slices.Clone(otherVariables)
	for name := range allSettings() {
		known = append(known, variable(name))
	}
	for _, entry := range environment {
		name, _, _ := strings.Cut(entry, "=")
		if !strings.HasPrefix(name, variablePrefix) || slices.Contains(known, name) ||
			slices.ContainsFunc(otherPrefixes, func(p string) bool { return strings.HasPrefix(name, p) }) {
			continue
		}
		errs = errors.Join(errs, fmt.Errorf("there is no setting %.60s in the environment%s", name, meant(name, known)))
	}
	return errs
}

// meant says which of some names somebody may have meant; "" for none.
func meant(name string, known []string) string {
	slices.Sort(known)
	best, distance := "", 4
	for _, k := range known {
		if d := levenshtein.ComputeDistance(name, k); d < distance {
			best, distance = k, d
		}
	}
	if best == "" {
		return ""
	}
	return ": do you mean " + best + "?"
}

// settingsFile finds the file of settings; "" where there is none.
func settingsFile(flags *pflag.FlagSet) (string, error) {
	name, err := flags.GetString("config")
	if err != nil {
		return "", err
	}
	if name == "" {
		name = os.Getenv(variable("config"))
	}
	if name != "" {
		return name, nil
	}
	dir, err := flags.GetString("data")
	if err != nil || dir == "" {
		return "", err
	}
	name = filepath.Join(dir, settingsName)
	if _, err := os.Stat(name); errors.Is(err, fs.ErrNotExist) {
		return "", nil
	}
	return name, nil
}

// add gives flags that have no value yet theirs from a file.
func (from settings) add(flags *pflag.FlagSet, name string) error {
	body, err := os.ReadFile(name)
	if err != nil {
		return err
	}
	var values map[string]any
	if err := toml.Unmarshal(body, &values); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	all := allSettings()
	for key, value := range values {
		if !all[key] {
			return fmt.Errorf("%s: there is no setting %.60q: they are called as the flags of diadrom serve are%s", name, key,
				meant(key, slices.Collect(maps.Keys(all))))
		}
		if from[key] != isDefault { // another command's, or given otherwise
			continue
		}
		text, err := settingText(value)
		if err == nil {
			err = flags.Set(key, text)
		}
		if err != nil {
			return fmt.Errorf("%s: %s: %w", name, key, err)
		}
		from[key] = name
	}
	return nil
}

// settingText is a value of a file as a flag takes it.
func settingText(value any) (string, error) {
	switch v := value.(type) {
	case string:
		return v, nil
	case bool, int64:
		return fmt.Sprint(v), nil
	case []any:
		texts := make([]string, len(v))
		for i := range v {
			text, ok := v[i].(string)
			if !ok {
				return "", errors.New("write a list of texts, such as [\"10.0.0.2\"]")
			}
			texts[i] = text
		}
		return strings.Join(texts, ","), nil
	}
	return "", errors.New("write a text, true or false, or a list of texts")
}

// print writes the settings that count as a file of them, each with where it is from. Secrets are not written.
func (from settings) print(out io.Writer, flags *pflag.FlagSet) error {
	for _, name := range slices.Sorted(maps.Keys(from)) {
		f := flags.Lookup(name)
		if slices.Contains(secretSettings, name) {
			if f.Value.String() != "" {
				if _, err := fmt.Fprintf(out, "%-50s # %s\n", "# "+name+" is set, and not printed", from[name]); err != nil {
					return err
				}
			}
			continue
		}
		var value any = f.Value.String()
		switch v := f.Value.(type) {
		case pflag.SliceValue:
			value = v.GetSlice()
			if name == "nodes" {
				value = broker.Redacted(v.GetSlice())
			}
		default:
			if f.Value.Type() == "bool" {
				value = f.Value.String() == "true"
			}
		}
		line, err := toml.Marshal(map[string]any{name: value})
		if err != nil {
			return err
		}
		if _, err := fmt.Fprintf(out, "%-50s # %s\n", strings.TrimSpace(string(line)), from[name]); err != nil {
			return err
		}
	}
	return nil
}
