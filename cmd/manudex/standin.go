package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"github.com/spf13/cobra"

	"manudex/standin"
)

func standinCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "standin", Short: "Simulated devices and outside services"}
	var smtp, inbox string
	mail := &cobra.Command{Use: "mail", Short: "A mail server that delivers nothing and shows its inbox as a page", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return standinMail(cmd.Context(), smtp, inbox) }}
	mail.Flags().StringVar(&smtp, "smtp", "127.0.0.1:2525", "address to take mail on")
	mail.Flags().StringVar(&inbox, "inbox", "127.0.0.1:8026", "address of the inbox's page")
	cmd.AddCommand(mail, standinTextCommand(), standinBadgeCommand(), standinPhoneCommand())
	return cmd
}

func standinTextCommand() *cobra.Command {
	var listen string
	cmd := &cobra.Command{Use: "text", Short: "A service for text messages that delivers nothing and shows them as a page",
		Args: cobra.NoArgs, RunE: func(cmd *cobra.Command, _ []string) error {
			return servePage(cmd.Context(), listen, new(standin.Texts).Handler())
		}}
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8029", "address to take messages on, and of their page")
	return cmd
}

func standinBadgeCommand() *cobra.Command {
	var reader standin.Reader
	var listen string
	var run int
	badge := &cobra.Command{Use: "badge", Short: "A badge reader with the cards of those whom its clock point serves", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if run > 0 {
				return reader.Run(cmd.Context(), run, func(card, words string) { fmt.Printf("%-20s %s\n", card, words) })
			}
			return servePage(cmd.Context(), listen, reader.Handler())
		}}
	badge.Flags().StringVar(&reader.To, "to", "http://127.0.0.1:8080", "address of the application")
	badge.Flags().StringVar(&reader.Key, "key", os.Getenv("MANUDEX_READER_KEY"), "key of its clock point (or MANUDEX_READER_KEY)")
	badge.Flags().StringVar(&listen, "listen", "127.0.0.1:8027", "address of its page")
	badge.Flags().IntVar(&run, "run", 0, "swipe so many cards one after another, and some that are refused, and end")
	return badge
}

func standinPhoneCommand() *cobra.Command {
	var phone standin.Phone
	var listen string
	cmd := &cobra.Command{Use: "phone", Short: "A phone line, with a keypad to call it by", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return servePage(cmd.Context(), listen, phone.Handler()) }}
	cmd.Flags().StringVar(&phone.To, "to", "http://127.0.0.1:8080", "address of the application")
	cmd.Flags().StringVar(&phone.Key, "key", os.Getenv("MANUDEX_LINE_KEY"), "key of its clock point (or MANUDEX_LINE_KEY)")
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:8028", "address of its page")
	return cmd
}

// servePage serves the page of a stand-in until it is stopped.
func servePage(ctx context.Context, listen string, page http.Handler) error {
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("%w: choose another address with --listen", err)
	}
	server := &http.Server{Handler: page, ReadHeaderTimeout: 10 * time.Second}
	failed := make(chan error, 1)
	go func() { failed <- server.Serve(l) }()
	select {
	case <-ctx.Done():
		return server.Close()
	case err := <-failed:
		return err
	}
}

func standinMail(ctx context.Context, smtp, inbox string) error {
	m := standin.NewMail()
	taking, err := net.Listen("tcp", smtp)
	if err != nil {
		return fmt.Errorf("%w: choose another address with --smtp", err)
	}
	showing, err := net.Listen("tcp", inbox)
	if err != nil {
		return fmt.Errorf("%w: choose another address with --inbox", err)
	}
	page := &http.Server{Handler: m.Handler(), ReadHeaderTimeout: 10 * time.Second}
	failed := make(chan error, 2)
	go func() { failed <- m.Serve(taking) }()
	go func() { failed <- page.Serve(showing) }()
	select {
	case <-ctx.Done():
	case err := <-failed:
		return err
	}
	return errors.Join(m.Close(), page.Close())
}
