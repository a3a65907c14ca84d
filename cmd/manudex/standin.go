package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
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
	cmd.AddCommand(mail)
	return cmd
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
