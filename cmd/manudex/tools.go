package main

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"os"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"manudex/app"
	"manudex/app/hours"
	"manudex/app/payroll"
	"manudex/app/people"
	"manudex/core/pay"
	"manudex/core/when"
	"manudex/demo"
	"manudex/files"
	"manudex/store"
)

func migrateCommand(cfg *config) *cobra.Command {
	return &cobra.Command{Use: "migrate", Short: "Bring the database schema to the newest version", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			return with.db.Migrate(cmd.Context())
		}}
}

func demoCommand(cfg *config) *cobra.Command {
	var size demo.Size
	var seed uint64
	var list bool
	cmd := &cobra.Command{Use: "demo", Short: "Load the demo world, or a larger one, into an empty database", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			now, err := cfg.clock()
			if err != nil {
				return err
			}
			w, err := demo.New(seed, now(), size)
			if err != nil {
				return err
			}
			if !list {
				if err := loadDemo(cmd.Context(), cfg, w); err != nil {
					return err
				}
			}
			out := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', 0)
			for _, s := range w.SignIns() {
				fmt.Fprintf(out, "  %s\t%s\t%s\t%s\n", s.Name, s.Email, s.Level, s.Does)
			}
			fmt.Fprintf(out, "  Password of everybody: %s\n", demo.Password)
			return out.Flush()
		}}
	cmd.Flags().IntVar(&size.People, "people", 0, "how many people clock; 0 for the demo's own number")
	cmd.Flags().IntVar(&size.Weeks, "weeks", 0, "weeks of history; 0 for 16")
	cmd.Flags().Uint64Var(&seed, "seed", 1, "the world's seed")
	cmd.Flags().BoolVar(&list, "list", false, "only list who can sign in")
	return cmd
}

// loadDemo loads a world unless the database holds a company already.
func loadDemo(ctx context.Context, cfg *config, w *demo.World) error {
	with, err := cfg.begin(ctx)
	if err != nil {
		return err
	}
	defer with.db.Close()
	if err := with.db.Migrate(ctx); err != nil {
		return err
	}
	if _, err := store.GetCompany(ctx, with.db); err == nil {
		with.log.Info("the database holds a company already; nothing loaded")
		return nil
	}
	return w.Load(ctx, with.db, with.log)
}

func verifyCommand(cfg *config) *cobra.Command {
	var since, head string
	var runs bool
	cmd := &cobra.Command{Use: "verify", Args: cobra.NoArgs,
		Short: "Work out stints, cards and hours anew and compare with what is stored; hold the audit list against its seals",
		RunE: func(cmd *cobra.Command, _ []string) error {
			if runs {
				return verifyRuns(cmd.Context(), cfg)
			}
			var what hours.ToVerify
			if since != "" {
				var err error
				if what.Since, err = when.ParseDate(since); err != nil {
					return fmt.Errorf("--since %s: write a date such as 2026-11-01", since)
				}
			}
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			stints, cards, found, err := hours.Verify(cmd.Context(), app.New(with.db, with.now, with.log), what)
			if err != nil {
				return err
			}
			for _, d := range found {
				fmt.Printf("%s: %s\n", d.Employment, d.What)
			}
			fmt.Printf("%d stints, %d cards, %d differences\n", stints, cards, len(found))
			whole, err := verifyAudit(cmd.Context(), with.db, head)
			if err != nil {
				return err
			}
			if len(found) > 0 || !whole {
				return errSaid
			}
			return nil
		}}
	cmd.Flags().BoolVar(&runs, "runs", false, "work out closed pay runs anew from what was kept with them alone, and follow their digests")
	cmd.Flags().StringVar(&head, "head", "", "a digest that the audit list was sealed to: says whether the list still holds it")
	cmd.Flags().StringVar(&since, "since", "", "only worked days from this date on, such as 2026-11-01")
	return cmd
}

// verifyRuns says whether closed runs are what was kept of them.
func verifyRuns(ctx context.Context, cfg *config) error {
	with, err := cfg.begin(ctx)
	if err != nil {
		return err
	}
	defer with.db.Close()
	v, err := payroll.VerifyRuns(ctx, with.db)
	if err != nil {
		return err
	}
	for _, w := range v.Wrong {
		fmt.Println(w)
	}
	fmt.Printf("%d runs, %d lines, %d wrong; %d runs were closed before what they went by was kept; the last is %s\n", v.Runs, v.Lines,
		len(v.Wrong), v.Older, hex.EncodeToString(v.Last))
	if len(v.Wrong) > 0 {
		return errSaid
	}
	return nil
}

// verifyAudit says whether the audit list is what was sealed, and holds a head.
func verifyAudit(ctx context.Context, db *store.DB, head string) (whole bool, err error) {
	v, err := app.VerifyAudit(ctx, db)
	if err != nil {
		return false, err
	}
	for _, w := range v.Wrong {
		fmt.Println(w)
	}
	fmt.Printf("audit list: %d rows sealed in %d batches, %d erased, %d wrong; head %s\n", v.Rows, v.Batches, v.Erased, len(v.Wrong),
		hex.EncodeToString(v.Head))
	if head == "" {
		return len(v.Wrong) == 0, nil
	}
	digest, err := hex.DecodeString(head)
	if err != nil || len(digest) != sha256.Size {
		return false, fmt.Errorf("--head %s: write the 64 letters and digits of a digest", head)
	}
	s, err := store.SealOf(ctx, db, digest)
	switch {
	case store.NotFound(err):
		fmt.Println("the audit list was never sealed to that head")
		return false, nil
	case err != nil:
		return false, err
	case len(v.Wrong) > 0:
		fmt.Printf("the audit list was sealed to that head on %s, batch %d, and is not what it was\n",
			s.MadeAt.Format("2006-01-02 15:04 MST"),
			s.Batch)
		return false, nil
	}
	fmt.Printf("the audit list holds that head: batch %d of %s\n", s.Batch, s.MadeAt.Format("2006-01-02 15:04 MST"))
	return true, nil
}

func reckonCommand() *cobra.Command {
	var explain bool
	cmd := &cobra.Command{Use: "reckon", Short: "Work out pay from JSON on standard input (docs/rules.md)", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			ok, err := files.Reckon(os.Stdin, os.Stdout, os.Stderr, files.ReckonOptions{Explain: explain, Text: os.Stderr})
			if err == nil && !ok {
				return errSaid
			}
			return err
		}}
	cmd.Flags().BoolVar(&explain, "explain", false, "say where every line came from: in the answer, and as text on standard error")
	return cmd
}

func accrueCommand() *cobra.Command {
	return &cobra.Command{Use: "accrue", Short: "Work out leave from JSON on standard input (docs/leave.md)", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			ok, err := files.Accrue(os.Stdin, os.Stdout, os.Stderr)
			if err == nil && !ok {
				return errSaid
			}
			return err
		}}
}

func trackCommand() *cobra.Command {
	var own []string
	cmd := &cobra.Command{Use: "track", Short: "Read card texts, one a line, as a reader types them", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			whole, err := files.Track(os.Stdin, os.Stdout, own)
			if err == nil && !whole {
				return errSaid
			}
			return err
		}}
	cmd.Flags().StringSliceVar(&own, "own-prefix", nil, "what the numbers of your own cards begin with: they are no payment cards")
	return cmd
}

func rulesCommand() *cobra.Command {
	return &cobra.Command{Use: "rules [id]", Short: "List the ready-made rule sets, or print one as the rules object of reckon",
		Args: cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			for _, set := range pay.ReadySets() {
				switch {
				case len(args) == 0:
					fmt.Printf("%-22s %s. %s\n", set.ID, set.Name, set.About)
				case set.ID == args[0]:
					fmt.Printf("%s\n", set.Versions[len(set.Versions)-1].Rules)
					return nil
				}
			}
			if len(args) > 0 {
				return fmt.Errorf("there is no ready-made rule set %q; `manudex rules` lists them", args[0])
			}
			return nil
		}}
}

func codesCommand(cfg *config) *cobra.Command {
	var who string
	cmd := &cobra.Command{Use: "take-codes",
		Short: "Take the one-time codes of somebody away who lost their phone and whom no owner can help", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			if err := people.TakeCodesAway(cmd.Context(), app.New(with.db, with.now, with.log), who); err != nil {
				return fmt.Errorf("take the codes of %q away: %w", who, err)
			}
			fmt.Println("Their password alone signs them in now; who must have a code is asked to set one up at once.")
			return nil
		}}
	cmd.Flags().StringVar(&who, "who", "", "what they sign in with: an address or a personnel number")
	return cmd
}

// accountKeys reads the keys by which account numbers are encrypted: from the environment alone, as flags are seen by
// whoever lists processes.
func accountKeys() (app.Keyring, error) {
	keys, err := app.ParseKeyring(os.Getenv("MANUDEX_ACCOUNT_KEYS"))
	if err != nil {
		return keys, fmt.Errorf("MANUDEX_ACCOUNT_KEYS: %w", err)
	}
	return keys, nil
}

func resealCommand(cfg *config) *cobra.Command {
	return &cobra.Command{Use: "reseal", Args: cobra.NoArgs,
		Short: "Encrypt account numbers by the first key of MANUDEX_ACCOUNT_KEYS, where they were by another behind it",
		RunE: func(cmd *cobra.Command, _ []string) error {
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			a := app.New(with.db, with.now, with.log)
			if a.Keys, err = accountKeys(); err != nil {
				return err
			}
			n, err := payroll.Reseal(cmd.Context(), a)
			if err != nil {
				return err
			}
			fmt.Printf("%d encrypted by the key in use\n", n)
			return nil
		}}
}
