package main

import (
	"errors"
	"fmt"
	"net"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"manudex/app/company"
)

func initCommand(cfg *config) *cobra.Command {
	var first company.First
	var address, listen string
	cmd := &cobra.Command{Use: "init", Args: cobra.NoArgs,
		Short: "Begin with an empty company and print the link of its owner; where there is one, a link only if nobody can sign in yet",
		RunE: func(cmd *cobra.Command, _ []string) error {
			with, err := cfg.begin(cmd.Context())
			if err != nil {
				return err
			}
			defer with.db.Close()
			if err := with.db.Migrate(cmd.Context()); err != nil {
				return err
			}
			token, err := company.Begin(cmd.Context(), with.db, with.now(), first)
			if errors.Is(err, company.ErrThere) {
				if first.Company != "" || first.Email != "" {
					return err
				}
				token, err = company.OwnersLink(cmd.Context(), with.db, with.now())
			}
			if err != nil {
				return err
			}
			at := reachedAt(address, listen)
			if token == "" {
				fmt.Printf("  There is a company already. Sign in at %s\n", at)
				return nil
			}
			fmt.Printf("  Open this link to begin. It works once, and for a week:\n\n  %s/welcome/%s\n\n"+
				"  The server must be running. Lost it? The same command gives another, until somebody has chosen a password.\n", at, token)
			return nil
		}}
	flags := cmd.Flags()
	flags.StringVar(&first.Company, "company", "", "name of the company; asked on the page otherwise, as is all that follows")
	flags.StringVar(&first.Zone, "zone", "", "its zone, such as America/New_York")
	flags.StringVar(&first.Currency, "currency", "USD", "its currency, ISO 4217")
	flags.StringVar(&first.Given, "given-name", "", "the owner's given name")
	flags.StringVar(&first.Family, "family-name", "", "the owner's family name")
	flags.StringVar(&first.Email, "email", "", "the owner's e-mail address")
	flags.StringVar(&address, "address", os.Getenv("MANUDEX_ADDRESS"),
		"how people reach the server, https://hours.example (MANUDEX_ADDRESS)")
	flags.StringVar(&listen, "listen", envOr("MANUDEX_LISTEN", "127.0.0.1:8080"), "what the server listens on (MANUDEX_LISTEN)")
	return cmd
}

// reachedAt gives the address by which a browser on this machine reaches the server.
func reachedAt(address, listen string) string {
	if address != "" {
		return strings.TrimSuffix(address, "/")
	}
	host, port, err := net.SplitHostPort(listen)
	if ip := net.ParseIP(host); err != nil || host == "" || ip != nil && ip.IsUnspecified() {
		host = "127.0.0.1"
	}
	return "http://" + net.JoinHostPort(host, port)
}
