package local

import (
	"compress/gzip"
	"context"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/knadh/koanf/v2"
	"github.com/spf13/cobra"

	"jauntylark/cli/terminal"
	"jauntylark/core/measure"
	"jauntylark/core/prose"
	"jauntylark/store"
	"jauntylark/store/archive"
	"jauntylark/store/cluster"
)

// sealName is the file beside the database that device keys are sealed with.
const sealName = "device-keys.seal"

func backupCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "backup FILE", Short: "Write everything of a service into one file, while it runs",
		Args: terminal.Exactly("FILE"),
		Long: `Write all that a service has, secrets too, to one file, as it is at one moment, while it runs. It is read
straight from the database, so it takes the right to read the data folder, or the database's address. The file
is for your eyes alone. 'jaunty restore' makes a service of it again.`,
		Example: `  jaunty backup /mnt/usb/lark-2026-03-01.backup --data /srv/lark
  JAUNTY_DATABASE=postgres://lark@db/lark jaunty backup lark.backup`,
	}
	databaseFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		k, err := settings(c)
		if err != nil {
			return err
		}
		database := k.String("database")
		if database == "" {
			if database, err = cluster.Address(k.String("data")); err != nil {
				return err
			}
		}
		return backup(c, database, sealFile(k), args[0])
	}
	return c
}

func databaseFlags(c *cobra.Command) {
	c.Flags().String("data", defaultData("jaunty"), "folder of the private PostgreSQL")
	c.Flags().String("seal-file", "", "key file that seals device keys; none: under --data")
	c.Flags().String("database", "", "address of an outside PostgreSQL, postgres://…; none: a private one under --data")
}

// sealFile is where the key is that device keys are sealed with.
func sealFile(k *koanf.Koanf) string {
	if file := k.String("seal-file"); file != "" {
		return file
	}
	return filepath.Join(k.String("data"), sealName)
}

func backup(c *cobra.Command, database, seal, file string) error {
	s, err := store.Open(c.Context(), database)
	if err != nil {
		return err
	}
	defer s.Close()
	bar := terminal.NewProgress(c, file)
	defer bar.End()
	var m archive.Manifest
	err = terminal.NewFile(file, func(to io.Writer) error {
		packed, err := gzip.NewWriterLevel(to, gzip.BestSpeed)
		if err != nil {
			return err
		}
		if key, err := os.ReadFile(seal); err == nil {
			packed.Comment = hex.EncodeToString(key) // in the file's head, where restore finds it first
		}
		m, err = archive.Archive(c.Context(), s, packed, true, measure.InstantOf(time.Now()),
			func(table string, rows int64) { bar.Say("%s  %s: %d rows", file, table, rows) })
		return errors.Join(err, packed.Close())
	})
	if err != nil {
		return err
	}
	return terminal.Show(c, m, func(w io.Writer) {
		fmt.Fprintf(w, "%s: %s with %s, as of %s.\n", file, m.Site, prose.Count(m.Stamp.Readings, "reading",
			"readings"), terminal.Clock(&m.Made))
	})
}

func restoreCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "restore FILE", Short: "Make a service out of a backup, and verify it", Args: terminal.Exactly("FILE"),
		Long: `Fill an empty data folder, or an empty database, from a backup. Every block of readings is opened
			and compared
with what the backup says; when anything is wrong nothing is kept. Then 'jaunty serve' goes on where the
backup was made.`,
		Example: `  jaunty restore lark-2026-03-01.backup --data /srv/lark
  jaunty restore lark.backup --database postgres://lark@db/empty`,
	}
	databaseFlags(c)
	c.RunE = func(c *cobra.Command, args []string) error {
		k, err := settings(c)
		if err != nil {
			return err
		}
		file, err := os.Open(args[0])
		if err != nil {
			return err
		}
		defer file.Close()
		if database := k.String("database"); database != "" {
			return restore(c, database, sealFile(k), file)
		}
		return restoreInto(c, k.String("data"), sealFile(k), file)
	}
	return c
}

// restoreInto restores into a data folder. When that is refused, what was made for it is taken away.
func restoreInto(c *cobra.Command, data, seal string, file *os.File) error {
	made, err := missingFolder(data)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(data, 0o711); err != nil {
		return err
	}
	there, err := os.ReadDir(data)
	if err != nil {
		return err
	}
	private, err := cluster.Start(c.Context(), data, cluster.Options{})
	if err == nil {
		err = restore(c, private.URL, seal, file)
		err = errors.Join(err, private.Stop(context.WithoutCancel(c.Context())))
	}
	if err == nil || len(there) > 0 {
		return err
	}
	if made == "" { // the folder was there, and empty
		made = filepath.Join(data, "*")
	}
	left, _ := filepath.Glob(made)
	for _, path := range left {
		err = errors.Join(err, os.RemoveAll(path))
	}
	return err
}

// missingFolder gives the highest folder of a path that is not there; empty: the path is there.
func missingFolder(path string) (missing string, err error) {
	if path, err = filepath.Abs(path); err != nil {
		return "", err
	}
	for ; ; path = filepath.Dir(path) {
		if _, err := os.Stat(path); !errors.Is(err, os.ErrNotExist) {
			return missing, err
		}
		missing = path
	}
}

func restore(c *cobra.Command, database, seal string, file *os.File) error {
	packed, err := gzip.NewReader(file)
	if err != nil {
		return fmt.Errorf("%s is no backup: %w", file.Name(), err)
	}
	s, fresh, err := store.OpenFresh(c.Context(), database)
	if err != nil {
		return err
	}
	defer s.Close()
	bar := terminal.NewProgress(c, file.Name())
	m, err := archive.Load(c.Context(), s, packed,
		func(table string, rows int64) { bar.Say("%s  %s: %d rows", file.Name(), table, rows) })
	bar.End()
	if err != nil {
		if fresh { // what was made for it is taken away
			err = errors.Join(err, store.Clean(context.WithoutCancel(c.Context()), s))
		}
		return err
	}
	if key, err := hex.DecodeString(packed.Comment); err == nil && len(key) > 0 {
		err := terminal.NewFile(seal, func(to io.Writer) error { _, err := to.Write(key); return err })
		if err != nil && !errors.Is(err, os.ErrExist) {
			return err
		}
	}
	return terminal.Show(c, m, func(w io.Writer) {
		fmt.Fprintf(w, "%s is restored as it was on %s, with %s, each verified.\n", m.Site, terminal.Clock(&m.Made),
			prose.Count(m.Stamp.Readings, "reading", "readings"))
	})
}

func sqlCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "sql", Short: "The address at which analysts read the site with SQL", Args: terminal.Exactly(),
		Long: `Print the address of the private PostgreSQL for the role jaunty_analyst, which may read the views of the schema
analysis (reading, hourly, daily, alarm, journal, signal, block) and nothing else. docs/sql.md has examples.`,
		Example: `  psql "$(jaunty sql)" -c "select * from hourly where device = 'pond' order by at desc limit 5"`,
	}
	c.Flags().String("data", defaultData("jaunty"), "folder of the private PostgreSQL")
	c.RunE = func(c *cobra.Command, _ []string) error {
		k, err := settings(c)
		if err != nil {
			return err
		}
		address, err := cluster.AnalystAddress(k.String("data"))
		if err != nil {
			return err
		}
		return terminal.Show(c, map[string]string{"address": address}, func(w io.Writer) { fmt.Fprintln(w, address) })
	}
	return c
}
