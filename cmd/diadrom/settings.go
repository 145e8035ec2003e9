package main

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"
	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// settingsName is the file of settings in the folder of a shop, read where no other is named.
const settingsName = "diadrom.toml"

// variable is the environment variable of a flag: --public-url is DIADROM_PUBLIC_URL.
func variable(flag string) string {
	return "DIADROM_" + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// noSetting are flags that are not read from elsewhere.
var noSetting = []string{"help", "print-config", "config"}

// settings are where each flag of a command has its value from.
type settings map[string]string

// readSettings gives the flags that were not given their values from the environment or, where that has none, from a
// file of settings: that which --config or DIADROM_CONFIG names, or diadrom.toml in the folder of the shop.
func readSettings(cmd *cobra.Command) (settings, error) {
	flags, from := cmd.Flags(), settings{}
	var errs error
	flags.VisitAll(func(f *pflag.Flag) {
		if slices.Contains(noSetting, f.Name) {
			return
		}
		from[f.Name] = "default"
		if f.Changed {
			from[f.Name] = "flag"
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
	for key, value := range values {
		if _, known := from[key]; !known {
			return fmt.Errorf(
				"%s: there is no setting %.60q: they are called as the flags of diadrom serve are",
				name,
				key,
			)
		}
		if from[key] != "default" {
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

// print writes the settings that count as a file of them, each with where it is from.
func (from settings) print(out io.Writer, flags *pflag.FlagSet) error {
	var names []string
	for name := range from {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		f := flags.Lookup(name)
		var value any = f.Value.String()
		switch v := f.Value.(type) {
		case pflag.SliceValue:
			value = v.GetSlice()
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
