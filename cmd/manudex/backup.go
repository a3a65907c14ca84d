package main

import (
	"archive/zip"
	"cmp"
	"context"
	"fmt"
	"os"

	"filippo.io/age"
	"github.com/spf13/cobra"

	"manudex/app"
	"manudex/app/hours"
	"manudex/backup"
	"manudex/store"
)

func backupCommand(cfg *config) *cobra.Command {
	var to, key string
	cmd := &cobra.Command{Use: "backup", Short: "Make a copy of all that is recorded, in one file", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			now, err := cfg.clock()
			if err != nil {
				return err
			}
			if cfg.database == "" {
				return errNoDatabase
			}
			if to == "" {
				to = "manudex-" + now().Format("2006-01-02-1504") + ".zip"
			}
			var about backup.About
			if err := whole(to, func(f *os.File) (err error) {
				about, err = backup.Write(cmd.Context(), cfg.database, f, key, now())
				return err
			}); err != nil {
				return err
			}
			fmt.Printf("%s holds all of %s. ", to, cmp.Or(about.Company, "the company"))
			if key == "" {
				fmt.Println("Whoever has the file can read it: keep it where nobody else gets at it, or name a key with --key.")
			} else {
				fmt.Printf("It is read with the key of %s alone, which is not in it.\n", key)
			}
			return nil
		}}
	cmd.Flags().StringVar(&to, "to", "", "the file; manudex-DATE-TIME.zip where none is named")
	cmd.Flags().StringVar(&key, "key", os.Getenv("MANUDEX_BACKUP_KEY"),
		"encrypt it to this public key of age, age1… (MANUDEX_BACKUP_KEY)")
	return cmd
}

// whole writes a file that is there whole, or not at all.
func whole(name string, write func(*os.File) error) error {
	if _, err := os.Stat(name); err == nil {
		return fmt.Errorf("%s is there already: name another file", name)
	}
	part := name + ".part"
	f, err := os.OpenFile(part, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	err = write(f)
	if err == nil {
		err = f.Sync()
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err != nil {
		_ = os.Remove(part) // what is wrong is said; this is only tidying up
		return err
	}
	return os.Rename(part, name)
}

func restoreCommand(cfg *config) *cobra.Command {
	var from, keyFile string
	cmd := &cobra.Command{Use: "restore", Args: cobra.NoArgs,
		Short: "Bring a backup back into an empty database; all sessions and links are dead afterwards",
		RunE: func(cmd *cobra.Command, _ []string) error {
			now, err := cfg.clock()
			if err != nil {
				return err
			}
			if cfg.database == "" {
				return errNoDatabase
			}
			archive, err := zip.OpenReader(from)
			if err != nil {
				return fmt.Errorf("the backup %s: %w", from, err)
			}
			defer archive.Close()
			keys, err := identities(keyFile)
			if err != nil {
				return err
			}
			about, err := backup.Restore(cmd.Context(), cfg.database, &archive.Reader, keys, now())
			if err != nil {
				return err
			}
			fmt.Printf("The backup of %s is back: %s. All sessions, links and known browsers are dead; passwords stay.\n",
				about.Made.Format("2006-01-02 15:04 MST"),
				cmp.Or(about.Company, "the company"))
			return verified(cmd.Context(), cfg, about.Head)
		}}
	cmd.Flags().StringVar(&from, "from", "", "the file that backup wrote")
	cmd.Flags().StringVar(&keyFile, "key", "", "the file with the age key that reads it, as age-keygen writes it")
	_ = cmd.MarkFlagRequired("from")
	return cmd
}

func identities(file string) ([]age.Identity, error) {
	if file == "" {
		return nil, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	keys, err := age.ParseIdentities(f)
	if err != nil {
		return nil, fmt.Errorf("the key file %s: %w", file, err)
	}
	return keys, nil
}

// verified works what was brought back out anew, and holds the audit list to the
// head that the backup names.
func verified(ctx context.Context, cfg *config, head string) error {
	with, err := cfg.begin(ctx)
	if err != nil {
		return err
	}
	defer with.db.Close()
	stints, cards, found, err := hours.Verify(ctx, app.New(with.db, with.now, with.log), hours.ToVerify{})
	if err != nil {
		return err
	}
	for _, d := range found {
		fmt.Printf("%s: %s\n", d.Employment, d.What)
	}
	fmt.Printf("%d stints, %d cards, %d differences\n", stints, cards, len(found))
	holds, err := verifyAudit(ctx, with.db, head)
	if err == nil && (len(found) > 0 || !holds) {
		err = errSaid
	}
	return err
}

func exportCommand(cfg *config) *cobra.Command {
	var to string
	cmd := &cobra.Command{Use: "export", Short: "Write everything as CSV, with a description of it, in one file",
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			if to == "" {
				to = "manudex-export-" + with.now().Format("2006-01-02-1504") + ".zip"
			}
			var tables []store.Table
			if err := whole(to, func(f *os.File) (err error) {
				tables, err = backup.Export(cmd.Context(), with.db, f, with.now())
				return err
			}); err != nil {
				return err
			}
			fmt.Printf("%s holds %d tables as CSV; datapackage.json in it says what they are. Whoever has the file can read it.\n", to,
				len(tables))
			return nil
		}}
	cmd.Flags().StringVar(&to, "to", "", "the file; manudex-export-DATE-TIME.zip where none is named")
	return cmd
}
