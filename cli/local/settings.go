package local

import (
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"strings"

	"github.com/knadh/koanf/parsers/yaml"
	"github.com/knadh/koanf/providers/env/v2"
	"github.com/knadh/koanf/providers/file"
	"github.com/knadh/koanf/providers/posflag"
	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"

	"jauntylark/cli/terminal"
)

// settings gathers a command's settings: by flag, then by JAUNTY_… variable, then by the file that
// --config names, then the flag's default. The names are the flags'.
func settings(c *cobra.Command) (*koanf.Koanf, error) {
	k := koanf.New("|")
	if path, _ := c.Flags().GetString("config"); path != "" {
		if err := k.Load(file.Provider(path), yaml.Parser()); err != nil {
			return nil, terminal.Misused("--config %s: %v", path, err)
		}
		for _, name := range k.Keys() {
			if c.Flags().Lookup(name) == nil {
				return nil, terminal.Misused("--config %s: there is no setting %s%s", path, name,
					terminal.DidYouMean(name, terminal.FlagNames(c)))
			}
		}
	}
	variables := env.Provider("|", env.Opt{Prefix: "JAUNTY_", TransformFunc: func(name, value string) (string, any) {
		name = strings.ReplaceAll(strings.ToLower(strings.TrimPrefix(name, "JAUNTY_")), "_", "-")
		if f := c.Flags().Lookup(name); f == nil {
			return "", nil
		} else if f.Value.Type() == "stringSlice" {
			return name, strings.Split(value, ",")
		}
		return name, value
	}})
	if err := k.Load(variables, nil); err != nil {
		return nil, err
	}
	return k, k.Load(posflag.Provider(c.Flags(), "|", k), nil)
}

// NewLog writes the log to w as text, or as JSON lines; warnings that repeat are one line with a count.
func NewLog(w io.Writer, level, format string) (*slog.Logger, error) {
	var l slog.Level
	if err := l.UnmarshalText([]byte(level)); err != nil {
		return nil, terminal.Misused("--log-level %q is not one of debug, info, warn, error", level)
	}
	switch format {
	case "text":
		return slog.New(terminal.WithoutRepeats(slog.NewTextHandler(w, &slog.HandlerOptions{Level: l}))), nil
	case "json":
		return slog.New(terminal.WithoutRepeats(slog.NewJSONHandler(w, &slog.HandlerOptions{Level: l}))), nil
	}
	return nil, terminal.Misused("--log-format %q is not one of text, json", format)
}

// defaultData is where a service keeps its data when nobody says.
func defaultData(name string) string {
	if home := os.Getenv("XDG_DATA_HOME"); home != "" {
		return filepath.Join(home, name)
	}
	if os.Geteuid() == 0 {
		return "/var/lib/" + name
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return name
	}
	return filepath.Join(home, ".local", "share", name)
}
